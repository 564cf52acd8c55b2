package designs

import (
	"context"
	"fmt"
	"strings"

	"github.com/jedib0t/go-pretty/v6/table"
	"github.com/urfave/cli/v3"

	"yalvo/internal/command/flags"
	"yalvo/internal/design"
	"yalvo/internal/design/alternatives"
	"yalvo/internal/design/forecast"
)

func (a *app) alternatives() *cli.Command {
	return &cli.Command{
		Name: "weigh", Category: "design", ArgsUsage: "[FILE]",
		Usage: "say what each choice of a design costs, and what the other would: kept or looked up, written out " +
			"or collected",
		Description: flags.Example("yalvo weigh demo/fenwatch.yaml\n   " +
			"yalvo weigh demo/fenwatch.yaml --set workload.opened.home=0.5\n   " +
			"yalvo weigh demo/fenwatch.yaml --take home:pull --patch"),
		Flags: []cli.Flag{
			&cli.StringFlag{Name: "workload", Usage: "the workload in `FILE`, in place of that in the design"},
			shippedFlag(),
			&cli.StringSliceFlag{Name: "set", Usage: "a value in place of what the file has: `PATH=VALUE`"},
			&cli.StringFlag{Name: "take", Usage: "write another choice into the file, that of `PLACE`; of several " +
				"PLACE:WORD, by the first word of what is instead"},
			patchFlag(),
		},
		Action: func(ctx context.Context, c *cli.Command) error {
			args, err := flags.Arguments(c, 0, 1)
			if err != nil {
				return err
			}
			if err := mayTake(c, args); err != nil {
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
			if c.String("take") != "" {
				return a.take(c, args, d, all)
			}
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

// mayTake sees that a choice can be written where it is to be.
func mayTake(c *cli.Command, files []string) error {
	take := c.String("take") != ""
	switch {
	case !take && c.Bool("patch"):
		return flags.Usage("--patch says what --take would write: name a choice with that")
	case take && (len(files) == 0 || files[0] == "-"):
		return flags.Usage("--take writes into a file: name it")
	case take && len(c.StringSlice("set")) > 0:
		return flags.Usage("--take writes into the file as it is: leave --set out")
	}
	return nil
}

// take writes another choice into a design's file.
func (a *app) take(c *cli.Command, files []string, d *design.Design, all []alternatives.Alternative) error {
	place, word, one := strings.Cut(c.String("take"), ":")
	var fit []alternatives.Alternative
	var words []string
	for _, alt := range all {
		if alt.Place == place && len(alt.Edits) > 0 {
			first := firstWord(alt.Instead)
			if words = append(words, place+":"+first); !one || first == word {
				fit = append(fit, alt)
			}
		}
	}
	switch {
	case len(words) == 0:
		return fmt.Errorf("there is no other choice to write for %q: `yalvo weigh %s` lists them", place, files[0])
	case len(fit) != 1:
		return flags.Usage("say which: --take %s", strings.Join(words, ", or --take "))
	}
	after, err := alternatives.Amended(d.Source, fit[0].Edits)
	if err != nil {
		return err
	}
	done := fmt.Sprintf("%s in %s: %s.", place, files[0], fit[0].Instead)
	if fit[0].Note != "" {
		done += fmt.Sprintf(" Mind that %s.", fit[0].Note)
	}
	return a.edited(c, files[0], d.Source, after, done)
}

func firstWord(text string) string {
	return strings.TrimRight(strings.Fields(text)[0], ":,")
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
