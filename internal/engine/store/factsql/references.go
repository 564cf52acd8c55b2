package factsql

import (
	"slices"

	"yalvo/internal/design/plan"
	"yalvo/internal/engine/store"
)

// Pointer is one reference as it stands: source points at target.
type Pointer struct {
	Source    int64
	Reference plan.Number
	Target    int64
}

// Pointers are the references that documents hold. Index: refs (source, reference).
func Pointers(tx *store.Tx, sources []int64) ([]Pointer, error) {
	var found []Pointer
	err := tx.DB.Raw("SELECT source, reference, target FROM refs WHERE source = ANY(?::bigint[])",
		store.Bigints(sources)).Scan(&found).Error
	return found, err
}

// PointingAt are the documents that point at a target through a reference, in
// ascending order, after a given one. Index: refs (reference, target, source).
func PointingAt(tx *store.Tx, reference plan.Number, target, after int64, limit int) ([]int64, error) {
	var sources []int64
	err := tx.DB.Raw(`
		SELECT source FROM refs
		WHERE reference = ? AND target = ? AND source > ?
		ORDER BY source
		LIMIT ?`, reference, target, after, limit).Scan(&sources).Error
	return sources, err
}

// PointingAtAny are up to limit documents that point at one of some targets.
// Index: refs_pointing (reference, target, source).
func PointingAtAny(tx *store.Tx, reference plan.Number, targets []int64, limit int) ([]int64, error) {
	var sources []int64
	err := tx.DB.Raw("SELECT source FROM refs WHERE reference = ? AND target = ANY(?::bigint[]) LIMIT ?",
		reference, store.Bigints(targets), limit).Scan(&sources).Error
	return sources, err
}

// StillPointing are those of locked documents that point at one of some targets
// through a reference. Who waited for the locks may find that others have moved on.
// Index: refs (source, reference).
func StillPointing(tx *store.Tx, reference plan.Number, targets []int64, docs []store.Document) ([]store.Document,
	error) {
	sources := make(store.Bigints, len(docs))
	for i, d := range docs {
		sources[i] = d.N
	}
	var still []int64
	err := tx.DB.Raw("SELECT source FROM refs WHERE source = ANY(?::bigint[]) AND reference = ? AND target = "+
		"ANY(?::bigint[])",
		sources, reference, store.Bigints(targets)).Scan(&still).Error
	return slices.DeleteFunc(docs, func(d store.Document) bool { return !slices.Contains(still, d.N) }), err
}

// NestedUnder are up to limit documents of a collection that lie under one of
// some parents. Index: documents_nested (parent, collection, key).
func NestedUnder(tx *store.Tx, collection plan.Number, parents []int64, limit int) ([]int64, error) {
	var ns []int64
	err := tx.DB.Raw("SELECT n FROM documents WHERE parent = ANY(?::bigint[]) AND collection = ? LIMIT ?",
		store.Bigints(parents), collection, limit).Scan(&ns).Error
	return ns, err
}

// SetPointers makes a document's references point at new targets; 0 points nowhere.
func SetPointers(tx *store.Tx, source int64, targets map[plan.Number]int64) error {
	var set, clear []int64
	var to []int64
	for reference, target := range targets {
		if target == 0 {
			clear = append(clear, int64(reference))
			continue
		}
		set, to = append(set, int64(reference)), append(to, target)
	}
	if len(clear) > 0 {
		if err := tx.DB.Exec("DELETE FROM refs WHERE source = ? AND reference = ANY(?::smallint[])", source,
			store.Bigints(clear)).Error; err != nil {
			return err
		}
	}
	if len(set) == 0 {
		return nil
	}
	return tx.DB.Exec(`
		INSERT INTO refs (source, reference, target)
		SELECT ?, new.reference, new.target FROM unnest(?::smallint[], ?::bigint[]) AS new (reference, target)
		ON CONFLICT (source, reference) DO UPDATE SET target = excluded.target`, source, store.Bigints(set),
		store.Bigints(to)).Error
}
