package designs

import (
	"context"
	"errors"
	"math/rand/v2"
	"time"

	"github.com/jedib0t/go-pretty/v6/table"
	"github.com/schollz/progressbar/v3"
	"github.com/urfave/cli/v3"

	"yalvo/internal/command/driving"
	"yalvo/internal/command/flags"
	"yalvo/internal/design"
)

func (a *app) drive() *cli.Command {
	return &cli.Command{
		Name: "drive", Category: "design", ArgsUsage: "[FILE]",
		Usage: "do to a running app what a workload says is done: it writes made-up facts",
		Description: "FILE is the design with the workload; without it, the design in force.\n\n   " +
			flags.Example("yalvo drive demo/fenwatch.yaml --deeds 5000 --seed 7\n   "+
				"yalvo forecast demo/fenwatch.yaml --against"),
		Flags: []cli.Flag{
			&cli.IntFlag{Name: "deeds", Usage: "so much is done", Value: 1000},
			&cli.IntFlag{Name: "side-by-side", Usage: "so much at the same time", Value: 4},
			&cli.FloatFlag{Name: "per-second", Usage: "no more than that a second; 0: as fast as it goes"},
			&cli.Uint64Flag{Name: "seed", Usage: "what chance begins with; 0: another each time"},
			&cli.StringFlag{Name: "workload", Usage: "the workload in `FILE`, in place of that in the design"},
		},
		Action: func(ctx context.Context, c *cli.Command) error {
			args, err := flags.Arguments(c, 0, 1)
			if err != nil {
				return err
			}
			deeds, beside := c.Int("deeds"), c.Int("side-by-side")
			if deeds < 1 || beside < 1 || beside > mostBeside || !(c.Float("per-second") >= 0) {
				return flags.Usage("--deeds and --side-by-side are 1 or more (%d at most side by side), "+
					"--per-second 0 "+
					"or more", mostBeside)
			}
			d, w, err := a.designAndWorkload(ctx, c, args)
			if err != nil {
				return err
			}
			return a.driveApp(ctx, c, d, w)
		},
	}
}

// mostBeside is how much is done at the same time at most.
const mostBeside = 200

func (a *app) driveApp(ctx context.Context, c *cli.Command, d *design.Design, w *design.Workload) error {
	if driving.NewScript(w).Empty() {
		return errors.New("the workload says of nothing how often it is done: say so under `opened` and `done`")
	}
	seed := c.Uint64("seed")
	if seed == 0 {
		seed = rand.Uint64()
	}
	driver, err := driving.New(ctx, d, w, a.Client(c), seed)
	if err != nil {
		return err
	}
	deeds := c.Int("deeds")
	bar := progressbar.NewOptions(deeds, progressbar.OptionSetWriter(a.Err), progressbar.OptionSetWidth(30),
		progressbar.OptionSetDescription("driving"), progressbar.OptionClearOnFinish(),
		progressbar.OptionSetVisibility(flags.IsTerminal(a.Err)))
	began := time.Now()
	err = driver.Drive(ctx, deeds, c.Int("side-by-side"), c.Float("per-second"), func() { _ = bar.Add(1) })
	took := time.Since(began)
	outcomes := driver.Outcomes()
	if c.Bool("json") {
		return errors.Join(err, a.JSON(map[string]any{"seed": seed, "seconds": took.Seconds(), "done": outcomes}))
	}
	a.showOutcomes(outcomes, took, seed)
	return err
}

func (a *app) showOutcomes(all []driving.Outcome, took time.Duration, seed uint64) {
	times := 0
	var rows []table.Row
	for _, o := range all {
		mean := "–"
		if o.Times > 0 {
			mean = lasting(o.Took.Seconds() / float64(o.Times))
		}
		times += o.Times
		rows = append(rows, table.Row{o.Name, o.Times, o.Overrule, o.Refused, o.Skipped, mean, o.Why})
	}
	a.Say("%s deeds in %s, %s a second; seed %d.\n", amount(float64(times)), lasting(took.Seconds()),
		amount(float64(times)/max(took.Seconds(), 1e-3)), seed)
	a.Table(table.Row{"what", "done", "of these by the operator", "refused", "not there", "each took", "refused last"},
		rows, 2, 3, 4, 5, 6)
	a.Say("\nWhat rules refuse to the account that was chosen is done by the operator, so that the mix is as stated.")
}
