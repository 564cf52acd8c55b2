package starting

import (
	"context"
	"fmt"
	"os"
	"path/filepath"
	"time"

	"github.com/jedib0t/go-pretty/v6/table"
	"github.com/urfave/cli/v3"

	"yalvo/internal/command/calibrating"
	"yalvo/internal/command/flags"
	"yalvo/internal/design/forecast"
)

// Calibrate is the command that measures what primitives cost here.
func Calibrate(shared *flags.App) *cli.Command {
	a := &app{shared}
	return &cli.Command{
		Name: "calibrate", Category: "design",
		Usage: "measure what a request, a row, an entry costs on this machine, for `yalvo forecast`; takes a minute",
		Description: "It starts a service on a database of its own, which goes again. What it measures is kept for " +
			"whoever " +
			"runs it.\n\n   " + flags.Example("yalvo calibrate\n   yalvo forecast demo/fenwatch.yaml"),
		Action: func(ctx context.Context, c *cli.Command) error {
			if _, err := flags.Arguments(c, 0, 0); err != nil {
				return err
			}
			folder := filepath.Join(filepath.Dir(dataFolder(false)), fmt.Sprintf("calibrating-%d", os.Getpid()))
			began := time.Now()
			rates, err := calibrating.Rates(ctx, folder, func(what string) {
				if flags.IsTerminal(a.Err) {
					fmt.Fprintf(a.Err, "\r\x1b[K%s", what)
				}
			})
			if flags.IsTerminal(a.Err) {
				fmt.Fprint(a.Err, "\r\x1b[K")
			}
			if err != nil {
				return err
			}
			name, err := calibrating.Keep(rates)
			if err != nil {
				return fmt.Errorf("the rates cannot be kept: %w", err)
			}
			if c.Bool("json") {
				return a.JSON(map[string]any{"rates": rates, "file": name})
			}
			a.showRates(rates)
			a.Say("\nMeasured in %.0f s, and kept in %s: forecasts use them from now on.",
				time.Since(began).Seconds(), name)
			return nil
		},
	}
}

func (a *app) showRates(r forecast.Rates) {
	var rows []table.Row
	s := forecast.Shipped
	for _, one := range []struct {
		what          string
		here, shipped float64
	}{
		{"a request, whatever it asks for", r.Request, s.Request},
		{"a question to PostgreSQL", r.Question, s.Question},
		{"a document that is gone through, to put a list in order", r.Passed, s.Passed},
		{"a thousand bytes of an answer that are packed", r.Packing, s.Packing},
		{"a document that is read and sent", r.Document, s.Document},
		{"one that is looked up for a rule or a mark", r.Asked, s.Asked},
		{"an author collected from when a timeline is read", r.Collect, s.Collect},
		{"a fact that is written, durably", r.Write, s.Write},
		{"a row beside it", r.Note, s.Note},
		{"a kept value that is rewritten", r.Kept, s.Kept},
		{"an entry of a timeline", r.Entry, s.Entry},
	} {
		rows = append(rows, table.Row{one.what, fmt.Sprintf("%.1f", one.here), fmt.Sprintf("%.1f", one.shipped)})
	}
	a.Say("Processor time, of service and PostgreSQL together, in microseconds; %s:\n", r.From)
	a.Table(table.Row{"what", "here", "shipped"}, rows, 2, 3)
	a.Say("\nUpkeep begins after %.0f ms (%.0f), and a great fan-out writes %.0f entries a second (%.0f).",
		r.Begin, s.Begin,
		r.EntriesASecond, s.EntriesASecond)
}
