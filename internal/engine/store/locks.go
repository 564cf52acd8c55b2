package store

import (
	"yalvo/internal/design/plan"
)

// authorLock is the lock on the entries of one author in one kind of timeline.
// Whoever adds or takes such entries holds it and looks at the facts after
// taking it: then whichever of two runs last has seen what the other saw.
// Those who only add what the author has posted share it with one another.
//
// It has two halves, so that two workers can take one entry out of the
// timelines of an author's followers together: each holds one half, and
// everyone else, who needs both, stays out.
func authorLock(timeline plan.Number, author int64) int64 {
	return int64(timeline)<<48 | author
}

// otherHalf is the bit that tells the halves apart. Row numbers stay below it.
const otherHalf = 1 << 47

// TryAuthors takes the locks of authors that are free until the transaction
// ends, shared with others who share them or alone. What waits then may wait for
// one of those that were half free, if there are any, and else for any one.
func (tx *Tx) TryAuthors(timeline plan.Number, authors []int64, shared bool) (held map[int64]bool, half []int64,
	err error) {
	try := "pg_try_advisory_xact_lock"
	if shared {
		try = "pg_try_advisory_xact_lock_shared"
	}
	var rows []struct {
		Author      int64
		First, Both bool
	}
	whole := authorLock(timeline, 0)
	err = tx.DB.Raw(`
		WITH timeline AS MATERIALIZED (SELECT pg_try_advisory_xact_lock_shared(?::bigint) AS free)
		SELECT author, first, first AND `+try+`(lock | ?::bigint) AS both
		FROM (
			SELECT w.author, w.author | ?::bigint AS lock, t.free AND `+try+`(w.author | ?::bigint) AS first
			FROM timeline t CROSS JOIN unnest(?::bigint[]) AS w (author)
			OFFSET 0
		) w`, whole, int64(otherHalf), whole, whole, Bigints(authors)).Scan(&rows).Error
	held = make(map[int64]bool, len(rows))
	for _, r := range rows {
		switch {
		case r.Both:
			held[r.Author] = true
		case r.First:
			half = append(half, r.Author)
		}
	}
	return held, half, err
}

// LockAuthor waits for an author's lock. The caller must hold no other, but for
// authors before this one, or one half of this one.
func (tx *Tx) LockAuthor(timeline plan.Number, author int64) error {
	first := authorLock(timeline, author)
	return tx.DB.Exec("SELECT pg_advisory_xact_lock_shared(?), pg_advisory_xact_lock(?), pg_advisory_xact_lock(?)",
		authorLock(timeline, 0), first, first|otherHalf).Error
}

// ShareTimeline keeps [Tx.LockTimeline] out until the transaction ends. Whoever
// writes entries, cuts or delivery modes of a timeline does, before any other lock:
// with an author's lock it comes by itself. A new document's entry in its author's
// own timeline is the exception: it is written with the document.
func (tx *Tx) ShareTimeline(timeline plan.Number) error {
	return tx.DB.Exec("SELECT pg_advisory_xact_lock_shared(?)", authorLock(timeline, 0)).Error
}

// LockTimeline waits until nobody writes entries of a kind of timeline, and keeps
// it so until the transaction ends: a stretch of a timeline is derived anew. No
// author has the number 0. The caller must hold no other lock.
func (tx *Tx) LockTimeline(timeline plan.Number) error { return tx.Lock(authorLock(timeline, 0)) }

// LockPart waits for the half of an author's lock that a part of a split
// withdrawal needs: the last one, or the one before. The caller must hold no other.
func (tx *Tx) LockPart(timeline plan.Number, author int64, last bool) error {
	half := authorLock(timeline, author)
	if last {
		half |= otherHalf
	}
	return tx.DB.Exec("SELECT pg_advisory_xact_lock_shared(?), pg_advisory_xact_lock(?)", authorLock(timeline, 0),
		half).Error
}

// TryLocks takes the locks that are free until the transaction ends.
func (tx *Tx) TryLocks(keys ...int64) (map[int64]bool, error) {
	var got []int64
	err := tx.DB.Raw("SELECT k FROM unnest(?::bigint[]) AS t (k) WHERE pg_try_advisory_xact_lock(k)",
		Bigints(keys)).Scan(&got).Error
	held := make(map[int64]bool, len(got))
	for _, k := range got {
		held[k] = true
	}
	return held, err
}

// TryLockLane keeps other services from working in a lane until the transaction
// ends, false if one is at it.
func (tx *Tx) TryLockLane(lane plan.Lane) (bool, error) {
	held, err := tx.TryLocks(int64(lane)) // no summary or timeline has the number 0
	return len(held) > 0, err
}

// BetweenLock takes the lock on what lies between two documents f.n and t.n.
// The two-key form is a space of its own; two couples that share a lock only
// wait for each other.
const BetweenLock = "pg_advisory_xact_lock(hashint8(least(f.n, t.n)), hashint8(greatest(f.n, t.n)))"

// LockBetween keeps others from setting or dissolving pairs between two
// documents, by their keys, until the transaction ends. Who sets a kind that
// dissolves another takes it before it looks for those: of a follow and a block
// at the same moment, the later one sees the other. It does nothing if one of
// the documents is missing.
func (tx *Tx) LockBetween(from, to Address) error {
	return tx.DB.Exec("SELECT "+BetweenLock+" FROM documents f, documents t WHERE f.collection = ? AND f.key = ? AND "+
		"t.collection = ? AND t.key = ?",
		from.Collection, from.Key, to.Collection, to.Key).Error
}

// WaitBriefly has the transaction fail where it would wait longer for a lock.
func (tx *Tx) WaitBriefly() error {
	return tx.DB.Exec("SELECT set_config('lock_timeout', '1s', true)").Error
}

// Lock waits for one lock. The caller must hold no other.
func (tx *Tx) Lock(key int64) error {
	return tx.DB.Exec("SELECT pg_advisory_xact_lock(?)", key).Error
}
