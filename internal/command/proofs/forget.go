package proofs

import (
	"context"
	"fmt"
	"time"

	"github.com/jedib0t/go-pretty/v6/table"
	"github.com/urfave/cli/v3"

	"yalvo/internal/command/flags"
	"yalvo/internal/command/terminal"
)

func (a *app) forget() *cli.Command {
	return &cli.Command{
		Name: "forget", Category: "proof", ArgsUsage: "DOCUMENT",
		Usage: "remove a document with every copy of what it said, and search for the rest",
		Flags: flags.AnnounceFlags(),
		Description: flags.Example("yalvo forget arno_moordale --dry-run\n   yalvo forget arno_moordale --yes") +
			"\n\nExits with 4 if something of it is left.",
		Action: func(ctx context.Context, c *cli.Command) error {
			path, err := a.OnePath(ctx, c)
			if err != nil {
				return err
			}
			if goOn, err := a.Announce(ctx, c, path, "forget"); err != nil || !goOn {
				return err
			}
			begun, err := a.Client(c).Forget(ctx, path)
			if err != nil {
				return err
			}
			f, err := a.Client(c).AwaitForgotten(ctx, begun.ID)
			if err != nil {
				return fmt.Errorf("it goes on, under number %d: %w", begun.ID, err)
			}
			if c.Bool("json") {
				err = a.JSON(f)
			} else {
				a.Say("%s is forgotten, %s after its removal (position %d).\n", f.Document,
					f.Ended.Sub(f.Started).Round(time.Millisecond), f.Change)
				var rows []table.Row
				for _, r := range f.Removed {
					rows = append(rows, table.Row{"removed", r.Where, terminal.Count(r.Many)})
				}
				for _, p := range f.Places {
					rows = append(rows, table.Row{"was duplicated to", p.Where, terminal.Count(p.Many)})
				}
				rows = append(rows, table.Row{"dropped", "kept answers to requests", terminal.Count(f.Answers)},
					table.Row{"dropped", "events of triggers", terminal.Count(f.Events)},
					table.Row{"stays", "lines of the journal with its path, without values", terminal.Count(f.Journal)})
				for _, l := range f.Left {
					rows = append(rows, table.Row{"STILL THERE", l.Where, terminal.Count(l.Many)})
				}
				a.Table(table.Row{"", "where", "many"}, rows, 3)
				if len(f.Left) == 0 {
					fmt.Fprintln(a.Out, "\nA search of every table has found nothing of it.")
				}
			}
			if err == nil && len(f.Left) > 0 {
				err = ErrDrift
			}
			return err
		},
	}
}
