package commands

import (
	"context"
	"strings"

	"github.com/jedib0t/go-pretty/v6/table"
	"github.com/urfave/cli/v3"

	"yalvo/client"
	"yalvo/internal/command/flags"
	"yalvo/internal/command/terminal"
	"yalvo/internal/design"
)

func (a *app) lists() *cli.Command {
	return &cli.Command{
		Name: "lists", Category: "views", ArgsUsage: "[LIST [OF] [NAME=VALUE ...]]",
		Usage: "show a list of the design, or which there are",
		Flags: append(pageFlags(), liveFlag()),
		Description: flags.Example("yalvo lists\n   yalvo --as keeper lists everyone --marks liked,saved\n   " +
			"yalvo --as keeper lists saves keeper\n   yalvo lists flocks least=200"),
		Action: func(ctx context.Context, c *cli.Command) error {
			args, err := flags.Arguments(c, 0, -1)
			if err != nil {
				return err
			}
			o, err := a.Client(c).Outline(ctx)
			if err != nil {
				return err
			}
			if len(args) == 0 {
				return a.listLists(c, o.Lists)
			}
			of, rest := "", args[1:]
			if len(rest) > 0 && !strings.Contains(rest[0], "=") {
				if of, err = ofList(o, args[0], rest[0]); err != nil {
					return err
				}
				rest = rest[1:]
			}
			params := map[string]string{}
			for _, arg := range rest {
				name, value, is := strings.Cut(arg, "=")
				if _, twice := params[name]; !is || twice {
					return flags.Usage("%q is no NAME=VALUE, or given twice", arg)
				}
				params[name] = value
			}
			if c.Bool("live") {
				return watching(
					ctx,
					a.Client(c).FollowList(ctx, args[0], of, params, page(c), func(docs client.Documents) error {
						a.apart(c)
						return a.showList(c, args[0], docs)
					}),
				)
			}
			docs, err := a.Client(c).Named(ctx, args[0], of, params, page(c))
			if err != nil {
				return err
			}
			return a.showList(c, args[0], docs)
		},
	}
}

func (a *app) showList(c *cli.Command, name string, docs client.Documents) error {
	if c.Bool("json") {
		return a.JSON(docs)
	}
	return a.showDocuments(c, docs, "Nothing is in "+name+".")
}

// ofList is the key of the document that a list is asked for.
func ofList(o client.Outline, list, text string) (string, error) {
	for _, l := range o.Lists {
		if l.Name == list && l.Of != "" {
			return keyOf(o, l.Of, text)
		}
	}
	return text, nil
}

func (a *app) listLists(c *cli.Command, lists []client.ListOutline) error {
	if c.Bool("json") {
		return a.JSON(map[string]any{"lists": lists})
	}
	if len(lists) == 0 {
		a.Say("The design in force has no lists.")
		return nil
	}
	var rows []table.Row
	for _, l := range lists {
		rows = append(rows, table.Row{l.Name, l.Entries, l.Of, strings.Join(l.Order, ", "),
			strings.Join(l.Takes(), ", "), l.Serving.Index, l.Serving.Reads})
	}
	a.Table(listsHeader, rows)
	return nil
}

var listsHeader = table.Row{"list", "entries", "asked for one of", "order", "takes", "index", "reads besides"}

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
	a.Table(listsHeader, rows)
	if len(none) > 0 {
		a.Say("\nNo index can put these in order: %s. Each page reads all that the last column says.",
			strings.Join(none, ", "))
	}
}
