package graph

import (
	"yalvo/internal/design"
	"yalvo/internal/design/forecast"
	"yalvo/internal/design/plan"
)

// Weigh says of kept values, timelines and screens what a day of each comes to; of collections, pairs and fields that
// are not copied nothing is said but how many there are. Without a workload nothing is.
func (g *Graph) Weigh(d *design.Design, rates forecast.Rates) {
	if d.Workload == nil {
		return
	}
	f := forecast.Make(plan.New(d, plan.Counted()), d.Workload, rates, 1)
	stored := map[string]forecast.Stored{}
	for _, s := range f.Stored {
		stored[s.Name] = s
	}
	for i := range g.Things {
		t := &g.Things[i]
		switch t.Kind {
		case Collection:
			t.Costs = &Costs{Copies: stored[t.Name].Rows, Bytes: stored[t.Name].Bytes}
			for j := range t.Members {
				if m := &t.Members[j]; m.Kept {
					m.Costs = upkeepOf(f, rates, forecast.KeptPart, t.Name+"."+m.Name, stored)
				}
			}
		case Pair:
			t.Costs = &Costs{Copies: stored[t.Name].Rows, Bytes: stored[t.Name].Bytes}
		case Timeline:
			t.Costs = upkeepOf(f, rates, forecast.TimelinePart, t.Name, stored)
		case Screen:
			t.Costs = looksAt(f, rates, t.Name)
		}
	}
}

// upkeepOf is what keeping one duplicate comes to.
func upkeepOf(f forecast.Forecast, rates forecast.Rates, kind, name string, stored map[string]forecast.Stored) *Costs {
	w, seconds := f.UpkeepOf(forecast.Part{Kind: kind, Name: name}, rates)
	return &Costs{Copies: stored[name].Rows, Bytes: stored[name].Bytes, PerDay: w.Kept + w.Entries, Seconds: seconds}
}

// looksAt is what a day's looks at a screen come to.
func looksAt(f forecast.Forecast, rates forecast.Rates, name string) *Costs {
	for _, s := range f.Screens {
		if s.Name == name {
			return &Costs{PerDay: s.PerDay, Reads: s.Reads[forecast.Mean].Documents,
				Seconds: s.PerDay * rates.Look(s) / 1e6}
		}
	}
	return nil
}
