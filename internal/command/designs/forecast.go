package designs

import (
	"bytes"
	"context"
	"encoding/csv"
	"errors"
	"fmt"
	"io"
	"math"
	"os"
	"path/filepath"
	"strings"

	"github.com/jedib0t/go-pretty/v6/table"
	"github.com/urfave/cli/v3"

	"yalvo/internal/command/calibrating"
	"yalvo/internal/command/charts"
	"yalvo/internal/command/flags"
	"yalvo/internal/command/terminal"
	"yalvo/internal/design"
	"yalvo/internal/design/forecast"
	"yalvo/internal/design/language"
	"yalvo/internal/design/plan"
)

func (a *app) forecast() *cli.Command {
	return &cli.Command{
		Name: "forecast", Category: "design", ArgsUsage: "[FILE]",
		Usage: "say what a design costs under its workload, before it is built; with FILE it needs no service",
		Description: flags.Example("yalvo forecast demo/fenwatch.yaml\n   yalvo forecast demo/fenwatch.yaml " +
			"--times 100\n   " +
			"yalvo forecast demo/fenwatch.yaml --set timelines.home.deliver=pull --set workload.opened.home=20"),
		Flags: []cli.Flag{
			&cli.StringFlag{Name: "workload", Usage: "the workload in `FILE`, in place of that in the design"},
			&cli.StringSliceFlag{Name: "set", Usage: "a value in place of what the file has: `PATH=VALUE`"},
			&cli.FloatFlag{Name: "times", Usage: "so many times as many accounts", Value: 1},
			&cli.StringFlag{Name: "beside", Usage: "the forecast of the design in `FILE` beside it, or of that in " +
				"force: " + inForce},
			shippedFlag(),
			&cli.BoolFlag{Name: "against", Usage: "beside what the running app has really read and written"},
			hoursFlag(),
			&cli.StringFlag{Name: "report", Usage: "draw it in `FILE`, a .svg or a .png"},
			&cli.BoolFlag{Name: "csv", Usage: "a line for each screen, action and thing that is stored"},
		},
		Action: func(ctx context.Context, c *cli.Command) error {
			args, err := flags.Arguments(c, 0, 1)
			if err != nil {
				return err
			}
			times := c.Float("times")
			if !(times > 0 && times <= forecast.MostScale) {
				return flags.Usage("--times is more than 0, and %d at most", forecast.MostScale)
			}
			d, w, err := a.designAndWorkload(ctx, c, args)
			if err != nil {
				return err
			}
			p := plan.New(d, plan.Counted())
			rates, err := ratesOf(c)
			if err != nil {
				return err
			}
			if c.Bool("against") {
				return a.against(ctx, c, forecast.New(p, w, rates))
			}
			f := forecast.Make(p, w, rates, times)
			if c.String("beside") != "" {
				return a.beside(ctx, c, f, rates)
			}
			if c.String("report") != "" {
				return a.report(c, d, p, charts.Drawn{Forecast: f, Workload: w, Rates: rates})
			}
			breaks := forecast.Breaks(p, w, rates, forecast.Usual)
			switch {
			case c.Bool("json"):
				return a.JSON(map[string]any{"forecast": f, "breaks": breaks, "rates": rates})
			case c.Bool("csv"):
				return a.forecastCSV(f)
			}
			a.showForecast(f, breaks, rates)
			return nil
		},
	}
}

// report draws a forecast in a file.
func (a *app) report(c *cli.Command, d *design.Design, p *plan.Plan, drawn charts.Drawn) error {
	file := c.String("report")
	write := map[string]func(charts.Drawn, io.Writer) error{".svg": charts.SVG, ".png": charts.PNG}[strings.ToLower(
		filepath.Ext(file))]
	if write == nil {
		return flags.Usage("--report draws an .svg or a .png, by the name of its file: not %q", file)
	}
	drawn.Title = fmt.Sprintf("%s, forecast for %s accounts", d.App, amount(drawn.Forecast.Accounts))
	for _, t := range p.Timelines {
		drawn.Deliveries = append(drawn.Deliveries, forecast.DeliveryOf(p, drawn.Workload, drawn.Rates, t))
	}
	drawn.Growth = forecast.Grow(p, drawn.Workload, drawn.Rates, forecast.Usual)
	var picture bytes.Buffer
	if err := write(drawn, &picture); err != nil {
		return err
	}
	if err := os.WriteFile(file, picture.Bytes(), 0o644); err != nil {
		return fmt.Errorf("the report cannot be written: %w", err)
	}
	if c.Bool("json") {
		return a.JSON(map[string]any{"written": file})
	}
	a.Say("The forecast is drawn in %s.", file)
	return nil
}

// designAndWorkload are the design in a file, or the one in force if none is named, and its workload.
func (a *app) designAndWorkload(ctx context.Context, c *cli.Command, files []string) (*design.Design,
	*design.Workload, error) {
	settings, err := settingsIn(c.StringSlice("set"))
	if err != nil {
		return nil, nil, err
	}
	var d *design.Design
	if len(files) > 0 {
		d, err = a.readDesignWith(c, files[0], settings)
	} else {
		d, err = a.designInForce(ctx, c, settings)
	}
	if err != nil {
		return nil, nil, err
	}
	w := d.Workload
	if beside := c.String("workload"); beside != "" {
		source, err := flags.Contents(c, beside)
		if err != nil {
			return nil, nil, fmt.Errorf("the workload cannot be read: %w", err)
		}
		if w, err = language.ReadWorkload(beside, source, d); err != nil {
			return nil, nil, a.problems(c, beside, err)
		}
	}
	if w == nil {
		return nil, nil, errors.New("nothing is known of how much the app is used: say so under `workload` in the " +
			"design, or " +
			"with --workload FILE")
	}
	if d.Accounts == nil {
		return nil, nil, errors.New("a workload is about accounts, and the design has none")
	}
	return d, w, nil
}

// designInForce is the design of the running app.
func (a *app) designInForce(ctx context.Context, c *cli.Command, settings []language.Setting) (*design.Design, error) {
	source, err := a.Client(c).Design(ctx)
	if err != nil {
		return nil, err
	}
	d, err := language.ReadWith("the design in force", source, settings)
	if err != nil {
		return nil, a.problems(c, "the design in force", err)
	}
	return d, nil
}

func shippedFlag() cli.Flag {
	return &cli.BoolFlag{Name: "shipped-rates", Usage: "work processor time out with the shipped figures, not " +
		"those that " +
		"`yalvo calibrate` has measured here"}
}

// ratesOf are the rates that were measured on this machine, or those that are shipped.
func ratesOf(c *cli.Command) (forecast.Rates, error) {
	if c.Bool("shipped-rates") {
		return forecast.Shipped, nil
	}
	return calibrating.Kept()
}

func settingsIn(args []string) ([]language.Setting, error) {
	var all []language.Setting
	for _, arg := range args {
		path, value, is := strings.Cut(arg, "=")
		if !is || path == "" {
			return nil, flags.Usage("%q is no PATH=VALUE", arg)
		}
		all = append(all, language.Setting{Path: path, Value: value})
	}
	return all, nil
}

func (a *app) showForecast(f forecast.Forecast, breaks []forecast.Break, rates forecast.Rates) {
	a.Say("%s accounts. A day: %s requests, %s documents read, %s facts and %s rows of upkeep written. A second of "+
		"the busiest "+
		"hour: %s requests, %s writes, %s of a core.", amount(f.Accounts), amount(f.Day.Requests),
		amount(f.Day.Read.Documents),
		amount(f.Day.Direct.Documents+f.Day.Direct.Pairs), amount(rowsOf(f.Day.Upkeep)), amount(f.Peak.Requests),
		amount(f.Peak.Writes), amount(f.Peak.Cores))
	if f.Day.Money > 0 {
		a.Say("A month of such days costs %s by the prices of the workload.", amount(f.Day.Money))
	}
	a.Say("\nA look at a screen:\n")
	a.Table(table.Row{"screen", "a day", "documents", "largest", "looked up", "bytes", "sent"}, screenRows(f), 2,
		3, 4, 5, 6, 7)
	a.Say("\nWhat is done once; of what follows, the mean, and what the account with the most of everything causes:\n")
	a.Table(table.Row{"action", "a day", "rows at once", "rows that follow", "p99", "largest", "bytes", "last one in"},
		actionRows(f), 2, 3, 4, 5, 6, 7, 8)
	a.Say("\nStored:\n")
	a.Table(table.Row{"what", "kind", "rows", "bytes", "after a month", "after a year"}, storedRows(f), 3, 4, 5, 6)
	a.Say("\nA day touches %s of that, which should find room in memory. The largest document may be one of %s, of "+
		"%s%s.", bytesOf(f.Hot), f.Largest.Collection, bytesOf(f.Largest.Bytes),
		unboundedIn(f.Largest))
	a.Say("\nWhat breaks first:\n")
	var rows []table.Row
	for _, b := range breaks {
		at := "not in sight"
		if b.Accounts > 0 {
			at = amount(b.Accounts) + " accounts"
		}
		is, most := amount(b.Is), amount(b.Most)
		if b.Unit != "" {
			is, most = bytesOf(b.Is), bytesOf(b.Most)
		}
		rows = append(rows, table.Row{b.What, is, most, at, b.Then})
	}
	a.Table(table.Row{"end", "now", "at most", "reached with", "then"}, rows, 2, 3)
	if rates == forecast.Shipped {
		a.Say("\nProcessor time is worked out with shipped figures, which are of another machine: `yalvo calibrate` " +
			"measures those of this one.")
		return
	}
	a.Say("\nProcessor time is worked out with figures %s.", rates.From)
}

func unboundedIn(l forecast.Largest) string {
	if l.Unbounded == "" {
		return ""
	}
	return ", as " + l.Unbounded + " has no bound"
}

func screenRows(f forecast.Forecast) (rows []table.Row) {
	for _, s := range f.Screens {
		is := s.Reads[forecast.Mean]
		rows = append(rows, table.Row{s.Name, amount(s.PerDay), amount(is.Documents),
			amount(s.Reads[forecast.Most].Documents),
			amount(is.Asked + is.Pairs), amount(is.Bytes), amount(s.Sent)})
	}
	return rows
}

func actionRows(f forecast.Forecast) (rows []table.Row) {
	for _, act := range f.Actions {
		is := act.Upkeep[forecast.Mean]
		rows = append(rows, table.Row{act.Name, amount(act.PerDay), amount(rowsOf(act.Direct)), amount(rowsOf(is)),
			amount(rowsOf(act.Upkeep[forecast.High])), amount(rowsOf(act.Upkeep[forecast.Most])),
			amount(act.Direct.Bytes + is.Bytes),
			lasting(act.Last[forecast.Most])})
	}
	return rows
}

func storedRows(f forecast.Forecast) (rows []table.Row) {
	sum := forecast.Stored{Name: "in all"}
	for _, s := range f.Stored {
		rows = append(rows, table.Row{s.Name, s.Kind, amount(s.Rows), bytesOf(s.Bytes), bytesOf(s.Month),
			bytesOf(s.Year)})
		sum.Bytes, sum.Month, sum.Year = sum.Bytes+s.Bytes, sum.Month+s.Month, sum.Year+s.Year
	}
	return append(rows, table.Row{sum.Name, "", "", bytesOf(sum.Bytes), bytesOf(sum.Month), bytesOf(sum.Year)})
}

// rowsOf are all rows that are written.
func rowsOf(w forecast.Written) float64 {
	return w.Documents + w.Pairs + w.Entries + w.Kept + w.Notes + w.Sent
}

// forecastCSV writes a line for each thing.
func (a *app) forecastCSV(f forecast.Forecast) error {
	out := csv.NewWriter(a.Out)
	lines := [][]string{{"kind", "name", "level", "per_day", "documents", "pairs", "entries", "kept", "notes",
		"looked_up", "bytes"}}
	n := func(x float64) string { return fmt.Sprintf("%.6g", x) }
	for _, s := range f.Screens {
		for _, level := range forecast.Levels {
			r := s.Reads[level]
			lines = append(lines, []string{"screen", s.Name, string(level), n(s.PerDay), n(r.Documents),
				n(r.Pairs), "", "", "", n(r.Asked), n(r.Bytes)})
		}
	}
	for _, act := range f.Actions {
		d := act.Direct
		lines = append(lines, []string{"action", act.Name, "at once", n(act.PerDay), n(d.Documents), n(d.Pairs),
			n(d.Entries), n(d.Kept), n(d.Notes), "", n(d.Bytes)})
		for _, level := range forecast.Levels {
			u := act.Upkeep[level]
			lines = append(lines, []string{"action", act.Name, string(level), n(act.PerDay), n(u.Documents),
				n(u.Pairs), n(u.Entries), n(u.Kept), n(u.Notes), "", n(u.Bytes)})
		}
	}
	for _, s := range f.Stored {
		lines = append(lines, []string{"stored", s.Name, s.Kind, "", n(s.Rows), "", "", "", "", "", n(s.Bytes)})
	}
	return out.WriteAll(lines)
}

// amount writes a number as people read it: three digits that count, thousands apart.
func amount(x float64) string {
	switch {
	case x == 0:
		return "0"
	case math.Abs(x) < 0.0001:
		return "<0.0001"
	case math.Abs(x) < 0.001:
		return fmt.Sprintf("%.1g", x)
	case math.Abs(x) < 0.1:
		return fmt.Sprintf("%.2g", x)
	case math.Abs(x) < 100:
		return strings.TrimSuffix(strings.TrimRight(fmt.Sprintf("%.*f", 2-min(1, int(math.Log10(max(1,
			math.Abs(x))))), x), "0"), ".")
	}
	unit := math.Pow(10, math.Floor(math.Log10(math.Abs(x)))-2)
	return terminal.Count(int64(math.Round(x/unit) * unit))
}

// bytesOf writes a number of bytes.
func bytesOf(x float64) string {
	for _, unit := range []string{"B", "kB", "MB", "GB", "TB"} {
		if x < 999.5 {
			return amount(x) + " " + unit
		}
		x /= 1000
	}
	return amount(x) + " PB"
}

// lasting writes a time in seconds as people read it.
func lasting(seconds float64) string {
	if seconds < 1 {
		return amount(seconds*1000) + " ms"
	}
	return amount(seconds) + " s"
}
