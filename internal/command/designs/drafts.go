package designs

import (
	"context"
	"fmt"
	"os"
	"time"

	"github.com/jedib0t/go-pretty/v6/table"
	"github.com/urfave/cli/v3"

	"yalvo/client"
	"yalvo/internal/command/flags"
	"yalvo/internal/command/terminal"
)

// drafts lists designs that somebody works on, prints one, keeps a file as one, or drops one.
func (a *app) drafts() *cli.Command {
	return &cli.Command{
		Name: "drafts", Category: "design", ArgsUsage: "[NAME]",
		Usage: "list the designs that are being worked on; print one, keep a file as one, drop one",
		Description: flags.Example("yalvo drafts\n   yalvo drafts autumn-cards --keep demo/fenwatch.yaml\n   " +
			"yalvo drafts autumn-cards\n   yalvo drafts autumn-cards --drop"),
		Flags: []cli.Flag{
			&cli.StringFlag{Name: "keep", Usage: "keep `FILE` as this draft"},
			&cli.Int64Flag{Name: "edition", Usage: "with --keep: in place of this edition, " +
				"if nobody has kept it since"},
			&cli.StringFlag{Name: "by", Usage: "with --keep: `WHO` keeps it, for the record"},
			&cli.BoolFlag{Name: "drop", Usage: "forget this draft"},
		},
		Action: func(ctx context.Context, c *cli.Command) error {
			args, err := flags.Arguments(c, 0, 1)
			if err != nil {
				return err
			}
			switch {
			case c.IsSet("keep") && c.Bool("drop"):
				return flags.Usage("--keep and --drop do not go together")
			case len(args) == 0 && (c.IsSet("keep") || c.Bool("drop")):
				return flags.Usage("name the draft, as in `yalvo drafts autumn-cards --drop`")
			case len(args) == 0:
				return a.listDrafts(ctx, c)
			case c.IsSet("keep"):
				return a.keepDraft(ctx, c, args[0])
			case c.Bool("drop"):
				return a.dropDraft(ctx, c, args[0])
			}
			return a.printDraft(ctx, c, args[0])
		},
	}
}

func (a *app) listDrafts(ctx context.Context, c *cli.Command) error {
	all, err := a.Client(c).Drafts(ctx)
	if err != nil {
		return err
	}
	if c.Bool("json") {
		return a.JSON(map[string]any{"drafts": all})
	}
	if len(all) == 0 {
		a.Say("There are no drafts: `yalvo drafts NAME --keep FILE` keeps one, and the console begins them.")
		return nil
	}
	var rows []table.Row
	for _, d := range all {
		rows = append(rows, table.Row{d.Name, d.Edition, d.Base, d.Changed.Local().Format(time.DateTime), d.Author,
			terminal.Count(int64(d.Bytes))})
	}
	a.Table(table.Row{"draft", "edition", "from version", "kept", "by", "bytes"}, rows, 2, 3, 6)
	return nil
}

func (a *app) printDraft(ctx context.Context, c *cli.Command, name string) error {
	d, err := a.Client(c).Draft(ctx, name)
	if err != nil {
		return err
	}
	if c.Bool("json") {
		return a.JSON(d)
	}
	_, err = fmt.Fprint(a.Out, d.Source)
	return err
}

func (a *app) keepDraft(ctx context.Context, c *cli.Command, name string) error {
	source, err := os.ReadFile(c.String("keep"))
	if err != nil {
		return err
	}
	d, err := a.Client(c).KeepDraft(ctx, client.Draft{Name: name, Edition: c.Int64("edition"), Base: -1,
		Source: string(source), Author: c.String("by")})
	if err != nil {
		return err
	}
	if c.Bool("json") {
		return a.JSON(d)
	}
	a.Say("Draft %s is kept, as edition %d. The console shows it at /design/drafts/%s.", d.Name, d.Edition, d.Name)
	return nil
}

func (a *app) dropDraft(ctx context.Context, c *cli.Command, name string) error {
	if err := a.Client(c).DropDraft(ctx, name, c.Int64("edition")); err != nil {
		return err
	}
	if c.Bool("json") {
		return a.JSON(map[string]any{"dropped": name})
	}
	a.Say("Draft %s is gone.", name)
	return nil
}
