package judging

import (
	"yalvo/internal/design/plan"
	"yalvo/internal/engine/store"
	"yalvo/internal/engine/store/factsql"
	"yalvo/internal/engine/store/keptsql"
	"yalvo/internal/engine/store/readsql"
	"yalvo/internal/engine/store/rulesql"
)

// Within is what a judge asks in a transaction: what is as of that.
func Within(tx *store.Tx) Stored { return within{tx} }

type within struct{ *store.Tx }

// Known is part of [Stored].
func (w within) Known(docs []store.Address, pairs []factsql.Between) ([]store.Document, []bool, error) {
	return factsql.Known(w.Tx, docs, pairs)
}

// Candidates is part of [Stored].
func (w within) Candidates(s *plan.Summary, by plan.Number, targets []int64, skip, many int) ([]keptsql.Candidate,
	error) {
	return keptsql.Candidates(w.Tx, s, by, targets, skip, many)
}

// Targets is part of [Stored].
func (w within) Targets(in, reference plan.Number, keys []string) ([]readsql.Target, error) {
	return readsql.Targets(w.Tx, in, reference, keys)
}

// Allowed is part of [Stored].
func (w within) Allowed(c *plan.Collection, keys []string, filter rulesql.Filter) (map[string]bool, error) {
	return rulesql.Allowed(w.Tx, c, keys, filter)
}

// PartnersOf is part of [Stored].
func (w within) PartnersOf(of *plan.Collection, keys []string, asks []readsql.Partners, most int) (
	[]readsql.PartnersFound, error) {
	return readsql.PartnersOf(w.Tx, of, keys, asks, most)
}
