package designs

import (
	"context"
	"fmt"

	"github.com/jedib0t/go-pretty/v6/table"
	"github.com/urfave/cli/v3"

	"yalvo/internal/design/forecast"
	"yalvo/internal/design/plan"
)

// inForce names the design of the running app where a file could stand.
const inForce = "running"

// twoForecasts are those of two designs, under the same rates and at the same size.
type twoForecasts struct {
	This   forecast.Forecast `json:"this"`
	Beside forecast.Forecast `json:"beside"`
}

// beside forecasts another design at the same size. It has its own workload, or that which --workload names.
func (a *app) beside(ctx context.Context, c *cli.Command, this forecast.Forecast, rates forecast.Rates) error {
	var files []string
	if file := c.String("beside"); file != inForce {
		files = append(files, file)
	}
	d, w, err := a.designAndWorkload(ctx, c, files)
	if err != nil {
		return err
	}
	both := twoForecasts{this, forecast.Make(plan.New(d, plan.Counted()), w, rates, this.Scale)}
	if c.Bool("json") {
		return a.JSON(both)
	}
	a.showBoth(both)
	return nil
}

// besideLine is a figure of both.
type besideLine struct {
	what         string
	this, beside float64
}

func (a *app) showBoth(both twoForecasts) {
	days := func(f forecast.Forecast) []besideLine {
		written, stored := f.Day.Direct, 0.0
		for _, s := range f.Stored {
			stored += s.Year
		}
		return []besideLine{
			{what: "requests", this: f.Day.Requests},
			{what: "documents read", this: f.Day.Read.Documents},
			{what: "looked up besides", this: f.Day.Read.Asked + f.Day.Read.Pairs},
			{what: "bytes of answers", this: f.Day.Read.Bytes},
			{what: "facts written", this: written.Documents + written.Pairs},
			{what: "rows of upkeep", this: rowsOf(f.Day.Upkeep)},
			{what: "processor, seconds", this: f.Day.Processor},
			{what: "stored after a year, bytes", this: stored},
		}
	}
	lines, other := days(both.This), days(both.Beside)
	for i := range lines {
		lines[i].beside = other[i].this
	}
	a.Say("A day, of %s accounts:\n", amount(both.This.Accounts))
	a.showLines(lines)
	a.Say("\nDocuments of a look at a screen, with what is looked up:\n")
	a.showLines(joined(figuresOf(both.This.Screens, both.Beside.Screens, func(s forecast.Screen) (string, float64) {
		is := s.Reads[forecast.Mean]
		return s.Name, is.Documents + is.Asked + is.Pairs
	})))
	a.Say("\nRows that an action writes, with those that follow:\n")
	a.showLines(joined(figuresOf(both.This.Actions, both.Beside.Actions, func(act forecast.Action) (string, float64) {
		return act.Name, rowsOf(act.Direct) + rowsOf(act.Upkeep[forecast.Mean])
	})))
}

// figures are those of one design by their names, in its order.
type figures struct {
	names []string
	is    map[string]float64
}

func figuresOf[T any](this, beside []T, of func(T) (string, float64)) (x, y figures) {
	take := func(all []T) figures {
		f := figures{is: map[string]float64{}}
		for _, one := range all {
			name, is := of(one)
			f.names, f.is[name] = append(f.names, name), is
		}
		return f
	}
	return take(this), take(beside)
}

// joined are the figures of both: those of the first in its order, then those that only the second has.
func joined(this, beside figures) (all []besideLine) {
	for _, name := range this.names {
		all = append(all, besideLine{name, this.is[name], beside.is[name]})
	}
	for _, name := range beside.names {
		if _, is := this.is[name]; !is {
			all = append(all, besideLine{name, 0, beside.is[name]})
		}
	}
	return all
}

func (a *app) showLines(lines []besideLine) {
	var rows []table.Row
	for _, l := range lines {
		differ := ""
		if l.this != l.beside && l.beside != 0 {
			differ = fmt.Sprintf("%+.1f %%", 100*(l.this/l.beside-1))
		}
		rows = append(rows, table.Row{l.what, amount(l.this), amount(l.beside), differ})
	}
	a.Table(table.Row{"what", "this", "beside", "differs by"}, rows, 2, 3, 4)
}
