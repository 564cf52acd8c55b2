package keptsql

import (
	"encoding/json"

	"yalvo/internal/design/plan"
	"yalvo/internal/engine/store"
)

// NoteOrigin notes what a frozen copy of source was given, and of whom.
func NoteOrigin(tx *store.Tx, frozen plan.Number, target, source int64, value json.RawMessage) error {
	return tx.DB.Exec("INSERT INTO origins (source, copy, target, value) VALUES (?, ?, ?, ?::jsonb)", source, frozen,
		target, string(value)).Error
}

// Given are the frozen copies that a document has got, those that were emptied
// since included. Key: origins (source, copy).
func Given(tx *store.Tx, source int64) (map[plan.Number]bool, error) {
	var copies []int64
	err := tx.DB.Raw("SELECT copy FROM origins WHERE source = ?", source).Scan(&copies).Error
	given := make(map[plan.Number]bool, len(copies))
	for _, c := range copies {
		given[plan.Number(c)] = true
	}
	return given, err
}

// EmptyFrozen empties the frozen copies that hold some documents' values, wherever
// their references point by now, and returns the documents that held them.
// They stay empty: they were given once.
// Keys: origins_of (copy, target), kept (doc).
func EmptyFrozen(tx *store.Tx, c *plan.Copy, targets []int64) ([]int64, error) {
	var holders []int64
	err := tx.DB.Raw("SELECT source FROM origins WHERE copy = ? AND target = ANY(?::bigint[])", c.Number,
		store.Bigints(targets)).Scan(&holders).Error
	if err == nil {
		err = LockKept(tx, holders)
	}
	if err != nil {
		return nil, err
	}
	var emptied []int64
	err = tx.DB.Raw(`
		WITH gone AS (UPDATE origins SET target = 0, value = 'null' WHERE copy = ? AND target = ANY(?::bigint[])
			RETURNING source)
		UPDATE kept k SET "values" = jsonb_set(k.values, ARRAY[?::text], 'null')
		FROM gone WHERE k.doc = gone.source
		RETURNING k.doc`, c.Number, store.Bigints(targets), c.Name).Scan(&emptied).Error
	return emptied, err
}
