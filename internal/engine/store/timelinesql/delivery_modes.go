package timelinesql

import (
	"context"
	"slices"

	"yalvo/internal/design/plan"
	"yalvo/internal/engine/store"
	"yalvo/internal/engine/store/factsql"
)

// PastThreshold are the authors among some whose delivery mode should change:
// their count of followers has passed the timeline's threshold, either way.
// Keys: kept (doc), delivery_modes.
func PastThreshold(tx *store.Tx, t *plan.Timeline, authors []int64) ([]int64, error) {
	var past []int64
	err := tx.DB.Raw(`
		SELECT k.doc
		FROM kept k LEFT JOIN delivery_modes a ON a.timeline = ? AND a.author = k.doc
		CROSS JOIN LATERAL (SELECT (k.values ->> ?::text)::bigint AS many) f
		WHERE k.doc = ANY(?::bigint[])
		  AND (f.many > ? AND (a.author IS NULL OR a.pushing) OR f.many < ? AND a.author IS NOT NULL
			AND NOT a.pushing)`,
		t.Number, t.Followers().Name, store.Bigints(authors), t.Above, t.Lower()).Scan(&past).Error
	return past, err
}

// DeliveryMode says how an author's entries get to readers.
type DeliveryMode struct {
	Collected bool // they are collected when a timeline is read
	Pushing   bool // and written as well
	Clean     bool // and none are stored any more
}

// FindDeliveryMode reads it. The author's lock keeps it so.
func FindDeliveryMode(tx *store.Tx, timeline plan.Number, author int64) (DeliveryMode, error) {
	var a DeliveryMode
	err := tx.DB.Raw("SELECT true AS collected, pushing, clean FROM delivery_modes WHERE timeline = ? AND author = ?",
		timeline, author).Scan(&a).Error
	return a, err
}

// Followers is the kept count of an author's followers, 0 if there is no author.
func Followers(tx *store.Tx, t *plan.Timeline, author int64) (int, error) {
	var many int
	err := tx.DB.Raw(`SELECT coalesce((SELECT ("values" ->> ?::text)::bigint FROM kept WHERE doc = ?), 0)`,
		t.Followers().Name, author).Scan(&many).Error
	return many, err
}

// SetDeliveryMode writes it; not collected means that there is no row.
func SetDeliveryMode(tx *store.Tx, timeline plan.Number, author int64, a DeliveryMode) error {
	if !a.Collected {
		return tx.DB.Exec("DELETE FROM delivery_modes WHERE timeline = ? AND author = ?", timeline, author).Error
	}
	return tx.DB.Exec(`
		INSERT INTO delivery_modes (timeline, author, pushing, clean) VALUES (?, ?, ?, ?)
		ON CONFLICT (timeline, author) DO UPDATE SET pushing = excluded.pushing, clean = excluded.clean`, timeline,
		author, a.Pushing, a.Clean).Error
}

// NextFollowers are the followers of an author after one, in ascending order.
// Key: pairs (kind, b, a).
func NextFollowers(tx *store.Tx, t *plan.Timeline, author, after int64, limit int) ([]int64, error) {
	var owners []int64
	err := tx.DB.Raw("SELECT a FROM pairs WHERE kind = ? AND b = ? AND a > ? ORDER BY a LIMIT ?", t.Through.Number,
		author, after, limit).Scan(&owners).Error
	return owners, err
}

// ClearEntries takes all of an author's entries out of some timelines, but for
// the author's own in timelines that have these: who is paired with themselves alone
// collects their entries as others do. Key: entries (timeline, owner, ...).
func ClearEntries(tx *store.Tx, t *plan.Timeline, author int64, owners []int64) ([]Shortened, error) {
	return remove(tx, `
		DELETE FROM entries e
		USING (
			SELECT owner, rank, doc FROM entries
			WHERE timeline = ? AND owner = ANY(?::bigint[]) AND author = ? AND NOT (? AND owner = author)
			ORDER BY owner, rank, doc
			OFFSET 0
		) w
		WHERE e.timeline = ? AND e.owner = w.owner AND e.rank = w.rank AND e.doc = w.doc AND e.author = ?`, t.Number,
		store.Bigints(owners), author, t.Own, t.Number, author)
}

// Collects tells whether an owner's timeline collects an author's entries when
// it is read, and how many of what is collected or stored comes before a place.
func Collects(ctx context.Context, s *store.Store, t *plan.Timeline, owner, author, rank, doc int64) (bool, int64,
	error) {
	if t.Deliver == "push" {
		return false, 0, nil
	}
	from := collectedFrom(t, owner)
	var is bool
	db := s.DB.WithContext(ctx)
	err := db.Raw("SELECT EXISTS (SELECT 1 FROM ("+from.SQL+") c WHERE c.n = ?)",
		append(slices.Clone(from.Args), author)...).Scan(&is).Error
	if err != nil || !is {
		return is, 0, err
	}
	first := page(t, factsql.Owner{N: owner}, store.FromTheTop, t.Length)
	var newer int64
	err = db.Raw("SELECT count(*) FROM "+first.SQL+" e WHERE (e.rank, e.doc) > (?::bigint, ?::bigint)",
		append(first.Args, rank, doc)...).Scan(&newer).Error
	return true, newer, err
}
