package designs

import (
	"context"
	"fmt"
	"path/filepath"
	"strings"
	"time"

	"github.com/jedib0t/go-pretty/v6/table"
	"github.com/urfave/cli/v3"

	"yalvo/client"
	"yalvo/internal/command/flags"
	"yalvo/internal/command/terminal"
)

func (a *app) diff() *cli.Command {
	return &cli.Command{
		Name: "diff", Category: "design", ArgsUsage: "FILE",
		Usage:       "say what a design file would change, and what that does to what is stored; changes nothing",
		Description: flags.Example("yalvo diff demo/fenwatch-2.yaml"),
		Action: func(ctx context.Context, c *cli.Command) error {
			args, err := flags.Arguments(c, 1, 1)
			if err != nil {
				return err
			}
			_, source, err := a.readDesign(c, args[0])
			if err != nil {
				return err
			}
			d, err := a.Client(c).Diff(ctx, filepath.Base(args[0]), source)
			if err != nil {
				return err
			}
			if c.Bool("json") {
				return a.JSON(d)
			}
			a.printDifference(d)
			return nil
		},
	}
}

// printDifference says what differs and what that does to what is stored.
func (a *app) printDifference(d client.Difference) {
	if len(d.Changes) == 0 {
		a.Say("Nothing differs from version %d.", d.Base)
		return
	}
	if d.Base > 0 {
		a.Say("Compared with version %d, which is in force:\n", d.Base)
	}
	var rows []table.Row
	var unfit []table.Row
	for _, c := range d.Changes {
		effects := []string{}
		for _, e := range c.Effects {
			effects = append(effects, effectInWords(c.Kind, e))
			for _, x := range e.Examples {
				unfit = append(unfit, table.Row{c.Name, x.Path, x.Detail})
			}
		}
		rows = append(rows, table.Row{c.Kind, c.Name, howInWords(c.How, c.Was, c.What), strings.Join(effects, "; ")})
	}
	a.Table(table.Row{"", "name", "change", "what it does to what is stored"}, rows)
	if len(unfit) > 0 {
		a.Say("\nThese would not fit, among others. They stay as they are, can be read, and " +
			"are listed by `yalvo misfits`:\n")
		a.Table(table.Row{"field", "document", "why"}, unfit)
	}
	if d.Seconds > 0 {
		a.Say("\nAbout %s of work in the background, at the rates just measured. The app goes on meanwhile%s.",
			inSeconds(d.Seconds), meanwhile(d.Steps))
	}
	if len(d.Drops) > 0 {
		a.Say("\nFacts would be LOST: apply it with --drop %s", strings.Join(d.Drops, " --drop "))
	}
}

func howInWords(how, was string, what []string) string {
	s := how
	if was != "" {
		s += " from " + was
	}
	if len(what) > 0 {
		s += ": " + strings.Join(what, ", ")
	}
	return s
}

func effectInWords(kind string, e client.Effect) string {
	of := terminal.Many(int(e.Many), "document")
	switch kind {
	case "timeline":
		of = terminal.Count(e.Many) + " entries"
	case "pair":
		of = terminal.Many(int(e.Many), "pair")
	}
	values := terminal.Many(int(e.Many), "value")
	if kind == "field" && e.Does == "drop" {
		of = values
	}
	s := map[string]string{
		"fill": "the default for " + of, "carry": values + " under the new name", "convert": values + " to convert",
		"check": of + " to look at", "rebuild": "derived anew: " + of, "index": "an index over " + of,
		"redeliver": terminal.Many(int(e.Many), "author") + " to look at", "retract": "taken out; it can be " +
			"derived again",
		"drop": of + " LOST",
	}[e.Does]
	if e.Unfit > 0 {
		s += fmt.Sprintf(", of which %s do not fit", terminal.Count(e.Unfit))
	}
	return s
}

// meanwhile says what readers do not see until the steps are done.
func meanwhile(steps []client.PlannedStep) string {
	var hidden, collected []string
	for _, s := range steps {
		switch {
		case s.Aspect == "contribution":
		case s.Shows == "hidden":
			hidden = append(hidden, s.Name)
		case s.Shows == "collected":
			collected = append(collected, s.Name)
		}
	}
	out := ""
	if len(hidden) > 0 {
		out += ", without " + strings.Join(hidden, ", ")
	}
	if len(collected) > 0 {
		out += ", with " + strings.Join(collected, ", ") + " collected when it is read"
	}
	return out
}

func inSeconds(s float64) string {
	d := time.Duration(s * float64(time.Second))
	if d < time.Second {
		return "a second"
	}
	return d.Round(time.Second).String()
}
