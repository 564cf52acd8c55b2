package flags

import (
	"bufio"
	"context"
	"fmt"
	"os"
	"strings"

	"github.com/jedib0t/go-pretty/v6/table"
	"github.com/urfave/cli/v3"

	"yalvo/client"
	"yalvo/internal/command/terminal"
)

// muchHangs is from how many documents, pairs and copies on a person is asked
// before they go.
const muchHangs = 10

// AnnounceFlags are the flags of commands that announce what goes: see [App.Announce].
func AnnounceFlags() []cli.Flag {
	return []cli.Flag{
		&cli.BoolFlag{Name: "dry-run", Usage: "only say what hangs on it"},
		&cli.BoolFlag{Name: "yes", Usage: "do not ask, however much hangs on it"},
	}
}

// Announce says what hangs on a document before it goes. Of one that much hangs on, it asks on
// a terminal whether it shall, and refuses elsewhere. It tells whether to go on.
func (a *App) Announce(ctx context.Context, c *cli.Command, path, verb string) (bool, error) {
	dry := c.Bool("dry-run")
	if !dry && c.Bool("yes") {
		return true, nil
	}
	r, err := a.Client(c).Removal(ctx, path)
	if err != nil {
		return false, err
	}
	if dry && c.Bool("json") {
		return false, a.JSON(r)
	}
	many := int64(0)
	for _, f := range append(r.Documents, r.Pairs...) {
		many += f.Many
	}
	for _, p := range r.Places {
		many += p.Many
	}
	if !dry && many < muchHangs {
		return true, nil
	}
	if !dry && !a.Interactive(c) {
		return false, fmt.Errorf("%s stays as it is: %s documents, pairs and copies hang on it. --dry-run says which, "+
			"--yes does it all the same", r.Document, terminal.Count(many))
	}
	a.hanging(r)
	if dry {
		return false, nil
	}
	fmt.Fprintf(a.Out, "\n%s %s? [y/N] ", strings.ToUpper(verb[:1])+verb[1:], r.Document)
	answer, err := bufio.NewReader(c.Root().Reader).ReadString('\n')
	if yes := strings.ToLower(strings.TrimSpace(answer)); err != nil || yes != "y" && yes != "yes" {
		return false, fmt.Errorf("%s stays as it is", r.Document)
	}
	return true, nil
}

// Interactive tells whether somebody sits at the terminal who can be asked.
func (a *App) Interactive(c *cli.Command) bool {
	in, is := c.Root().Reader.(*os.File)
	return is && IsTerminal(in) && IsTerminal(a.Terminal)
}

func (a *App) hanging(r client.Removal) {
	if len(r.Documents)+len(r.Pairs)+len(r.Places) == 0 {
		a.Say("Nothing hangs on %s.", r.Document)
		return
	}
	more := ""
	if r.More {
		more = " or more"
	}
	a.Say("With %s go:\n", r.Document)
	var rows []table.Row
	for _, f := range r.Documents {
		rows = append(rows, table.Row{"documents", f.Where, terminal.Count(f.Many) + more})
	}
	for _, f := range r.Pairs {
		rows = append(rows, table.Row{"pairs", f.Where, terminal.Count(f.Many) + more})
	}
	for _, p := range r.Places {
		rows = append(rows, table.Row{"copies of it", p.Where, terminal.Count(p.Many)})
	}
	a.Table(table.Row{"", "where", "many"}, rows, 3)
}
