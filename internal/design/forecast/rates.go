package forecast

import "math"

// Rates are what primitives cost in processor time, in microseconds of one core, of service and PostgreSQL together.
type Rates struct {
	From string `json:"from"` // where they are from

	Request  float64 `json:"request"`  // answered, whatever it asks for
	Document float64 `json:"document"` // read and sent
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
	for _, rate := range []float64{r.Request, r.Document, r.Asked, r.Write, r.Note, r.Kept, r.Entry, r.Send, r.Collect,
		r.EntriesASecond, r.Begin} {
		if !(rate > 0) || math.IsInf(rate, 0) {
			return false
		}
	}
	return r.From != ""
}

// Shipped are rates measured on a machine with two cores (see docs/benchmarks.md): on another they differ.
var Shipped = Rates{From: "shipped: measured on another machine", Request: 110, Document: 6, Asked: 1.5,
	Write: 420, Note: 25, Kept: 60,
	Entry: 4.2, Send: 250, Collect: 50, EntriesASecond: 220_000, Begin: 12}

func (r Rates) read(x Read) float64 {
	return r.Document*x.Documents + r.Asked*(x.Asked+x.Pairs) + r.Collect*x.Collected
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
