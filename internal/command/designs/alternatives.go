package designs

import (
	"context"
	"fmt"
	"strings"

	"github.com/jedib0t/go-pretty/v6/table"
	"github.com/urfave/cli/v3"

	"yalvo/internal/command/flags"
	"yalvo/internal/design/alternatives"
	"yalvo/internal/design/forecast"
)

func (a *app) alternatives() *cli.Command {
	return &cli.Command{
		Name: "weigh", Category: "design", ArgsUsage: "[FILE]",
		Usage: "say what each choice of a design costs, and what the other would: kept or looked up, written out " +
			"or collected",
		Description: flags.Example("yalvo weigh demo/fenwatch.yaml\n   " +
			"yalvo weigh demo/fenwatch.yaml --set workload.opened.home=0.5"),
		Flags: []cli.Flag{
			&cli.StringFlag{Name: "workload", Usage: "the workload in `FILE`, in place of that in the design"},
			shippedFlag(),
			&cli.StringSliceFlag{Name: "set", Usage: "a value in place of what the file has: `PATH=VALUE`"},
		},
		Action: func(ctx context.Context, c *cli.Command) error {
			args, err := flags.Arguments(c, 0, 1)
			if err != nil {
				return err
			}
			d, w, err := a.designAndWorkload(ctx, c, args)
			if err != nil {
				return err
			}
			rates, err := ratesOf(c)
			if err != nil {
				return err
			}
			all, deliveries := alternatives.Of(d, w, rates)
			if c.Bool("json") {
				return a.JSON(map[string]any{"alternatives": all, "deliveries": deliveries})
			}
			a.Say("What another choice saves in a day; below zero, what it costs more.\n")
			var rows []table.Row
			for _, alt := range all {
				rows = append(rows, table.Row{alt.Place, alt.Is, alt.Instead, seconds(alt.Saves.Processor),
					signed(alt.Saves.Rows),
					signed(alt.Saves.Documents), bytesSigned(alt.Saves.Stored)})
			}
			a.Table(table.Row{"where", "is", "instead", "processor", "rows", "looked up", "stored"}, rows, 4, 5, 6, 7)
			for _, d := range deliveries {
				a.showDelivery(d)
			}
			return nil
		},
	}
}

// showDelivery draws what it costs to get entries to their readers, by the threshold.
func (a *app) showDelivery(d forecast.Delivery) {
	if len(d.Curve) == 0 {
		return
	}
	a.Say("\n%s: getting entries to who reads them costs %s of a core in a day, %s at the best threshold, and %s "+
		"if each pair of an "+
		"author and a reader were decided by itself.\n", d.Timeline, seconds(d.Is), seconds(d.Best.Cost()),
		seconds(d.Optimum))
	most := 0.0
	for _, p := range d.Curve {
		most = max(most, p.Cost())
	}
	var rows []table.Row
	for i, p := range d.Curve {
		if len(d.Curve) > 16 && i%(len(d.Curve)/12) != 0 && i != len(d.Curve)-1 && p.Above != d.Best.Above {
			continue
		}
		mark := ""
		if p.Above == d.Best.Above {
			mark = "best"
		}
		rows = append(rows, table.Row{amount(p.Above), seconds(p.Push), seconds(p.Pull), strings.Repeat("▇",
			int(40*p.Cost()/max(most, 1e-12))) + " " + mark})
	}
	a.Table(table.Row{"collected above", "written", "collected", "both"}, rows, 1, 2, 3)
}

func seconds(x float64) string { return signed(x) + " s" }

func signed(x float64) string {
	if x < 0 {
		return "-" + amount(-x)
	}
	return amount(x)
}

func bytesSigned(x float64) string {
	if x < 0 {
		return fmt.Sprint("-", bytesOf(-x))
	}
	return bytesOf(x)
}
