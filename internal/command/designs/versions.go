package designs

import (
	"context"
	"fmt"
	"strings"
	"time"

	"github.com/jedib0t/go-pretty/v6/table"
	"github.com/urfave/cli/v3"

	"yalvo/client"
	"yalvo/internal/command/flags"
	"yalvo/internal/command/terminal"
)

func (a *app) versions() *cli.Command {
	return &cli.Command{
		Name: "versions", Category: "design", ArgsUsage: "[VERSION]",
		Usage:       "list the versions of the design; of one, what it did and how far that has come",
		Description: flags.Example("yalvo versions\n   yalvo versions 1"),
		Action: func(ctx context.Context, c *cli.Command) error {
			args, err := flags.Arguments(c, 0, 1)
			if err != nil {
				return err
			}
			if len(args) == 1 {
				return a.oneVersion(ctx, c, args[0])
			}
			all, err := a.Client(c).Versions(ctx, 100)
			if err != nil {
				return err
			}
			if c.Bool("json") {
				return a.JSON(all)
			}
			var rows []table.Row
			for _, v := range all {
				rows = append(rows, table.Row{v.Version, v.Applied.Local().Format(time.DateTime), v.Author, v.File,
					changesInWords(v), progressInWords(v)})
			}
			a.Table(table.Row{"version", "applied", "by", "file", "changed", "what it asked for"}, rows, 1)
			return nil
		},
	}
}

func changesInWords(v client.Version) string {
	if v.Version == 1 {
		return "the first"
	}
	if len(v.Changes) == 0 {
		return "the wording"
	}
	if len(v.Changes) > 3 {
		return terminal.Many(len(v.Changes), "thing")
	}
	var names []string
	for _, c := range v.Changes {
		names = append(names, c.Name)
	}
	return strings.Join(names, ", ")
}

func progressInWords(v client.Version) string {
	switch {
	case len(v.Steps) == 0:
		return "nothing"
	case v.Done:
		return "done"
	}
	return fmt.Sprintf("%.0f %%", v.Progress()*100)
}

func (a *app) oneVersion(ctx context.Context, c *cli.Command, text string) error {
	n, err := versionIn(text)
	if err != nil {
		return err
	}
	v, err := a.Client(c).Version(ctx, n)
	if err != nil {
		return err
	}
	if c.Bool("json") {
		return a.JSON(v)
	}
	by := ""
	if v.Author != "" {
		by = " by " + v.Author
	}
	a.Say("Version %d, put in force %s%s from %s.", v.Version, v.Applied.Local().Format(time.DateTime), by, v.File)
	if len(v.Changes) > 0 {
		var rows []table.Row
		for _, change := range v.Changes {
			rows = append(rows, table.Row{change.Kind, change.Name, howInWords(change.How, change.Was, change.What)})
		}
		fmt.Fprintln(a.Out)
		a.Table(table.Row{"", "name", "change"}, rows)
	}
	if len(v.Steps) == 0 {
		a.Say("\nIt asked for nothing to be done to what was stored.")
		return nil
	}
	var rows []table.Row
	for _, s := range v.Steps {
		rows = append(rows, table.Row{s.Does, s.Name, s.Aspect, s.State, terminal.Count(s.Rows),
			terminal.Count(s.Total),
			terminal.Count(s.Written),
			fmt.Sprintf("%.1f s", s.Seconds)})
	}
	fmt.Fprintln(a.Out)
	a.Table(table.Row{"step", "of", "", "state", "gone over", "of", "changed", "took"}, rows, 5, 6, 7, 8)
	for _, s := range v.Steps {
		if s.Error != "" {
			a.Say("\n%s %s does not get on, and is tried again and again: %s", s.Does, s.Name, s.Error)
		}
	}
	return nil
}
