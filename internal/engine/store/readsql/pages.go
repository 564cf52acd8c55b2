package readsql

import (
	"context"
	"encoding/json"
	"time"

	"github.com/jackc/pgx/v5/pgtype"

	"yalvo/internal/design/plan"
	"yalvo/internal/engine/store"
	"yalvo/internal/engine/store/rulesql"
)

// Documents is a page of a collection by key, at a parent if it is nested
// (0: under any), of the keys that begin with a prefix.
// Indexes: documents (collection, key), documents_nested.
func Documents(ctx context.Context, s *store.Store, collection plan.Number, parent int64, prefix, after string,
	filter rulesql.Filter, limit int) ([]store.Document, error) {
	where, args := "d.collection = ? AND d.key > ? AND d.key >= ? AND d.key < ?",
		[]any{collection, after, prefix, prefix + "\x7f"}
	if parent != 0 {
		where, args = "d.parent = ? AND "+where, append([]any{parent}, args...)
	}
	only := filter.Clauses()
	return store.RowsOf(s.DB.WithContext(ctx).Raw(only.With.SQL+`
		SELECT `+store.DocumentColumns+`
		FROM documents d LEFT JOIN kept k ON k.doc = d.n`+only.Joins+`
		WHERE `+where+" AND "+only.Is.SQL+`
		ORDER BY d.key
		LIMIT ?`, only.Args(args, []any{limit})...), store.Document.Size)
}

// Size is about how many bytes it adds to a page.
func (l Linked) Size() int { return l.Document.Size() }

// Linked is a document met through a pair or a reference.
type Linked struct {
	store.Document
	At         time.Time       // when the pair was made; the document's creation for references
	PairFields json.RawMessage // of pairs: their own
}

// Others is a page of the documents that one is paired with, newest pair first.
// fromSide: the document is the pair's from end. Indexes: pairs_from, pairs_to.
func Others(ctx context.Context, s *store.Store, pair *plan.Pair, doc int64, fromSide bool, after store.Boundary,
	filter rulesql.Filter, limit int) ([]Linked, error) {
	here, there := "b", "a"
	if fromSide {
		here, there = "a", "b"
	}
	only := filter.Clauses()
	rows, err := store.RowsOf(s.DB.WithContext(ctx).Raw(only.With.SQL+`
		SELECT `+store.DocumentColumns+`, p.at, `+store.StoredFields(pair)+` AS pair_fields
		FROM pairs p JOIN documents d ON d.n = p.`+there+` LEFT JOIN kept k ON k.doc = d.n`+only.Joins+`
		WHERE p.kind = ? AND p.`+here+` = ? AND (p.at, p.`+there+`) < (?::timestamptz, ?::bigint)
			AND `+store.Walked("p.")+" AND "+only.Is.SQL+`
		ORDER BY p.at DESC, p.`+there+` DESC
		LIMIT ?`, only.Args([]any{pair.Number, doc, store.TimeOf(after.Rank), after.N}, []any{limit})...), Linked.Size)
	for i := range rows {
		rows[i].PairFields = store.UpcastFields(pair, rows[i].PairFields)
	}
	return rows, err
}

// Pointing is a page of the documents that point at one through a reference,
// newest first. Documents are numbered in the order of their creation.
// Index: refs_pointing (reference, target, source).
func Pointing(ctx context.Context, s *store.Store, reference plan.Number, target int64, after store.Boundary,
	filter rulesql.Filter, limit int) ([]Linked, error) {
	only := filter.Clauses()
	return store.RowsOf(s.DB.WithContext(ctx).Raw(only.With.SQL+`
		SELECT `+store.DocumentColumns+`, d.created AS at
		FROM refs r JOIN documents d ON d.n = r.source LEFT JOIN kept k ON k.doc = d.n`+only.Joins+`
		WHERE r.reference = ? AND r.target = ? AND r.source < ? AND `+only.Is.SQL+`
		ORDER BY r.source DESC
		LIMIT ?`, only.Args([]any{reference, target, after.N}, []any{limit})...), Linked.Size)
}

// MostAhead is how many rows of a page are made room for before any has come.
const MostAhead = 200

// Versions are those of a document's row and of the row of its kept values (xmin; 0: none). A
// row changes its version whenever it is written.
type Versions struct{ Document, Kept pgtype.Uint32 }
