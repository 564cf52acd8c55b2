package designs

import (
	"strings"

	"github.com/jedib0t/go-pretty/v6/table"

	"yalvo/internal/command/terminal"
	"yalvo/internal/design"
)

// ListsHeader is the header of a table of lists.
var ListsHeader = table.Row{"list", "entries", "asked for one of", "order", "takes", "index", "reads besides"}

// served says what lists of a design are read with.
func (a *app) served(d *design.Design) {
	if len(d.Lists) == 0 {
		return
	}
	a.Say("\n%s:\n", terminal.Many(len(d.Lists), "list"))
	var rows []table.Row
	none := []string{}
	for _, l := range d.Lists {
		of, takes, order := "", design.FieldNames(l.Params), []string{}
		if owner := l.Owner(); owner != nil {
			of = owner.Name
		}
		if looks := l.Looks(); looks != "" {
			takes = append(takes, looks)
		}
		for _, o := range l.Order {
			order = append(order, o.String())
		}
		s := l.Serving()
		if s.None {
			none = append(none, l.Name)
		}
		rows = append(rows, table.Row{l.Name, l.Entries.Name, of, strings.Join(order, ", "), strings.Join(takes, ", "),
			s.Index, s.Reads})
	}
	a.Table(ListsHeader, rows)
	if len(none) > 0 {
		a.Say("\nNo index can put these in order: %s. Each page reads all that the last column says.",
			strings.Join(none, ", "))
	}
}
