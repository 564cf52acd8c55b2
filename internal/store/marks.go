package store

import (
	"context"
	"encoding/json"
	"time"

	"github.com/jackc/pgx/v5"

	"yalvo/internal/plan"
)

// Marked is a pair of an account with one of some documents.
type Marked struct {
	Mark   int // which of the marks that were asked for
	Doc    int // which of the documents
	At     time.Time
	Fields json.RawMessage
}

// Marks finds the pairs of an account with some documents, false if there is no such
// account. Keys: documents (collection, key), pairs (kind, b, a).
func (s *Store) Marks(ctx context.Context, account Address, marks []plan.Marking,
	docs []int64) ([]Marked, bool, error) {
	kinds, reversed := make(bigints, len(marks)), make(bigints, len(marks))
	for i, m := range marks {
		kinds[i] = int64(m.Pair.Number)
		if m.Reversed {
			reversed[i] = 1
		}
	}
	query := statement{`
		SELECT x.*
		FROM documents me LEFT JOIN LATERAL (
			SELECT m.nth - 1 AS mark, d.nth - 1 AS doc, p.at, coalesce(p.shape, 0) AS shape,
				coalesce(p.fields, '{}') AS fields
			FROM unnest(?::smallint[], ?::bigint[]) WITH ORDINALITY m (kind, reversed, nth)
			CROSS JOIN unnest(?::bigint[]) WITH ORDINALITY d (n, nth)
			JOIN pairs p ON p.kind = m.kind AND p.b = CASE m.reversed WHEN 1 THEN me.n ELSE d.n END
				AND p.a = CASE m.reversed WHEN 1 THEN d.n ELSE me.n END
		) x ON true
		WHERE me.collection = ? AND me.key = ?`, []any{kinds.text(), reversed.text(), bigints(docs).text(),
		account.Collection, account.Key}}
	var found []Marked
	there := false
	err := s.visit(ctx, query, func(row pgx.Rows) error {
		there = true
		var mark, doc, shape *int
		var at *time.Time
		var fields []byte
		if err := row.Scan(&mark, &doc, &at, &shape, &fields); err != nil || mark == nil {
			return err // the account is there, and paired with none
		}
		found = append(found, marked(marks[*mark].Pair, Marked{*mark, *doc, *at, fields}, *shape))
		return nil
	})
	return found, there, err
}

// marked is a mark whose pair's own fields were stored in a form.
func marked(p *plan.Pair, m Marked, shape int) Marked {
	if p.Lift != nil && shape != p.Shape {
		m.Fields = p.Lift(m.Fields, m.At)
	}
	return m
}

// readMarks reads the marks of one document, each as a JSON array of when, form and fields, or
// nothing.
func readMarks(marks []plan.Marking, stored [][]byte) ([]Marked, error) {
	var found []Marked
	for i, text := range stored {
		if text == nil {
			continue
		}
		var micros int64
		var shape int
		m := Marked{Mark: i}
		if err := json.Unmarshal(text, &[]any{&micros, &shape, &m.Fields}); err != nil {
			return nil, err
		}
		m.At = time.UnixMicro(micros)
		found = append(found, marked(marks[i].Pair, m, shape))
	}
	return found, nil
}
