package readsql

import (
	"context"
	"encoding/json"
	"fmt"
	"strings"
	"time"

	"github.com/jackc/pgx/v5"

	"yalvo/internal/design/plan"
	"yalvo/internal/engine/store"
	"yalvo/internal/engine/store/rulesql"
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
func Marks(ctx context.Context, s *store.Store, asked MarksAsked, docs []int64) ([]Marked, bool, error) {
	account, marks := asked.Account, asked.Marks
	kinds, reversed := make(store.Bigints, len(marks)), make(store.Bigints, len(marks))
	for i, m := range marks {
		kinds[i] = int64(m.Pair.Number)
		if m.Reversed {
			reversed[i] = 1
		}
	}
	query := store.SQL(`
		SELECT x.*
		FROM documents me LEFT JOIN LATERAL (
			SELECT m.nth - 1 AS mark, d.nth - 1 AS doc, p.at, coalesce(p.shape, 0) AS shape,
				coalesce(p.fields, '{}') AS fields
			FROM unnest(?::smallint[], ?::bigint[]) WITH ORDINALITY m (kind, reversed, nth)
			CROSS JOIN unnest(?::bigint[]) WITH ORDINALITY d (n, nth)
			JOIN pairs p ON p.kind = m.kind AND p.b = CASE m.reversed WHEN 1 THEN me.n ELSE d.n END
				AND p.a = CASE m.reversed WHEN 1 THEN d.n ELSE me.n END
		) x ON true
		WHERE me.collection = ? AND me.key = ?`, kinds.Text(), reversed.Text(), store.Bigints(docs).Text(),
		account.Collection, account.Key)
	var found []Marked
	there := false
	err := s.Visit(ctx, query, func(row pgx.Rows) error {
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
	if p.Upcast != nil && shape != p.Shape {
		m.Fields = p.Upcast(m.Fields, m.At)
	}
	return m
}

// MarksAsked says whose marks of the entries of a page are read with it, and which: none: no
// marks.
type MarksAsked struct {
	Account store.Address
	Marks   []plan.Marking
}

// MarksFound are those of one entry.
type MarksFound struct {
	Accounted bool     // the account is there
	Marks     []Marked // without the number of the document
}

// Columns are those that say whether the account is there, and how it is paired with a document
// whose row has this name in the statement: see [MarksRow]. Key: pairs (kind, b, a).
func (asked MarksAsked) Columns(l *rulesql.Lookups, doc string) string {
	if len(asked.Marks) == 0 {
		return "false"
	}
	me := l.Known(asked.Account.Collection, asked.Account.Key)
	columns := []string{me + " IS NOT NULL"}
	for _, m := range asked.Marks {
		b, a := doc, me
		if m.Reversed {
			b, a = me, doc
		}
		columns = append(columns, fmt.Sprintf(`(SELECT jsonb_build_array((extract(epoch FROM m.at) * 1000000)::bigint,
			coalesce(m.shape, 0), coalesce(m.fields, '{}')) FROM pairs m WHERE m.kind = %d AND m.b = %s AND m.a = %s)`,
			m.Pair.Number, b, a))
	}
	return strings.Join(columns, ", ")
}

// MarksRow is where those columns are read to: each mark a JSON array of when, form and fields, or
// nothing.
type MarksRow struct {
	accounted bool
	stored    [][]byte
}

// MarksRow is where the columns of what is asked for are read to.
func (asked MarksAsked) MarksRow() MarksRow {
	return MarksRow{stored: make([][]byte, len(asked.Marks))}
}

// Columns are where a row is scanned to.
func (r *MarksRow) Columns() []any {
	columns := []any{&r.accounted}
	for i := range r.stored {
		columns = append(columns, &r.stored[i])
	}
	return columns
}

// Clear is before the next row.
func (r *MarksRow) Clear() { clear(r.stored) }

// Found are the marks that a row tells of.
func (asked MarksAsked) Found(r MarksRow) (MarksFound, error) {
	out := MarksFound{Accounted: r.accounted}
	for i, text := range r.stored {
		if text == nil {
			continue
		}
		var micros int64
		var shape int
		m := Marked{Mark: i}
		if err := json.Unmarshal(text, &[]any{&micros, &shape, &m.Fields}); err != nil {
			return out, err
		}
		m.At = time.UnixMicro(micros)
		out.Marks = append(out.Marks, marked(asked.Marks[i].Pair, m, shape))
	}
	return out, nil
}
