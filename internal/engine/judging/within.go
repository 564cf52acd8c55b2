package judging

import (
	"yalvo/internal/design/plan"
	"yalvo/internal/engine/store"
)

// Within is what a judge asks in a transaction: what is as of that.
func Within(tx *store.Tx) Stored { return within{tx} }

type within struct{ *store.Tx }

// Known is part of [Stored].
func (w within) Known(docs []store.Address, pairs []store.Between) ([]store.Document, []bool, error) {
	return w.Tx.Known(docs, pairs)
}

// Candidates is part of [Stored].
func (w within) Candidates(s *plan.Summary, by plan.Number, targets []int64, skip, many int) ([]store.Candidate,
	error) {
	return w.Tx.Candidates(s, by, targets, skip, many)
}

// Targets is part of [Stored].
func (w within) Targets(in, reference plan.Number, keys []string) ([]store.Target, error) {
	return w.Tx.Targets(in, reference, keys)
}

// Allowed is part of [Stored].
func (w within) Allowed(c *plan.Collection, keys []string, filter store.Filter) (map[string]bool, error) {
	return w.Tx.Allowed(c, keys, filter)
}

// PartnersOf is part of [Stored].
func (w within) PartnersOf(of *plan.Collection, keys []string, asks []store.Partners, most int) (
	[]store.PartnersFound, error) {
	return w.Tx.PartnersOf(of, keys, asks, most)
}
