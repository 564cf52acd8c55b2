package engine

import "yalvo/internal/store"

// count adds up deltas and applies each sum once, in the transaction that
// deletes the rows they came from: a thousand likes of one post are one update.
func (t *turn) count(due []store.Due) error {
	deltas := map[int64]map[string]int64{}
	for _, d := range due {
		c := t.plan.CountNumbered(d.Subject)
		if c == nil {
			continue // counted in a design that is no longer in force
		}
		if deltas[d.Doc] == nil {
			deltas[d.Doc] = map[string]int64{}
		}
		deltas[d.Doc][c.Name] += d.Amount
	}
	if err := t.tx.AddCounts(deltas); err != nil {
		return err
	}
	return t.finish(due)
}
