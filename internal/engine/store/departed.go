package store

import (
	"time"

	"yalvo/internal/design/plan"
)

// DropDeparted forgets up to limit documents that went longer ago than an age and
// on which nothing hangs any more. Those that have left something stay, out of the
// way of further looks: a frozen copy, or a reference that was left dangling. NOT
// IN makes a hash of what is still to be ended.
// Index: departed_when. Keys: origins_of, refs_pointing, due (lane, change, seq).
func (tx *Tx) DropDeparted(age time.Duration, limit int, references, frozen []plan.Number) error {
	return tx.db.Exec(`
		WITH old AS (SELECT n FROM departed WHERE at < now() - ?::interval ORDER BY at LIMIT ?),
		left_something AS (
			SELECT o.n FROM old o
			WHERE EXISTS (SELECT FROM origins WHERE copy = ANY(?::smallint[]) AND target = o.n)
			   OR EXISTS (SELECT FROM refs WHERE reference = ANY(?::smallint[]) AND target = o.n)
		),
		stays AS (UPDATE departed d SET at = 'infinity' FROM left_something l WHERE d.n = l.n)
		DELETE FROM departed d
		USING old o
		WHERE d.n = o.n AND o.n NOT IN (SELECT n FROM left_something)
		  AND d.n NOT IN (SELECT w.doc FROM outstanding w WHERE w.lane = ?)`,
		interval(age), limit, numberArgs(frozen), numberArgs(references), plan.Ending).Error
}

const departedColumns = "d.n, d.collection, d.key, d.created"

// DepartedWith are documents that went before and would have gone with some
// documents, or with one another of them. Index: departed_of.
func (tx *Tx) DepartedWith(ns []int64) ([]Document, error) {
	var found []Document
	err := tx.db.Raw(`
		WITH RECURSIVE went (n) AS (
			SELECT unnest(?::bigint[])
			UNION
			SELECT d.n FROM went w JOIN departed d ON d.of @> ARRAY[w.n]
		)
		SELECT `+departedColumns+` FROM went JOIN departed d USING (n)
		WHERE d.n <> ALL(?::bigint[])`, bigints(ns), bigints(ns)).Scan(&found).Error
	return found, err
}

// Departed is the document that bore a name last, if it is gone and still known.
// Index: departed_named.
func (tx *Tx) Departed(a Address) (Document, bool, error) {
	var d Document
	got := tx.db.Raw("SELECT "+departedColumns+" FROM departed d WHERE d.collection = ? AND d.key = ? ORDER BY "+
		"d.n DESC "+
		"LIMIT 1", a.Collection, a.Key).Scan(&d)
	return d, got.RowsAffected > 0, got.Error
}
