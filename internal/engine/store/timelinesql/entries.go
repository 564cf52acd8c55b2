package timelinesql

import (
	"yalvo/internal/design/plan"
	"yalvo/internal/engine/store"
)

// Post notes that a document entered a kind of timeline.
func Post(tx *store.Tx, timeline plan.Number, author, rank, doc int64) error {
	return tx.DB.Exec("INSERT INTO posted (timeline, author, rank, doc) VALUES (?, ?, ?, ?)", timeline, author, rank,
		doc).Error
}

// RankOf is the place in the order at which an author has posted a document,
// false if they have not. An author's posts are in the order of their ranks, so
// they are all looked at. Key: posted (timeline, author, ...).
func RankOf(tx *store.Tx, timeline plan.Number, author, doc int64) (int64, bool, error) {
	var rank int64
	got := tx.DB.Raw("SELECT rank FROM posted WHERE timeline = ? AND author = ? AND doc = ?", timeline, author,
		doc).Scan(&rank)
	return rank, got.RowsAffected > 0, got.Error
}

// Posted is a document in a kind of timeline: whose it is and its place in the order.
type Posted struct{ Author, Rank, Doc int64 }

// Unpost notes that documents left a kind of timeline. Key: posted.
func Unpost(tx *store.Tx, timeline plan.Number, posts ...Posted) error {
	if len(posts) == 0 {
		return nil
	}
	authors, ranks, docs := make(store.Bigints, len(posts)), make(store.Bigints, len(posts)), make(store.Bigints,
		len(posts))
	for i, p := range posts {
		authors[i], ranks[i], docs[i] = p.Author, p.Rank, p.Doc
	}
	return tx.DB.Exec(`
		DELETE FROM posted p USING unnest(?::bigint[], ?::bigint[], ?::bigint[]) AS gone (author, rank, doc)
		WHERE p.timeline = ? AND p.author = gone.author AND p.rank = gone.rank AND p.doc = gone.doc`,
		authors, ranks, docs, timeline).Error
}

// DropTimelines drops up to limit entries of owners who are gone, and then their cuts. It tells
// whether some are left: more than that, or some that others hold, for whom it does not wait.
// Keys: entries (timeline, owner, ...), cuts.
func DropTimelines(tx *store.Tx, timeline plan.Number, owners []int64, limit int) (many int64, left bool, err error) {
	got := tx.DB.Exec(`
		WITH gone AS MATERIALIZED (
			SELECT owner, rank, doc FROM entries WHERE timeline = ? AND owner = ANY(?::bigint[]) LIMIT ?
				FOR UPDATE SKIP LOCKED)
		DELETE FROM entries e USING gone w
		WHERE e.timeline = ? AND e.owner = w.owner AND e.rank = w.rank AND e.doc = w.doc`,
		timeline, store.Bigints(owners), limit, timeline)
	if got.Error != nil {
		return 0, false, got.Error
	}
	tx.WroteEntries(timeline, got.RowsAffected)
	err = tx.DB.Raw("SELECT EXISTS (SELECT FROM entries WHERE timeline = ? AND owner = ANY(?::bigint[]))", timeline,
		store.Bigints(owners)).Scan(&left).Error
	if err != nil || left {
		return got.RowsAffected, left, err
	}
	// Who holds a cut may be waiting for an entry that has been dropped here.
	err = tx.DB.Raw(`
		WITH free AS MATERIALIZED (
			SELECT owner FROM cuts WHERE timeline = ? AND owner = ANY(?::bigint[]) FOR UPDATE SKIP LOCKED),
		gone AS (DELETE FROM cuts c USING free WHERE c.timeline = ? AND c.owner = free.owner)
		SELECT EXISTS (
			SELECT FROM cuts
			WHERE timeline = ? AND owner = ANY(?::bigint[]) AND owner NOT IN (SELECT owner FROM free))`,
		timeline, store.Bigints(owners), timeline, timeline, store.Bigints(owners)).Scan(&left).Error
	return got.RowsAffected, left, err
}
