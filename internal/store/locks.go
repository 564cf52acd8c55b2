package store

import (
	"yalvo/internal/plan"
)

// AuthorLock is the lock on the entries of one author in one kind of timeline.
// Whoever adds or takes such entries holds it and looks at the facts after
// taking it: then whichever of two runs last has seen what the other saw.
// Those who only add what the author has posted share it with one another.
func AuthorLock(timeline plan.Number, author int64) int64 {
	return int64(timeline)<<48 | author
}

// TryLocks takes the locks that are free until the transaction ends, shared with
// others who share them or alone.
func (tx *Tx) TryLocks(keys []int64, shared bool) (map[int64]bool, error) {
	lock := "pg_try_advisory_xact_lock(k)"
	if shared {
		lock = "pg_try_advisory_xact_lock_shared(k)"
	}
	var got []int64
	err := tx.db.Raw("SELECT k FROM unnest(?::bigint[]) AS t (k) WHERE "+lock, bigints(keys)).Scan(&got).Error
	held := make(map[int64]bool, len(got))
	for _, k := range got {
		held[k] = true
	}
	return held, err
}

// TryLockLane keeps other services from working in a lane until the transaction
// ends, false if one is at it.
func (tx *Tx) TryLockLane(lane plan.Lane) (bool, error) {
	held, err := tx.TryLocks([]int64{int64(lane)}, false) // no summary or timeline has the number 0
	return len(held) > 0, err
}

// betweenLock takes the lock on what lies between two documents f.n and t.n.
// The two-key form is a space of its own; two couples that share a lock only
// wait for each other.
const betweenLock = "pg_advisory_xact_lock(hashint8(least(f.n, t.n)), hashint8(greatest(f.n, t.n)))"

// LockBetween keeps others from setting or dissolving pairs between two
// documents, by their keys, until the transaction ends. Who sets a kind that
// dissolves another takes it before it looks for those: of a follow and a block
// at the same moment, the later one sees the other. It does nothing if one of
// the documents is missing.
func (tx *Tx) LockBetween(from, to Address) error {
	return tx.db.Exec("SELECT "+betweenLock+" FROM documents f, documents t WHERE f.collection = ? AND f.key = ? AND "+
		"t.collection = ? AND t.key = ?",
		from.Collection, from.Key, to.Collection, to.Key).Error
}

// Lock waits for one lock. The caller must hold no other.
func (tx *Tx) Lock(key int64) error {
	return tx.db.Exec("SELECT pg_advisory_xact_lock(?)", key).Error
}
