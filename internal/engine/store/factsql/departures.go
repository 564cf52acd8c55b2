package factsql

import (
	"time"

	"yalvo/internal/design/plan"
	"yalvo/internal/engine/store"
)

// DropDeparted forgets up to limit documents that went longer ago than an age and
// on which nothing hangs any more. Those that have left something stay, out of the
// way of further looks: a frozen copy, or a reference that was left dangling. NOT
// IN makes a hash of what is still to be ended.
// Index: departed_when. Keys: origins_of, refs_pointing, due (lane, change, seq).
func DropDeparted(tx *store.Tx, age time.Duration, limit int, references, frozen []plan.Number) error {
	return tx.DB.Exec(`
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
		store.Interval(age), limit, store.NumberArgs(frozen), store.NumberArgs(references), plan.Ending).Error
}

const departedColumns = "d.n, d.collection, d.key, d.created"

// DepartedWith are documents that went before and would have gone with some
// documents, or with one another of them. Index: departed_of.
func DepartedWith(tx *store.Tx, ns []int64) ([]store.Document, error) {
	var found []store.Document
	err := tx.DB.Raw(`
		WITH RECURSIVE went (n) AS (
			SELECT unnest(?::bigint[])
			UNION
			SELECT d.n FROM went w JOIN departed d ON d.of @> ARRAY[w.n]
		)
		SELECT `+departedColumns+` FROM went JOIN departed d USING (n)
		WHERE d.n <> ALL(?::bigint[])`, store.Bigints(ns), store.Bigints(ns)).Scan(&found).Error
	return found, err
}

// Departed is the document that bore a name last, if it is gone and still known.
// Index: departed_named.
func Departed(tx *store.Tx, a store.Address) (store.Document, bool, error) {
	var d store.Document
	got := tx.DB.Raw("SELECT "+departedColumns+" FROM departed d WHERE d.collection = ? AND d.key = ? ORDER BY "+
		"d.n DESC "+
		"LIMIT 1", a.Collection, a.Key).Scan(&d)
	return d, got.RowsAffected > 0, got.Error
}
