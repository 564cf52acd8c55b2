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
	Unit     string  `json:"unit,omitempty"`
	Then     string  `json:"then"` // what to change
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

// Growth is how something grows with an app, beside how much of it there may be.
type Growth struct {
	What     string
	Most     float64
	Accounts []float64
	Is       []float64 // at each number of accounts
	end      end
}

// end is something that there may be so much of.
type end struct {
	what, then, unit string
	most             float64
	is               func(Forecast) float64
}

func ends(w *design.Workload, m Machine) []end {
	all := []end{
		{"one core of upkeep, at the peak", "write fewer entries (`deliver: mixed` with a lower `above`, or " +
			"`pull`), keep fewer counts, or let more services share the work", "", 1,
			func(f Forecast) float64 { return f.Peak.Upkeep }},
		{"durable writes of one machine, at the peak", "a faster disk, or facts that are set together " +
			"(`/v1/writes`)", "", m.Writes, func(f Forecast) float64 { return f.Peak.Writes }},
		{"the cores of one machine, at the peak", "more cores, more services, or screens that look up less", "",
			m.Cores, func(f Forecast) float64 { return f.Peak.Cores }},
		{"memory for what a day touches", "more memory, shorter timelines, or a machine of its own for PostgreSQL",
			"bytes", m.Memory, func(f Forecast) float64 { return f.Hot }},
	}
	if w.FanOut > 0 {
		all = append(all, end{"the fan-out that is stated", "`deliver: mixed`, so that entries of whom many follow " +
			"are collected when they are read", "", w.FanOut, greatestFanOut})
	}
	return all
}

func greatestFanOut(f Forecast) float64 {
	most := 0.0
	for _, a := range f.Actions {
		if strings.HasPrefix(a.Name, creates) {
			most = max(most, a.Upkeep[Most].Entries)
		}
	}
	return most
}

// Grow says how all that has an end grows up to [MostScale] times as many accounts.
func Grow(p *plan.Plan, w *design.Workload, rates Rates, m Machine) []Growth {
	model := New(p, w, rates)
	var all []Growth
	for _, e := range ends(w, m) {
		all = append(all, Growth{What: e.what, Most: e.most, end: e})
	}
	for k := range steps + 1 {
		scale := math.Pow(MostScale, float64(k)/steps)
		f := model.At(scale, nil)
		for i := range all {
			all[i].Accounts = append(all[i].Accounts, w.Accounts*scale)
			all[i].Is = append(all[i].Is, all[i].end.is(f))
		}
	}
	return all
}

// Breaks says what breaks first, and at which size: each thing that has an end, by the number of accounts at which it
// is reached. Everything that is looked at grows with the accounts.
func Breaks(p *plan.Plan, w *design.Workload, rates Rates, m Machine) []Break {
	var all []Break
	for _, g := range Grow(p, w, rates, m) {
		all = append(all, Break{What: g.What, Is: g.Is[0], Most: g.Most, Unit: g.end.unit, Then: g.end.then,
			Accounts: reaches(g.Accounts, g.Is, g.Most)})
	}
	return all
}

// steps are at how many scales a forecast is made, evenly apart in their logarithm.
const steps = 12

// reaches is the size at which something comes to be more than the most, 0 if at none: between two it is taken for a
// power of the size.
func reaches(sizes, is []float64, most float64) float64 {
	at := slices.IndexFunc(is, func(x float64) bool { return x > most })
	switch {
	case at < 0:
		return 0
	case at == 0 || is[at-1] <= 0:
		return sizes[at]
	}
	part := math.Log(most/is[at-1]) / math.Log(is[at]/is[at-1])
	return sizes[at-1] * math.Pow(sizes[at]/sizes[at-1], part)
}

// String says it in a sentence.
func (b Break) String() string {
	if b.Accounts == 0 {
		return fmt.Sprintf("%s: %.3g of %.3g, and not reached with %d times as many", b.What, b.Is, b.Most, MostScale)
	}
	return fmt.Sprintf("%s: %.3g of %.3g, reached with %.3g accounts", b.What, b.Is, b.Most, b.Accounts)
}
