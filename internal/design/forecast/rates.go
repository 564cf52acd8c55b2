package forecast

import "math"

// Rates are what primitives cost in processor time, in microseconds of one core, of service and PostgreSQL together.
type Rates struct {
	From string `json:"from"` // where they are from

	Request  float64 `json:"request"`  // answered, whatever it asks for
	Question float64 `json:"question"` // put to PostgreSQL: for a page, a document, what a rule looks up
	Passed   float64 `json:"passed"`   // a document that is gone through to put a list in order
	Document float64 `json:"document"` // read and sent
	Packing  float64 `json:"packing"`  // a thousand bytes of an answer
	Asked    float64 `json:"asked"`    // a document or a pair looked up for a rule or a mark
	Write    float64 `json:"write"`    // a fact, durable
	Note     float64 `json:"note"`     // a row beside it
	Kept     float64 `json:"kept"`     // a document whose kept values are rewritten
	Entry    float64 `json:"entry"`    // of a timeline
	Send     float64 `json:"send"`     // a request to elsewhere
	Collect  float64 `json:"collect"`  // an author whose entries are collected when a timeline is read

	EntriesASecond float64 `json:"entries_a_second"` // of one great fan-out
	Begin          float64 `json:"begin"`            // milliseconds until upkeep has begun
}

// Sound tells whether all rates are there.
func (r Rates) Sound() bool {
	for _, rate := range []float64{r.Request, r.Question, r.Passed, r.Document, r.Packing, r.Asked, r.Write,
		r.Note, r.Kept, r.Entry, r.Send, r.Collect,
		r.EntriesASecond, r.Begin} {
		if !(rate > 0) || math.IsInf(rate, 0) {
			return false
		}
	}
	return r.From != ""
}

// Shipped are rates measured on a machine with two cores (see docs/benchmarks.md): on another they differ.
var Shipped = Rates{From: "shipped: measured on another machine", Request: 225, Question: 400, Passed: 6,
	Document: 8, Packing: 12, Asked: 2.9, Write: 330, Note: 75, Kept: 150, Entry: 9.7, Send: 280, Collect: 20,
	EntriesASecond: 130_000, Begin: 4}

func (r Rates) read(x Read) float64 {
	return r.Question*x.Questions + r.Passed*x.Passed + r.Document*x.Documents + r.Asked*(x.Asked+x.Pairs) +
		r.Collect*x.Collected
}

// Look is what a look at a screen takes, in microseconds: what is not sent, as it has not changed, is not packed.
func (r Rates) Look(s Screen) float64 {
	return r.Request + r.read(s.Reads[Mean]) + r.Packing*s.Sent/1000
}

// do is what an action takes, with what follows from it.
func (r Rates) do(a Action) float64 {
	return r.Request + r.Question*a.Questions + r.direct(a.Direct) + r.upkeep(a.Upkeep[Mean])
}

func (r Rates) direct(x Written) float64 {
	return r.Write*(x.Documents+x.Pairs) + r.Entry*x.Entries + r.Note*x.Notes
}

func (r Rates) upkeep(x Written) float64 {
	return r.Kept*(x.Kept+x.Documents+x.Pairs) + r.Entry*x.Entries + r.Note*x.Notes + r.Send*x.Sent
}

// last is how many seconds it takes until the last of some duplicates is written.
func (r Rates) last(x Written) float64 {
	return r.Begin/1e3 + x.Entries/r.EntriesASecond + (r.Kept*(x.Kept+x.Documents+x.Pairs)+r.Note*x.Notes)/1e6
}
