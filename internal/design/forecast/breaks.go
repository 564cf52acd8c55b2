package forecast

import (
	"fmt"
	"math"
	"slices"
	"strings"

	"yalvo/internal/design"
	"yalvo/internal/design/plan"
)

// Break is something that gives way as an app grows.
type Break struct {
	What     string  `json:"what"`
	Accounts float64 `json:"accounts"` // from so many on; 0: not up to what was looked at
	Is       float64 `json:"is"`       // how much there is of it now
	Most     float64 `json:"most"`     // and how much there may be
	Then     string  `json:"then"`     // what to change
}

// Machine is what one machine has, as far as a forecast asks.
type Machine struct {
	Cores  float64 // that service and PostgreSQL share
	Writes float64 // facts a second, each durable
	Memory float64 // bytes, for what is read often
}

// Usual is a machine with two cores, as the shipped rates are from.
var Usual = Machine{Cores: 2, Writes: 2400, Memory: 16 << 30}

// MostScale is how many times as many accounts are looked at.
const MostScale = 10_000

// Breaks says what breaks first, and at which size: each thing that has an end, by the number of accounts at which it
// is reached. Everything that is looked at grows with the accounts.
func Breaks(p *plan.Plan, w *design.Workload, rates Rates, m Machine) []Break {
	model := New(p, w, rates)
	checks := []struct {
		what, then string
		most       float64
		is         func(Forecast) float64
	}{
		{"one core of upkeep, at the peak", "write fewer entries (`deliver: mixed` with a lower `above`, or " +
			"`pull`), keep fewer " +
			"counts, or let more services share the work", 1, func(f Forecast) float64 { return f.Peak.Upkeep }},
		{"durable writes of one machine, at the peak", "a faster disk, or facts that are set together " +
			"(`/v1/writes`)", m.Writes,
			func(f Forecast) float64 { return f.Peak.Writes }},
		{"the cores of one machine, at the peak", "more cores, more services, or screens that look up less", m.Cores,
			func(f Forecast) float64 { return f.Peak.Cores }},
		{"memory for what is stored, but the journal", "more memory, shorter timelines, or a machine of its own " +
			"for PostgreSQL",
			m.Memory, func(f Forecast) float64 {
				sum := 0.0
				for _, s := range f.Stored {
					if s.Kind != Journal {
						sum += s.Bytes
					}
				}
				return sum
			}},
	}
	if w.FanOut > 0 {
		checks = append(checks, struct {
			what, then string
			most       float64
			is         func(Forecast) float64
		}{"the fan-out that is stated", "`deliver: mixed`, so that entries of whom many follow are collected when " +
			"they are read",
			w.FanOut, func(f Forecast) float64 {
				most := 0.0
				for _, a := range f.Actions {
					if !strings.HasPrefix(a.Name, creates) {
						continue
					}
					most = max(most, a.Upkeep[Most].Entries)
				}
				return most
			}})
	}
	var scales []float64
	var forecasts []Forecast
	for k := range steps + 1 {
		scales = append(scales, math.Pow(MostScale, float64(k)/steps))
		forecasts = append(forecasts, model.At(scales[k], nil))
	}
	var all []Break
	for _, c := range checks {
		is := make([]float64, len(scales))
		for k, f := range forecasts {
			is[k] = c.is(f)
		}
		b := Break{What: c.what, Is: is[0], Most: c.most, Then: c.then}
		if scale := reaches(scales, is, c.most); scale > 0 {
			b.Accounts = w.Accounts * scale
		}
		all = append(all, b)
	}
	return all
}

// steps are at how many scales a forecast is made, evenly apart in their logarithm.
const steps = 12

// reaches is the scale at which something comes to be more than the most, 0 if at none: between two it is taken for a
// power of the scale.
func reaches(scales, is []float64, most float64) float64 {
	at := slices.IndexFunc(is, func(x float64) bool { return x > most })
	switch {
	case at < 0:
		return 0
	case at == 0 || is[at-1] <= 0:
		return scales[at]
	}
	part := math.Log(most/is[at-1]) / math.Log(is[at]/is[at-1])
	return scales[at-1] * math.Pow(scales[at]/scales[at-1], part)
}

// String says it in a sentence.
func (b Break) String() string {
	if b.Accounts == 0 {
		return fmt.Sprintf("%s: %.3g of %.3g, and not reached with %d times as many", b.What, b.Is, b.Most, MostScale)
	}
	return fmt.Sprintf("%s: %.3g of %.3g, reached with %.3g accounts", b.What, b.Is, b.Most, b.Accounts)
}
