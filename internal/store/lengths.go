package store

import (
	"context"

	"yalvo/internal/plan"
)

// A timeline holds its newest entries, as many as its length. Entries are not
// counted when they are written: a timeline may grow by its slack before a
// sweep cuts it, and a read never goes past the length.

// Slack is how many entries beyond its length a timeline may keep.
func Slack(length int) int { return length/4 + 16 }

// TrimOwners cuts the timelines of the next owners that hold more than length
// and slack, and returns where it stopped, which owners it cut, and whether
// there are no owners after these. A cut leaves half the slack.
// Keys: documents (n), entries.
func (tx *Tx) TrimOwners(t *plan.Timeline, after int64, limit int) (reached int64, cut []int64, done bool, err error) {
	var owners []int64
	err = tx.db.Raw("SELECT n FROM documents WHERE n > ? AND collection = ? ORDER BY n LIMIT ?", after, t.Owner.Number, limit).Scan(&owners).Error
	if err != nil || len(owners) == 0 {
		return after, nil, true, err
	}
	slack := Slack(t.Length)
	err = tx.db.Raw(`
		INSERT INTO floors (timeline, owner, rank, doc, spare)
		SELECT ?::smallint, o.owner, x.rank, x.doc, 0
		FROM unnest(?::bigint[]) AS o (owner)
		CROSS JOIN LATERAL (
			SELECT 1 FROM entries WHERE timeline = ? AND owner = o.owner ORDER BY rank DESC, doc DESC OFFSET ? LIMIT 1
		) too_long
		CROSS JOIN LATERAL (
			SELECT rank, doc FROM entries WHERE timeline = ? AND owner = o.owner ORDER BY rank DESC, doc DESC OFFSET ? LIMIT 1
		) x
		ORDER BY o.owner
		ON CONFLICT (timeline, owner) DO UPDATE SET rank = excluded.rank, doc = excluded.doc, spare = 0
		WHERE (excluded.rank, excluded.doc) > (floors.rank, floors.doc)
		RETURNING owner`,
		t.Number, bigints(owners), t.Number, t.Length+slack, t.Number, t.Length+slack/2).Scan(&cut).Error
	if err == nil && len(cut) > 0 {
		err = tx.db.Exec(`
			DELETE FROM entries e USING floors f
			WHERE f.timeline = ? AND f.owner = ANY(?::bigint[])
			  AND e.timeline = f.timeline AND e.owner = f.owner AND (e.rank, e.doc) <= (f.rank, f.doc)`, t.Number, bigints(cut)).Error
	}
	return owners[len(owners)-1], cut, len(owners) < limit, err
}

// Transaction is the number of the current transaction.
func (tx *Tx) Transaction() (int64, error) {
	var xid int64
	err := tx.db.Raw("SELECT pg_current_xact_id()::text::bigint").Scan(&xid).Error
	return xid, err
}

// AllEnded tells whether every transaction that ran beside the given one has ended.
func (tx *Tx) AllEnded(xid int64) (bool, error) {
	var ended bool
	err := tx.db.Raw("SELECT pg_snapshot_xmin(pg_current_snapshot())::text::bigint > ?::bigint", xid).Scan(&ended).Error
	return ended, err
}

// LockFloor locks the cut of one timeline, false if it was never cut.
func (tx *Tx) LockFloor(timeline plan.Number, owner int64) (bool, error) {
	got := tx.db.Exec("SELECT 1 FROM floors WHERE timeline = ? AND owner = ? FOR UPDATE", timeline, owner)
	return got.RowsAffected > 0, got.Error
}

// CountAbove counts what is stored above a locked floor, at most limit.
func (tx *Tx) CountAbove(timeline plan.Number, owner int64, limit int) (int, error) {
	var many int
	err := tx.db.Raw(`
		SELECT count(*) FROM (
			SELECT 1 FROM entries e JOIN floors f ON f.timeline = e.timeline AND f.owner = e.owner
			WHERE e.timeline = ? AND e.owner = ? AND (e.rank, e.doc) > (f.rank, f.doc)
			LIMIT ?
		) above`, timeline, owner, limit).Scan(&many).Error
	return many, err
}

// SetSpare notes how many entries may go before a timeline is too short.
func (tx *Tx) SetSpare(timeline plan.Number, owner int64, spare int) error {
	return tx.db.Exec("UPDATE floors SET spare = ? WHERE timeline = ? AND owner = ?", spare, timeline, owner).Error
}

// Refill brings a timeline back to its length and half the slack from the
// facts, and moves its locked floor down to where it now ends, or away if
// everything fits. It may meet facts that change meanwhile, so [Tx.Verify]
// must follow in a later transaction. Keys: pairs_from (kind, a, ...), posted.
func (tx *Tx) Refill(t *plan.Timeline, owner int64) error {
	keep := t.Length + Slack(t.Length)/2
	may := entitled(t, "candidate.owner", "candidate.n").and(pushed(t, "candidate.n"))
	var floor []struct{ Rank, Doc int64 }
	err := tx.db.Raw(`
		WITH candidate AS (
			SELECT b AS n, a AS owner FROM pairs WHERE kind = ? AND a = ?
			UNION
			SELECT w.n, w.n FROM (SELECT ?::bigint AS n) w WHERE ?
		), author AS (
			SELECT n FROM candidate WHERE `+may.sql+`
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
			ON CONFLICT DO NOTHING
		)
		SELECT rank, doc FROM best WHERE place = ?`,
		append(append([]any{t.Through.Number, owner, owner, t.Own}, may.args...),
			t.Number, keep+1, keep+1, t.Number, owner, keep, keep+1)...).Scan(&floor).Error
	if err != nil {
		return err
	}
	if len(floor) == 0 {
		return tx.db.Exec("DELETE FROM floors WHERE timeline = ? AND owner = ?", t.Number, owner).Error
	}
	return tx.db.Exec("UPDATE floors SET rank = ?, doc = ?, spare = ? WHERE timeline = ? AND owner = ?",
		floor[0].Rank, floor[0].Doc, keep-t.Length, t.Number, owner).Error
}

// Verify takes out of one timeline what the facts do not justify. Run after
// an insert of entries has been committed, it sees every fact that the insert
// could have missed: a fact committed later brings work of its own.
func (tx *Tx) Verify(t *plan.Timeline, owner int64) (int64, []Shortened, error) {
	may := entitled(t, "e.owner", "e.author")
	return tx.remove(`
		DELETE FROM entries e
		WHERE e.timeline = ? AND e.owner = ?
		  AND NOT (
			(SELECT x.doc FROM posted x WHERE x.timeline = e.timeline AND x.author = e.author AND x.rank = e.rank AND x.doc = e.doc) IS NOT NULL
			AND `+may.sql+`
		  )`, append([]any{t.Number, owner}, may.args...)...)
}

// EntryCount estimates how many entries are stored, from PostgreSQL's own statistics:
// cheap enough to ask an idle database again and again.
func (s *Store) EntryCount(ctx context.Context) (int64, error) {
	var n int64
	err := s.db.WithContext(ctx).Raw(`
		SELECT coalesce(sum(greatest(c.reltuples, 0)), 0)::bigint
		FROM pg_class c JOIN pg_inherits i ON i.inhrelid = c.oid
		WHERE i.inhparent = 'entries'::regclass`).Scan(&n).Error
	return n, err
}
