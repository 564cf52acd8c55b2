package store

import (
	"context"
	"slices"

	"yalvo/internal/plan"
)

// Lowered is the number of followers below which an author whose entries are
// collected when read has them written again: a fifth under the limit, so that
// one follower more or less does not move a million entries to and fro.
func Lowered(above int) int { return above - above/5 }

// Crossed are the authors among some whose count of followers says that they
// should be collected from when read and are not, or the other way round.
// Keys: kept (doc), audience.
func (tx *Tx) Crossed(t *plan.Timeline, authors []int64) ([]int64, error) {
	var crossed []int64
	err := tx.db.Raw(`
		SELECT k.doc
		FROM kept k LEFT JOIN audience a ON a.timeline = ? AND a.author = k.doc
		CROSS JOIN LATERAL (SELECT (k.values ->> ?::text)::bigint AS many) f
		WHERE k.doc = ANY(?::bigint[])
		  AND (f.many > ? AND (a.author IS NULL OR a.pushing) OR f.many < ? AND a.author IS NOT NULL AND NOT a.pushing)`,
		t.Number, t.Followers().Name, bigints(authors), t.Above, Lowered(t.Above)).Scan(&crossed).Error
	return crossed, err
}

// Audience says how an author's entries get to readers.
type Audience struct {
	Collected bool // they are collected when a timeline is read
	Pushing   bool // and written as well
	Clean     bool // and none are stored any more
}

// Audience reads it. The author's lock keeps it so.
func (tx *Tx) Audience(timeline plan.Number, author int64) (Audience, error) {
	var a Audience
	err := tx.db.Raw("SELECT true AS collected, pushing, clean FROM audience WHERE timeline = ? AND author = ?", timeline, author).Scan(&a).Error
	return a, err
}

// Followers is the kept count of an author's followers, 0 if there is no author.
func (tx *Tx) Followers(t *plan.Timeline, author int64) (int, error) {
	var many int
	err := tx.db.Raw(`SELECT coalesce((SELECT ("values" ->> ?::text)::bigint FROM kept WHERE doc = ?), 0)`, t.Followers().Name, author).Scan(&many).Error
	return many, err
}

// SetAudience writes it; not collected means that there is no row.
func (tx *Tx) SetAudience(timeline plan.Number, author int64, a Audience) error {
	if !a.Collected {
		return tx.db.Exec("DELETE FROM audience WHERE timeline = ? AND author = ?", timeline, author).Error
	}
	return tx.db.Exec(`
		INSERT INTO audience (timeline, author, pushing, clean) VALUES (?, ?, ?, ?)
		ON CONFLICT (timeline, author) DO UPDATE SET pushing = excluded.pushing, clean = excluded.clean`, timeline, author, a.Pushing, a.Clean).Error
}

// NextFollowers are the followers of an author after one, in ascending order.
// Key: pairs (kind, b, a).
func (tx *Tx) NextFollowers(t *plan.Timeline, author, after int64, limit int) ([]int64, error) {
	var owners []int64
	err := tx.db.Raw("SELECT a FROM pairs WHERE kind = ? AND b = ? AND a > ? ORDER BY a LIMIT ?", t.Through.Number, author, after, limit).Scan(&owners).Error
	return owners, err
}

// ClearEntries takes all of an author's entries out of some timelines, but for
// the author's own. Key: entries (timeline, owner, ...).
func (tx *Tx) ClearEntries(t *plan.Timeline, author int64, owners []int64) (int64, []Shortened, error) {
	return tx.remove(`
		DELETE FROM entries e
		WHERE e.timeline = ? AND e.owner = ANY(?::bigint[]) AND e.author = ? AND e.owner <> e.author`, t.Number, bigints(owners), author)
}

// page is the FROM item for a page of an owner's timeline: what is stored and,
// unless everything is pushed, what is collected from authors at this moment.
// An entry that is both counts once.
// Keys: entries, audience, pairs, pairs_from, posted.
func page(t *plan.Timeline, owner int64, after Place, limit int) statement {
	stored := statement{`
		(SELECT rank, doc, author FROM entries
		WHERE timeline = ? AND owner = ? AND (rank, doc) < (?::bigint, ?::bigint)
		ORDER BY rank DESC, doc DESC
		LIMIT ?)`, []any{t.Number, owner, after.Rank, after.N, limit}}
	if t.Deliver == "push" {
		return stored
	}
	from := collectedFrom(t, owner)
	return statement{`
		(WITH author AS (` + from.sql + `)
		` + stored.sql + `
		UNION
		(SELECT x.rank, x.doc, author.n
		FROM author CROSS JOIN LATERAL (
			SELECT rank, doc FROM posted
			WHERE timeline = ? AND posted.author = author.n AND (rank, doc) < (?::bigint, ?::bigint)
			ORDER BY rank DESC, doc DESC
			LIMIT ?
		) x
		ORDER BY x.rank DESC, x.doc DESC
		LIMIT ?)
		ORDER BY rank DESC, doc DESC
		LIMIT ?)`,
		append(append(from.args, stored.args...), t.Number, after.Rank, after.N, limit, limit, limit)}
}

// collectedFrom are the authors whose entries an owner's timeline collects when it is read.
func collectedFrom(t *plan.Timeline, owner int64) statement {
	may := related(t, "who.owner", "who.author")
	if t.Deliver == "pull" {
		args := append([]any{t.Through.Number, owner}, may.args...)
		return statement{`
			SELECT who.author AS n FROM (SELECT a AS owner, b AS author FROM pairs WHERE kind = ? AND a = ?) who WHERE ` + may.sql + `
			UNION
			SELECT w.n FROM (SELECT ?::bigint AS n) w WHERE ?`, append(args, owner, t.Own)}
	}
	return statement{`
		SELECT who.author AS n FROM (SELECT ?::bigint AS owner, author FROM audience WHERE timeline = ?) who WHERE ` + may.sql,
		append([]any{owner, t.Number}, may.args...)}
}

// Collects tells whether an owner's timeline collects an author's entries when
// it is read, and how many of what is collected or stored comes before a place.
func (s *Store) Collects(ctx context.Context, t *plan.Timeline, owner, author, rank, doc int64) (bool, int64, error) {
	if t.Deliver == "push" {
		return false, 0, nil
	}
	from := collectedFrom(t, owner)
	var is bool
	db := s.db.WithContext(ctx)
	err := db.Raw("SELECT EXISTS (SELECT 1 FROM ("+from.sql+") c WHERE c.n = ?)", append(slices.Clone(from.args), author)...).Scan(&is).Error
	if err != nil || !is {
		return is, 0, err
	}
	first := page(t, owner, FromTheTop, t.Length)
	var newer int64
	err = db.Raw("SELECT count(*) FROM "+first.sql+" e WHERE (e.rank, e.doc) > (?::bigint, ?::bigint)", append(first.args, rank, doc)...).Scan(&newer).Error
	return true, newer, err
}
