package timelinesql

import (
	"context"
	"slices"

	"yalvo/internal/design/plan"
	"yalvo/internal/engine/store"
)

// A timeline holds its newest entries, as many as its length. Entries are not
// counted when they are written: a timeline may grow by its slack before a
// sweep cuts it, and a read never goes past the length.

// Slack is how many entries beyond its length a timeline may keep.
func Slack(length int) int { return length/4 + 16 }

// TrimOwners cuts the timelines of the next owners that hold more than length
// and slack, and returns where it stopped, which owners it cut, and whether
// there are no owners after these. A cut leaves half the slack. It waits for
// nobody who takes entries out: timelines whose cut is locked are left for the
// next time, and so are entries. Keys: documents (n), cuts, entries.
func TrimOwners(tx *store.Tx, t *plan.Timeline, after int64, limit int) (reached int64, cut []int64, last bool,
	err error) {
	var owners []int64
	err = tx.DB.Raw("SELECT n FROM documents WHERE n > ? AND collection = ? ORDER BY n LIMIT ?", after, t.Owner.Number,
		limit).Scan(&owners).Error
	if err != nil || len(owners) == 0 {
		return after, nil, true, err
	}
	if cut, err = setCuts(tx, t, owners); err == nil && len(cut) > 0 {
		err = tx.DB.Exec(`
			WITH below AS MATERIALIZED (
				SELECT e.timeline, e.owner, e.rank, e.doc
				FROM cuts f JOIN entries e ON e.timeline = f.timeline AND e.owner = f.owner
					AND (e.rank, e.doc) <= (f.rank, f.doc)
				WHERE f.timeline = ? AND f.owner = ANY(?::bigint[])
				FOR UPDATE OF e SKIP LOCKED)
			DELETE FROM entries e USING below b
			WHERE e.timeline = b.timeline AND e.owner = b.owner AND e.rank = b.rank AND e.doc = b.doc`, t.Number,
			store.Bigints(cut)).Error
	}
	return owners[len(owners)-1], cut, len(owners) < limit, err
}

// setCuts notes where timelines that are too long are cut, and returns whose.
func setCuts(tx *store.Tx, t *plan.Timeline, owners []int64) ([]int64, error) {
	slack := Slack(t.Length)
	var cut []int64
	err := tx.DB.Raw(`
		WITH there AS MATERIALIZED (SELECT owner FROM cuts WHERE timeline = ? AND owner = ANY(?::bigint[])),
		free AS MATERIALIZED (SELECT owner FROM cuts WHERE timeline = ? AND owner = ANY(?::bigint[]) ORDER BY owner
			FOR UPDATE SKIP LOCKED)
		INSERT INTO cuts (timeline, owner, rank, doc, surplus)
		SELECT ?::smallint, o.owner, x.rank, x.doc, 0
		FROM unnest(?::bigint[]) AS o (owner)
		CROSS JOIN LATERAL (
			SELECT 1 FROM entries WHERE timeline = ? AND owner = o.owner ORDER BY rank DESC, doc DESC OFFSET ? LIMIT 1
		) too_long
		CROSS JOIN LATERAL (
			SELECT rank, doc FROM entries WHERE timeline = ? AND owner = o.owner ORDER BY rank DESC, doc DESC OFFSET ?
				LIMIT 1
		) x
		WHERE o.owner NOT IN (SELECT owner FROM there EXCEPT SELECT owner FROM free)
		ORDER BY o.owner
		ON CONFLICT (timeline, owner) DO UPDATE SET rank = excluded.rank, doc = excluded.doc, surplus = 0
		WHERE (excluded.rank, excluded.doc) > (cuts.rank, cuts.doc)
		RETURNING owner`,
		t.Number, store.Bigints(owners), t.Number, store.Bigints(owners), t.Number, store.Bigints(owners),
		t.Number, t.Length+slack, t.Number, t.Length+slack/2).Scan(&cut).Error
	return cut, err
}

// Transaction is the number of the current transaction.
func Transaction(tx *store.Tx) (int64, error) {
	var xid int64
	err := tx.DB.Raw("SELECT pg_current_xact_id()::text::bigint").Scan(&xid).Error
	return xid, err
}

// AllEnded tells whether every transaction that ran beside the given one has ended.
func AllEnded(tx *store.Tx, xid int64) (bool, error) {
	var ended bool
	err := tx.DB.Raw("SELECT pg_snapshot_xmin(pg_current_snapshot())::text::bigint > ?::bigint", xid).Scan(&ended).Error
	return ended, err
}

// Cuts are the owners whose timelines have been cut, of one kind of timeline.
type Cuts map[int64]bool

// Of are those timelines among some that have been cut.
func (c Cuts) Of(all []Shortened) []Shortened {
	return slices.DeleteFunc(all, func(s Shortened) bool { return !c[s.Owner] })
}

// LockCuts keeps the cuts of owners' timelines as they are until the
// transaction ends, in ascending order. Who takes entries out does so first: a
// timeline that is cut for the first time meanwhile is counted again when this
// transaction has ended. Key: cuts (timeline, owner).
func LockCuts(tx *store.Tx, timeline plan.Number, owners []int64) (Cuts, error) {
	return lockCuts(tx, "SELECT unnest(?::bigint[])", timeline, store.Bigints(owners))
}

// LockCutsOf is [LockCuts] for those whom entries on their way out can
// reach: the followers of this turn, and the authors.
func LockCutsOf(tx *store.Tx, fanOuts []FanOut) (Cuts, error) {
	rows := fanOutRows
	return lockCuts(tx, `
		SELECT p.a FROM `+rows+` JOIN pairs p ON p.kind = s.pair AND p.b = s.author AND p.a > s.cursor AND p.a <= s.last
		UNION ALL SELECT s.author FROM `+rows+` WHERE s.own`, fanOuts[0].Timeline,
		append(fanOutArgs(fanOuts), fanOutArgs(fanOuts)...)...)
}

func lockCuts(tx *store.Tx, of string, timeline plan.Number, args ...any) (Cuts, error) {
	var owners []int64
	err := tx.DB.Raw(`
		SELECT f.owner FROM cuts f
		WHERE f.timeline = ? AND f.owner IN (`+of+`)
		ORDER BY f.owner
		FOR UPDATE OF f`, append([]any{timeline}, args...)...).Scan(&owners).Error
	cuts := make(Cuts, len(owners))
	for _, owner := range owners {
		cuts[owner] = true
	}
	return cuts, err
}

// CountAbove counts what is stored above locked cuts, at most limit of each.
func CountAbove(tx *store.Tx, timeline plan.Number, owners []int64, limit int) (map[int64]int, error) {
	var rows []struct {
		Owner int64
		Many  int
	}
	err := tx.DB.Raw(`
		SELECT f.owner, (
			SELECT count(*) FROM (
				SELECT FROM entries e
				WHERE e.timeline = f.timeline AND e.owner = f.owner AND (e.rank, e.doc) > (f.rank, f.doc)
				LIMIT ?
			) above
		) AS many
		FROM cuts f WHERE f.timeline = ? AND f.owner = ANY(?::bigint[])`, limit, timeline,
		store.Bigints(owners)).Scan(&rows).Error
	many := make(map[int64]int, len(rows))
	for _, r := range rows {
		many[r.Owner] = r.Many
	}
	return many, err
}

// SetSurplus notes how many entries may go before timelines, whose cuts are
// locked, are too short.
func SetSurplus(tx *store.Tx, timeline plan.Number, surplus map[int64]int) error {
	var owners, many store.Bigints
	for owner, n := range surplus {
		owners, many = append(owners, owner), append(many, int64(n))
	}
	return tx.DB.Exec(`
		UPDATE cuts f SET surplus = s.many FROM unnest(?::bigint[], ?::bigint[]) AS s (owner, many)
		WHERE f.timeline = ? AND f.owner = s.owner`, owners, many, timeline).Error
}

// Refill brings a timeline back to its length and half the slack from the
// facts, and moves its locked cut down to where it now ends, or away if
// everything fits. It may meet facts that change meanwhile, so what it
// puts in must be verified in a later transaction. Keys: pairs_from (kind, a, ...), posted.
func Refill(tx *store.Tx, t *plan.Timeline, owner int64) error {
	keep := t.Length + Slack(t.Length)/2
	may := Entitled(t, "candidate.owner", "candidate.n").And(Stored(t, "candidate.owner", "candidate.n"))
	var cut []struct{ Rank, Doc int64 }
	err := tx.DB.Raw(`
		WITH candidate AS (
			SELECT b AS n, a AS owner FROM pairs WHERE kind = ? AND a = ? AND `+store.Walked("")+`
			UNION
			SELECT w.n, w.n FROM (SELECT ?::bigint AS n) w WHERE ?
		), author AS (
			SELECT n FROM candidate WHERE `+may.SQL+`
		), best AS MATERIALIZED (
			SELECT x.rank, x.doc, author.n AS author, row_number() OVER (ORDER BY x.rank DESC, x.doc DESC) AS place
			FROM author CROSS JOIN LATERAL (
				SELECT rank, doc FROM posted
				WHERE timeline = ? AND posted.author = author.n
				ORDER BY rank DESC, doc DESC
				LIMIT ?
			) x
			ORDER BY x.rank DESC, x.doc DESC
			LIMIT ?
		), refilled AS (
			INSERT INTO entries (timeline, owner, rank, doc, author)
			SELECT ?::smallint, ?::bigint, rank, doc, author FROM best WHERE place <= ?
			ORDER BY rank, doc
			ON CONFLICT DO NOTHING
		)
		SELECT rank, doc FROM best WHERE place = ?`,
		append(append([]any{t.Through.Number, owner, owner, t.Own}, may.Args...),
			t.Number, keep+1, keep+1, t.Number, owner, keep, keep+1)...).Scan(&cut).Error
	if err != nil {
		return err
	}
	if len(cut) == 0 {
		return tx.DB.Exec("DELETE FROM cuts WHERE timeline = ? AND owner = ?", t.Number, owner).Error
	}
	return tx.DB.Exec("UPDATE cuts SET rank = ?, doc = ?, surplus = ? WHERE timeline = ? AND owner = ?",
		cut[0].Rank, cut[0].Doc, keep-t.Length, t.Number, owner).Error
}

// Doubtful are the authors of whom one timeline holds entries that the facts do
// not justify. Keys: entries (timeline, owner, ...), posted, pairs.
func Doubtful(tx *store.Tx, t *plan.Timeline, owner int64) ([]int64, error) {
	may := Entitled(t, "e.owner", "e.author")
	var authors []int64
	err := tx.DB.Raw(`
		SELECT DISTINCT e.author
		FROM entries e
		WHERE e.timeline = ? AND e.owner = ?
		  AND NOT (
			(SELECT x.doc FROM posted x WHERE x.timeline = e.timeline AND x.author = e.author AND x.rank = e.rank
				AND x.doc = e.doc) IS NOT NULL
			AND `+may.SQL+`
		  )
		ORDER BY 1`, append([]any{t.Number, owner}, may.Args...)...).Scan(&authors).Error
	return authors, err
}

// EntryCount estimates how many entries are stored, from PostgreSQL's own statistics:
// cheap enough to ask an idle database again and again.
func EntryCount(ctx context.Context, s *store.Store) (int64, error) {
	var n int64
	err := s.DB.WithContext(ctx).Raw(`
		SELECT coalesce(sum(greatest(c.reltuples, 0)), 0)::bigint
		FROM pg_class c JOIN pg_inherits i ON i.inhrelid = c.oid
		WHERE i.inhparent = 'entries'::regclass`).Scan(&n).Error
	return n, err
}

// Shortened is a timeline that lost entries.
type Shortened struct {
	Timeline plan.Number
	Owner    int64
	Lost     int64
}

// remove runs a DELETE on entries e and returns which timelines lost how many.
func remove(tx *store.Tx, deletion string, args ...any) ([]Shortened, error) {
	var lost []Shortened
	err := tx.DB.Raw(`
		WITH gone AS (`+deletion+` RETURNING e.timeline, e.owner)
		SELECT timeline, owner, count(*) AS lost FROM gone GROUP BY timeline, owner`, args...).Scan(&lost).Error
	for _, l := range lost {
		tx.WroteEntries(l.Timeline, l.Lost)
	}
	return lost, err
}

// Shorten lowers the surplus of cut timelines, whose cuts are locked, and
// returns those that now hold fewer entries than their length.
func Shorten(tx *store.Tx, cut []Shortened) ([]Shortened, error) {
	if len(cut) == 0 {
		return nil, nil
	}
	timelines, owners, counts := make(store.Bigints, len(cut)), make(store.Bigints, len(cut)), make(store.Bigints,
		len(cut))
	for i, l := range cut {
		timelines[i], owners[i], counts[i] = int64(l.Timeline), l.Owner, l.Lost
	}
	var short []Shortened
	err := tx.DB.Raw(`
		WITH shortened AS (
			UPDATE cuts f SET surplus = f.surplus - l.lost
			FROM unnest(?::smallint[], ?::bigint[], ?::bigint[]) AS l (timeline, owner, lost)
			WHERE f.timeline = l.timeline AND f.owner = l.owner
			RETURNING f.timeline, f.owner, f.surplus
		)
		SELECT timeline, owner FROM shortened WHERE surplus < 0`, timelines, owners, counts).Scan(&short).Error
	return short, err
}

// IsCut tells whether the timeline of an owner was cut, so that there are entries that it does not hold.
// Keys: documents (collection, key), cuts.
func IsCut(ctx context.Context, s *store.Store, t *plan.Timeline, owner store.Address) (bool, error) {
	var is bool
	err := s.DB.WithContext(ctx).Raw(`
		SELECT EXISTS (SELECT FROM cuts WHERE timeline = ? AND owner =
			(SELECT n FROM documents WHERE collection = ? AND key = ?))`,
		t.Number, owner.Collection, owner.Key).Scan(&is).Error
	return is, err
}
