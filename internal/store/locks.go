package store

import (
	"strconv"

	"yalvo/internal/plan"
)

// AuthorLock is the lock on the entries of one author in one kind of timeline.
// Whoever adds or takes such entries holds it and looks at the facts after
// taking it: then whichever of two runs last has seen what the other saw.
// Those who only add what the author has posted share it with one another.
func AuthorLock(timeline plan.Number, author int64) int64 {
	return int64(timeline)<<48 | author
}

// TryLocks takes the locks that are free, some of them shared, until the
// transaction ends.
func (tx *Tx) TryLocks(keys []int64, shared map[int64]bool) (map[int64]bool, error) {
	var got []int64
	alone := make(texts, len(keys))
	for i, k := range keys {
		alone[i] = strconv.FormatBool(!shared[k])
	}
	err := tx.db.Raw(`
		SELECT k FROM unnest(?::bigint[], ?::boolean[]) AS t (k, alone)
		WHERE CASE WHEN alone THEN pg_try_advisory_xact_lock(k) ELSE pg_try_advisory_xact_lock_shared(k) END`, bigints(keys), alone).Scan(&got).Error
	held := make(map[int64]bool, len(got))
	for _, k := range got {
		held[k] = true
	}
	return held, err
}

// LockBetween keeps others from setting or dissolving pairs between two
// documents until the transaction ends: of a follow and a block at the same
// moment, the later one sees the other. The two-key form of the lock is a space
// of its own; two couples that share a lock only wait for each other.
func (tx *Tx) LockBetween(a, b int64) error {
	return tx.db.Exec("SELECT pg_advisory_xact_lock(hashint8(?), hashint8(?))", min(a, b), max(a, b)).Error
}

// Lock waits for one lock. The caller must hold no other.
func (tx *Tx) Lock(key int64) error {
	return tx.db.Exec("SELECT pg_advisory_xact_lock(?)", key).Error
}
