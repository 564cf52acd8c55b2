package designs

import (
	"context"
	"encoding/csv"
	"fmt"
	"time"

	"github.com/jedib0t/go-pretty/v6/table"
	"github.com/urfave/cli/v3"

	"yalvo/client"
	"yalvo/internal/command/flags"
)

func (a *app) metered() *cli.Command {
	return &cli.Command{
		Name: "metered", Category: "design",
		Usage: "show what was really read and written: by screen, read, action and duplicate",
		Description: flags.Example("yalvo metered\n   yalvo metered --hours 720 --by-hour --csv > a-month.csv\n   " +
			"yalvo forecast demo/fenwatch.yaml --against"),
		Flags: []cli.Flag{hoursFlag(),
			&cli.BoolFlag{Name: "by-hour", Usage: "each hour by itself"},
			&cli.BoolFlag{Name: "csv", Usage: "a line for each"},
		},
		Action: func(ctx context.Context, c *cli.Command) error {
			if _, err := flags.Arguments(c, 0, 0); err != nil {
				return err
			}
			got, err := a.Client(c).Metered(ctx, c.Int("hours"), c.Bool("by-hour"))
			if err != nil {
				return err
			}
			switch {
			case c.Bool("json"):
				return a.JSON(got)
			case c.Bool("csv"):
				return a.meteredCSV(got)
			}
			a.showMetered(got)
			return nil
		},
	}
}

func hoursFlag() cli.Flag {
	return &cli.IntFlag{Name: "hours", Usage: "by so many last hours, this one among them", Value: 24}
}

func (a *app) showMetered(got client.Metered) {
	if len(got.Metered) == 0 {
		a.Say("Nothing was read or written since %s.", got.From.Local().Format(time.DateTime))
		return
	}
	a.Say("Since %s:\n", got.From.Local().Format(time.DateTime))
	var rows []table.Row
	for _, m := range got.Metered {
		row := table.Row{m.Kind, m.Name, many(m.Times), many(m.Unchanged), many(m.Documents), many(m.Pairs),
			many(m.Entries), many(m.Kept), many(m.Sent), bytesOf(float64(m.Bytes))}
		if m.Hour != nil {
			row = append(table.Row{m.Hour.Local().Format("01-02 15:04")}, row...)
		}
		rows = append(rows, row)
	}
	head, from := table.Row{"kind", "name", "times", "unchanged", "documents", "pairs", "entries", "rewritten", "sent",
		"bytes"}, 3
	if got.Metered[0].Hour != nil {
		head, from = append(table.Row{"hour"}, head...), 4
	}
	a.Table(head, rows, from, from+1, from+2, from+3, from+4, from+5, from+6, from+7)
}

// many writes a count, and nothing for none, so that the eye finds what there is.
func many(n int64) string {
	if n == 0 {
		return ""
	}
	return amount(float64(n))
}

func (a *app) meteredCSV(got client.Metered) error {
	out := csv.NewWriter(a.Out)
	lines := [][]string{{"hour", "kind", "name", "times", "unchanged", "documents", "pairs", "entries", "kept", "sent",
		"bytes"}}
	for _, m := range got.Metered {
		hour := ""
		if m.Hour != nil {
			hour = m.Hour.UTC().Format(time.RFC3339)
		}
		line := []string{hour, m.Kind, m.Name}
		for _, n := range []int64{m.Times, m.Unchanged, m.Documents, m.Pairs, m.Entries, m.Kept, m.Sent, m.Bytes} {
			line = append(line, fmt.Sprint(n))
		}
		lines = append(lines, line)
	}
	return out.WriteAll(lines)
}
