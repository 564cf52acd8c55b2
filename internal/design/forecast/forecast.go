package forecast

import (
	"yalvo/internal/design"
	"yalvo/internal/design/plan"
)

// Forecast is what a design costs at one size of its app.
type Forecast struct {
	Scale    float64  `json:"scale"`    // times as many accounts as the workload has now
	Accounts float64  `json:"accounts"` // so many
	Screens  []Screen `json:"screens"`
	Actions  []Action `json:"actions"`
	Day      Total    `json:"day"`
	Peak     Peak     `json:"peak"`
	Stored   []Stored `json:"stored"`
	Hot      float64  `json:"hot_bytes"` // of what is stored, that a day touches: it should find room in memory
	Assumed  []string `json:"assumed"`   // what nobody has said, and is taken as it is named here
	Largest  Largest  `json:"largest"`
}

// Level is whose screen it is, or who does something.
type Level string

// The levels: the mean of all; the one in the middle; the one whom one in a hundred surpasses; and the one who has the
// most of everything.
const (
	Mean    Level = "mean"
	Typical Level = "typical"
	High    Level = "p99"
	Most    Level = "largest"
)

// Levels are all of them.
var Levels = []Level{Mean, Typical, High, Most}

// Read is what is read.
type Read struct {
	Questions float64 `json:"questions"` // put to PostgreSQL, about: pages, documents, what rules look up
	Passed    float64 `json:"passed"`    // documents that are gone through, as no index has the order of a list
	Documents float64 `json:"documents"` // in answers
	Pairs     float64 `json:"pairs"`     // that lead to them
	Asked     float64 `json:"asked"`     // documents and pairs looked up for rules and marks
	Collected float64 `json:"collected"` // authors whose entries are not in the timeline that is read
	Bytes     float64 `json:"bytes"`     // of answers, before packing
}

func (r Read) times(n float64) Read {
	return Read{r.Questions * n, r.Passed * n, r.Documents * n, r.Pairs * n, r.Asked * n, r.Collected * n, r.Bytes * n}
}

func (r Read) plus(o Read) Read {
	return Read{r.Questions + o.Questions, r.Passed + o.Passed, r.Documents + o.Documents, r.Pairs + o.Pairs,
		r.Asked + o.Asked, r.Collected + o.Collected,
		r.Bytes + o.Bytes}
}

// Written is what is written: rows of facts, rows of what is kept, and their bytes as they are stored.
type Written struct {
	Documents float64 `json:"documents"` // made, edited or removed
	Pairs     float64 `json:"pairs"`     // set or unset
	Entries   float64 `json:"entries"`   // of timelines, put in or taken out
	Kept      float64 `json:"kept"`      // documents whose kept values are rewritten
	Notes     float64 `json:"notes"`     // rows beside: references, unique values, contributions, the journal
	Sent      float64 `json:"sent"`      // requests of triggers to elsewhere
	Bytes     float64 `json:"bytes"`
}

func (w Written) times(n float64) Written {
	return Written{w.Documents * n, w.Pairs * n, w.Entries * n, w.Kept * n, w.Notes * n, w.Sent * n, w.Bytes * n}
}

func (w Written) plus(o Written) Written {
	return Written{w.Documents + o.Documents, w.Pairs + o.Pairs, w.Entries + o.Entries, w.Kept + o.Kept, w.Notes +
		o.Notes,
		w.Sent + o.Sent, w.Bytes + o.Bytes}
}

// Screen is what one look at a screen costs, and how many there are.
type Screen struct {
	Name   string         `json:"name"`
	PerDay float64        `json:"per_day"`
	Reads  map[Level]Read `json:"reads"`
	Sent   float64        `json:"sent"` // bytes that leave, on average: what has not changed is not sent again
}

// Action is what doing something once costs, and how often it is done.
type Action struct {
	Name      string            `json:"name"` // as in "create posts", "edit members.name", "set like"
	PerDay    float64           `json:"per_day"`
	Questions float64           `json:"questions"` // put to PostgreSQL for rules, before it is written
	Direct    Written           `json:"direct"`    // in the write itself
	Upkeep    map[Level]Written `json:"upkeep"`    // that follows from it
	Last      map[Level]float64 `json:"last_in"`   // seconds until the last duplicate has it

	Parts map[Part]Written `json:"-"` // what the mean of upkeep is made of
}

// Part is something that is counted: a screen, an action, and what upkeep writes: a kept value, a timeline, or facts
// that go along; by the names that a service counts them under.
type Part struct{ Kind, Name string }

// The kinds of parts.
const (
	ScreenPart   = "screen"
	ActionPart   = "action"
	KeptPart     = "kept"     // as in "posts.like_count"
	TimelinePart = "timeline" // by its name
	AlongPart    = "along"    // as in "remove remarks", "unset follow", "trigger welcome"
)

// Total is what a day comes to.
type Total struct {
	Requests  float64 `json:"requests"`
	Read      Read    `json:"read"`
	Direct    Written `json:"direct"`
	Upkeep    Written `json:"upkeep"`
	Processor float64 `json:"processor_seconds"` // of service and PostgreSQL together
	Money     float64 `json:"money"`             // for a month of such days, with what is stored
}

// Peak is what a second of the busiest hour comes to.
type Peak struct {
	Requests   float64 `json:"requests"`
	Writes     float64 `json:"writes"`     // facts
	Duplicates float64 `json:"duplicates"` // rows of upkeep
	Cores      float64 `json:"cores"`      // kept busy, by service and PostgreSQL
	Upkeep     float64 `json:"upkeep_cores"`
}

// Stored is what is stored of one thing.
type Stored struct {
	Name  string  `json:"name"`
	Kind  string  `json:"kind"` // fact, duplicate or journal
	Rows  float64 `json:"rows"`
	Bytes float64 `json:"bytes"`
	Month float64 `json:"bytes_after_a_month"`
	Year  float64 `json:"bytes_after_a_year"`
}

// Largest is the largest document that the design lets be.
type Largest struct {
	Collection string  `json:"collection"`
	Bytes      float64 `json:"bytes"`
	Unbounded  string  `json:"unbounded,omitempty"` // a field that has no bound but the service's own
}

// Model works out forecasts of one design under one workload, and remembers how things are spread at each size.
type Model struct {
	p       *plan.Plan
	w       *design.Workload
	rates   Rates
	spreads map[float64]map[string]Spread
}

// New makes a model. It is for one goroutine.
func New(p *plan.Plan, w *design.Workload, rates Rates) *Model {
	return &Model{p, w, rates, map[float64]map[string]Spread{}}
}

// Make works out a forecast of an app that has so many times as many accounts.
func Make(p *plan.Plan, w *design.Workload, rates Rates, scale float64) Forecast {
	return New(p, w, rates).At(scale, nil)
}

// At works it out at a size, as if one value were not kept; nil: as it is.
func (m *Model) At(scale float64, without *design.Kept) Forecast {
	p, w, rates := m.p, m.w, m.rates
	c := m.costing(scale)
	c.without = without
	f := Forecast{Scale: scale, Accounts: w.Accounts * scale, Assumed: c.assumed(),
		Screens: []Screen{}, Actions: []Action{}, Stored: []Stored{}}
	for _, s := range p.Design.Screens {
		screen := c.screen(s)
		f.Screens = append(f.Screens, screen)
		f.Day.Requests += screen.PerDay
		f.Day.Read = f.Day.Read.plus(screen.Reads[Mean].times(screen.PerDay))
		f.Day.Processor += screen.PerDay * rates.Look(screen) / 1e6
	}
	f.Actions = append(f.Actions, c.actions()...)
	upkeep := 0.0
	for _, a := range f.Actions {
		f.Day.Requests += a.PerDay
		f.Day.Direct = f.Day.Direct.plus(a.Direct.times(a.PerDay))
		f.Day.Upkeep = f.Day.Upkeep.plus(a.Upkeep[Mean].times(a.PerDay))
		upkeep += a.PerDay * rates.upkeep(a.Upkeep[Mean])
		f.Day.Processor += a.PerDay * rates.do(a) / 1e6
	}
	f.Stored = append(f.Stored, c.stored(f.Actions)...)
	f.Hot = c.hot(f)
	f.Largest = c.largest()
	f.Day.Money = money(w.Prices, f)
	f.Peak = peakOf(f, w.HourShare()/3600, upkeep/1e6)
	return f
}

// UpkeepOf is what a day's upkeep of one part writes, and the processor seconds that it takes.
func (f Forecast) UpkeepOf(part Part, rates Rates) (w Written, seconds float64) {
	for _, a := range f.Actions {
		w = w.plus(a.Parts[part].times(a.PerDay))
	}
	return w, rates.upkeep(w) / 1e6
}

func money(prices design.Prices, f Forecast) float64 {
	const days = 365.25 / 12
	stored := 0.0
	for _, s := range f.Stored {
		stored += s.Bytes
	}
	read := f.Day.Read.Documents + f.Day.Read.Pairs + f.Day.Read.Asked
	wrote := f.Day.Direct.plus(f.Day.Upkeep)
	return days*(read*prices.Read+(wrote.Documents+wrote.Pairs+wrote.Entries+wrote.Kept)*prices.Write)/1e6 +
		stored/1e9*prices.Stored
}

// peakOf is a second of the busiest hour, which is such a share of a day.
func peakOf(f Forecast, share, upkeep float64) Peak {
	up := f.Day.Upkeep
	return Peak{Requests: f.Day.Requests * share, Writes: (f.Day.Direct.Documents + f.Day.Direct.Pairs) * share,
		Duplicates: (up.Entries + up.Kept + up.Documents + up.Pairs + up.Notes) * share, Cores: f.Day.Processor * share,
		Upkeep: upkeep * share}
}
