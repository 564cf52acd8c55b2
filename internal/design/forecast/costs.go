package forecast

import (
	"cmp"
	"slices"
)

// Cost is the processor time that one thing takes in a day.
type Cost struct {
	Kind    string  `json:"kind"` // ScreenPart or ActionPart
	Name    string  `json:"name"`
	PerDay  float64 `json:"per_day"` // it is done so often
	Seconds float64 `json:"seconds"` // of one core
}

// Costs takes the processor time of a day apart, what costs most first. They add up to [Total.Processor].
func (f Forecast) Costs(rates Rates) []Cost {
	var all []Cost
	for _, s := range f.Screens {
		all = append(all, Cost{ScreenPart, s.Name, s.PerDay, s.PerDay * rates.Look(s) / 1e6})
	}
	for _, a := range f.Actions {
		all = append(all, Cost{ActionPart, a.Name, a.PerDay, a.PerDay * rates.do(a) / 1e6})
	}
	slices.SortStableFunc(all, func(a, b Cost) int { return cmp.Compare(b.Seconds, a.Seconds) })
	return all
}
