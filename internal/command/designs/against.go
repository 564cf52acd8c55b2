package designs

import (
	"context"
	"errors"
	"fmt"
	"math"

	"github.com/jedib0t/go-pretty/v6/table"
	"github.com/urfave/cli/v3"

	"yalvo/client"
	"yalvo/internal/command/terminal"
	"yalvo/internal/design/forecast"
)

// compared is a forecast beside what a service has counted.
type compared struct {
	Days     float64             `json:"days"`
	Compared []forecast.Compared `json:"compared"`
}

// against sets a forecast beside what a running app has counted.
func (a *app) against(ctx context.Context, c *cli.Command, m *forecast.Model) error {
	got, err := a.Client(c).Metered(ctx, c.Int("hours"), true)
	if err != nil {
		return err
	}
	counted, days := countedIn(got)
	if len(counted) == 0 {
		return errors.New("the service has counted nothing yet: open screens, write facts, or have `yalvo drive` do so")
	}
	out := compared{days, m.Against(counted, days)}
	if c.Bool("json") {
		return a.JSON(out)
	}
	a.showCompared(out)
	return nil
}

// countedIn adds up what was counted by the hour, and says in how many days that was: from the first hour in which
// anything was.
func countedIn(got client.Metered) (all []forecast.Counted, days float64) {
	sums := map[forecast.Part]*forecast.Counted{}
	first := got.Until
	for _, m := range got.Metered {
		if m.Hour.Before(first) {
			first = *m.Hour
		}
		of := forecast.Part{Kind: m.Kind, Name: m.Name}
		if sums[of] == nil {
			sums[of] = &forecast.Counted{Kind: m.Kind, Name: m.Name}
		}
		s := sums[of]
		s.Times, s.Unchanged = s.Times+float64(m.Times), s.Unchanged+float64(m.Unchanged)
		s.Documents, s.Pairs = s.Documents+float64(m.Documents), s.Pairs+float64(m.Pairs)
		s.Entries, s.Kept = s.Entries+float64(m.Entries), s.Kept+float64(m.Kept)
		s.Sent, s.Bytes = s.Sent+float64(m.Sent), s.Bytes+float64(m.Bytes)
	}
	for _, s := range sums {
		all = append(all, *s)
	}
	return all, max(got.Until.Sub(first).Hours(), 1.0/60) / 24
}

func (a *app) showCompared(all compared) {
	var often, cost []table.Row
	exact := 0
	for _, one := range all.Compared {
		row := table.Row{one.Kind + " " + one.Name, one.What, amount(one.Forecast), amount(one.Counted), errorOf(one),
			amount(one.Times)}
		if one.What == forecast.PerDay {
			often = append(often, append(row[:1], row[2:5]...))
			continue
		}
		if one.Kind == "action" && one.Forecast == one.Counted {
			exact++ // as it should be: nothing to look at
			continue
		}
		cost = append(cost, row)
	}
	a.Say("Counted in %s hours. What was done costs, and what followed from it:\n", amount(24*all.Days))
	a.Table(table.Row{"of", "what", "forecast", "counted", "error", "by so many"}, cost, 3, 4, 5, 6)
	if exact > 0 {
		a.Say("\n%s wrote at once exactly what was forecast.", terminal.Many(exact, "action"))
	}
	a.Say("\nHow often things are done a day, as the workload has it:\n")
	a.Table(table.Row{"what", "workload", "counted", "error"}, often, 2, 3, 4)
}

// errorOf is how far a forecast is off, as people read it.
func errorOf(one forecast.Compared) string {
	share, is := one.Error()
	if !is {
		return "–"
	}
	if math.Abs(share) < 0.0005 {
		return "0 %"
	}
	return fmt.Sprintf("%+.1f %%", 100*share)
}
