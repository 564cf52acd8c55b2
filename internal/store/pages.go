package store

import (
	"context"
	"database/sql"
	"math"
	"time"

	"yalvo/internal/plan"
)

// Place is where a page begins: just after an element of the one before it.
// Which members count depends on the page's order.
type Place struct {
	Key  string // pages by key
	Rank int64  // pages newest first: microseconds since 1970
	N    int64  // among equals
}

// FromTheTop is the place before everything else in a page that is newest first.
var FromTheTop = Place{Rank: math.MaxInt64, N: math.MaxInt64}

// Documents is a page of a collection by key, at a parent if it is nested
// (0: under any), of the keys that begin with a prefix.
// Indexes: documents (collection, key), documents_nested.
func (s *Store) Documents(ctx context.Context, collection plan.Number, parent int64, prefix, after string, limit int) ([]Document, error) {
	where, args := "d.collection = ? AND d.key > ? AND d.key >= ? AND d.key < ?", []any{collection, after, prefix, prefix + "\x7f"}
	if parent != 0 {
		where, args = "d.parent = ? AND "+where, append([]any{parent}, args...)
	}
	var page []Document
	err := s.db.WithContext(ctx).Raw(`
		SELECT `+documentColumns+`
		FROM documents d LEFT JOIN kept k ON k.doc = d.n
		WHERE `+where+`
		ORDER BY d.key
		LIMIT ?`, append(args, limit)...).Scan(&page).Error
	return page, err
}

// Linked is a document met through a pair or a reference.
type Linked struct {
	Document
	At time.Time // when the pair was made; the document's creation for references
}

// Others is a page of the documents that one is paired with, newest pair first.
// fromSide: the document is the pair's from end. Indexes: pairs_from, pairs_to.
func (s *Store) Others(ctx context.Context, pair plan.Number, doc int64, fromSide bool, after Place, limit int) ([]Linked, error) {
	here, there := "b", "a"
	if fromSide {
		here, there = "a", "b"
	}
	var page []Linked
	err := s.db.WithContext(ctx).Raw(`
		SELECT `+documentColumns+`, p.at
		FROM pairs p JOIN documents d ON d.n = p.`+there+` LEFT JOIN kept k ON k.doc = d.n
		WHERE p.kind = ? AND p.`+here+` = ? AND (p.at, p.`+there+`) < (?::timestamptz, ?::bigint)
		ORDER BY p.at DESC, p.`+there+` DESC
		LIMIT ?`, pair, doc, timeOf(after.Rank), after.N, limit).Scan(&page).Error
	return page, err
}

// Pointing is a page of the documents that point at one through a reference,
// newest first. Documents are numbered in the order of their creation.
// Index: refs_pointing (reference, target, source).
func (s *Store) Pointing(ctx context.Context, reference plan.Number, target int64, after Place, limit int) ([]Linked, error) {
	var page []Linked
	err := s.db.WithContext(ctx).Raw(`
		SELECT `+documentColumns+`, d.created AS at
		FROM refs r JOIN documents d ON d.n = r.source LEFT JOIN kept k ON k.doc = d.n
		WHERE r.reference = ? AND r.target = ? AND r.source < ?
		ORDER BY r.source DESC
		LIMIT ?`, reference, target, after.N, limit).Scan(&page).Error
	return page, err
}

// timeOf is the time of a rank; the top of a page lies after every time.
func timeOf(rank int64) any {
	if rank == math.MaxInt64 {
		return "infinity"
	}
	return time.UnixMicro(rank)
}

// Entry is an entry of a timeline with what is shown of its document. Fields and
// kept values hold only while it is visited.
type Entry struct {
	Key     string
	Created time.Time
	Fields  sql.RawBytes
	Kept    sql.RawBytes
}

// Entries visits a page of the timeline of an owner, of the number that the
// owner is believed to have: nothing, if that is not so. Newest first. An entry
// whose document has just been removed is still stored but not visited; seen is
// how many stored entries the page went over and last where it ended, so that a
// reader can go on.
// Keys: entries (timeline, owner, rank, doc), documents (n), kept (doc).
func (s *Store) Entries(ctx context.Context, t *plan.Timeline, owner Address, n int64, after Place, limit int, visit func(Entry) error) (seen int, last Place, err error) {
	from := page(t, n, after, limit)
	rows, err := s.db.WithContext(ctx).Raw(`
		SELECT e.rank, e.doc, coalesce(d.key, ''), coalesce(d.created, 'epoch'), coalesce(d.fields, '{}'), coalesce(k.values, '{}')
		FROM `+from.sql+` e
		LEFT JOIN documents d ON d.n = e.doc
		LEFT JOIN kept k ON k.doc = e.doc
		WHERE EXISTS (SELECT 1 FROM documents WHERE n = ? AND collection = ? AND key = ?)
		ORDER BY e.rank DESC, e.doc DESC`, append(from.args, n, owner.Collection, owner.Key)...).Rows()
	if err != nil {
		return 0, after, err
	}
	defer rows.Close()
	last = after
	for rows.Next() { // column by column: this is the hottest read, and reflection would double its cost
		var e Entry
		if err := rows.Scan(&last.Rank, &last.N, &e.Key, &e.Created, &e.Fields, &e.Kept); err != nil {
			return 0, after, err
		}
		if seen++; e.Key == "" {
			continue
		}
		if err := visit(e); err != nil {
			return 0, after, err
		}
	}
	return seen, last, rows.Err()
}
