package listsql

import (
	"context"
	"errors"
	"fmt"
	"slices"
	"strings"

	"github.com/jackc/pgx/v5"

	"yalvo/internal/design"
	"yalvo/internal/engine/store"
	"yalvo/internal/engine/store/readsql"
	"yalvo/internal/engine/store/rulesql"
)

// ListQuery is a page of a list, ready to be read: by itself, or together with the same page
// for others.
type ListQuery struct {
	page    ListPage
	lookups *rulesql.Lookups

	listParts
	with    store.Statement // what is looked up for the reader
	columns string          // of the document
	shown   string          // what the list orders by
	from    store.Statement // tables, and what holds of every entry
	order   string
	kept    bool // kept values are named

	text string // of the statement for one reader
}

// listParts are the parts of a statement that name what is looked up, or may.
type listParts struct {
	also   string          // what follows the columns of the document
	reader string          // what is told of the reader, with a comma before it: see [readsql.Reading]
	filter store.Statement // what is left out, whoever reads
	own    store.Statement // what is left out for this reader
}

func (page ListPage) parts(l *rulesql.Lookups) (p listParts) {
	at, pairFields := "d.created", "NULL::jsonb"
	if page.Through != nil {
		at, pairFields = "p.at", store.StoredFields(page.Through)
	}
	marks := page.MarksAsked.Columns(l, "d.n")
	p.filter, p.own = page.Filter.Split(l)
	if p.reader = page.Reading.Column(l); p.reader != "" {
		p.reader = ", " + p.reader
	}
	p.also = at + ", " + pairFields + ", " + l.InMany() + ", " + marks
	return p
}

// Query makes a page ready to be read.
func (page ListPage) Query() (*ListQuery, error) {
	keys := sortKeys(page.List, "d.", "k.", "p.")
	after, err := page.after(keys)
	if err != nil {
		return nil, err
	}
	shown, order := make([]string, len(keys)), make([]string, len(keys))
	for i, k := range keys {
		shown[i], order[i] = k.shown(), k.sql+way(k.up)
	}
	q := &ListQuery{page: page, lookups: &rulesql.Lookups{Told: true, Many: page.InMany}}
	q.listParts = page.parts(q.lookups)
	q.kept = q.lookups.Kept || slices.ContainsFunc(page.Order, func(o design.Order) bool { return o.Part.Kept != nil })
	q.with = q.lookups.With()
	q.columns = page.document(q.kept)
	q.shown = strings.Join(shown, ", ")
	q.from = page.from(page.joins(q.kept) + q.lookups.Joins.String())
	q.from = store.SQL(q.from.SQL+after.SQL, append(q.from.Args, after.Args...)...)
	q.order = strings.Join(append(order, page.row()+way(keys[len(keys)-1].up)), ", ")
	rows := `
		SELECT ` + q.columns + ", " + q.also + ", " + q.shown + `
		FROM ` + q.from.SQL + " AND " + q.filter.SQL + " AND " + q.own.SQL + `
		ORDER BY ` + q.order + `
		LIMIT ?`
	if q.reader != "" {
		rows = `
		SELECT x.*` + q.reader + `
		FROM (` + rows + `) x`
	}
	q.text = q.with.SQL + rows
	return q, nil
}

// document are the columns of a document. If nothing else names its kept values, their version
// is looked for when it is on the page.
func (page ListPage) document(kept bool) string {
	switch {
	case !page.Bare:
		return listedColumns
	case kept:
		return "d.n, d.xmin, k.xmin"
	}
	return "d.n, d.xmin, " + keptVersion
}

// keptVersion is the version of a document's row of kept values.
const keptVersion = "(SELECT k.xmin FROM kept k WHERE k.doc = d.n)"

// joins are how kept values come to a document, if they are needed.
func (page ListPage) joins(kept bool) string {
	if page.Bare && !kept || page.ReadByKept() {
		return ""
	}
	return " LEFT JOIN kept k ON k.doc = d.n"
}

// listedColumns are those of [Listed] but for what follows from the list.
const listedColumns = `d.n, d.key, d.version, d.created, d.updated, coalesce(d.shape, 0), d.fields,
			coalesce(k.values, '{}'), d.quiet`

// alone is the statement for one reader.
func (q *ListQuery) alone() store.Statement {
	return store.SQL(q.text, slices.Concat(q.with.Args, q.from.Args, q.filter.Args, q.own.Args, []any{q.page.Limit})...)
}

// List is a page of a list. Indexes: see [plan.List.Serving]; documents (n), kept (doc), pairs
// (kind, b, a).
func List(ctx context.Context, s *store.Store, q *ListQuery) ([]Listed, error) {
	rows, size := make([]Listed, 0, min(q.page.Limit, readsql.MostAhead)), 0
	r := q.page.into()
	columns := q.page.columns(r)
	err := s.Visit(ctx, q.alone(), func(row pgx.Rows) error {
		if size >= store.PageBytes {
			return store.ErrEnough
		}
		listed, err := q.read(row, r, columns)
		rows = append(rows, listed)
		size += listed.size()
		return err
	})
	if errors.Is(err, store.ErrEnough) {
		err = nil
	}
	if err == nil && len(rows) == 0 {
		err = q.lookups.TurnedOut(0, 0)
	}
	return rows, err
}

// read reads a row of the statement.
func (q *ListQuery) read(row pgx.Rows, r *listRow, columns []any) (Listed, error) {
	r.Listed = Listed{}
	r.marks.Clear()
	if err := row.Scan(columns...); err != nil {
		return Listed{}, err
	}
	if err := q.lookups.TurnedOut(r.inMany, 1); err != nil {
		return Listed{}, err
	}
	return q.page.listed(*r)
}

// Alike tells what a page has in common with those it can be read together with; empty if it is
// read by itself.
func (q *ListQuery) Alike() string {
	p := q.page
	if !p.Bare || p.Through != nil || p.Only != 0 || p.Limit > store.MostTogether {
		return ""
	}
	return fmt.Sprintf("%s%#v%#v%d", q.text, q.from.Args, q.filter.Args, p.Limit)
}

// head is how many entries are read for all who read a page together: some more, as some are left out for one or
// another. Of whom more is left out reads alone then, which costs no more than reading more for all did.
func (page ListPage) head() int { return page.Limit * 130 / 100 }

// together is the statement for several readers. The entries are read once, as many as there
// must be if few are left out; of these each reader has the page of their own.
func (q *ListQuery) together(readers []*ListQuery) (store.Statement, bool) {
	keptVersion, values := keptVersion, ""
	if q.kept {
		keptVersion, values = "k.xmin", `, k."values" AS kept_values`
	}
	targets, upcast := "", ""
	if q.kept {
		upcast = ` CROSS JOIN LATERAL (SELECT d.kept_values AS "values") k`
	}
	for _, ref := range q.lookups.Targets {
		as := store.TargetOf(ref)
		targets += ", " + as + ".n AS " + as
		upcast += " CROSS JOIN LATERAL (SELECT d." + as + " AS n) " + as
	}
	own := make([][]any, len(readers))
	for i, r := range readers {
		own[i] = slices.Concat(r.with.Args, r.own.Args, []any{r.page.Limit})
	}
	l := &rulesql.Lookups{Each: true, Told: true, Many: q.page.InMany}
	parts := q.page.parts(l)
	each, ok := store.EachOf(l.Beside(), `
		SELECT d.n, d.xmin, d.kept_version, `+parts.also+", "+q.shown+parts.reader+`, d.nth, (SELECT count(*) FROM head)
		FROM head d`+upcast+`
		WHERE `+parts.own.SQL+`
		LIMIT ?`, own)
	return store.SQL(`WITH head AS MATERIALIZED (SELECT x.*, row_number() OVER () AS nth FROM (
			SELECT d.n, d.key, d.version, d.created, d.updated, d.fields, d.xmin, `+keptVersion+" AS kept_version"+
		values+targets+`
			FROM `+q.from.SQL+" AND "+q.filter.SQL+`
			ORDER BY `+q.order+`
			LIMIT ?) x)`+each.SQL, slices.Concat(q.from.Args, q.filter.Args, []any{q.page.head()}, each.Args)...), ok
}

// ListTogether is a page of a list for several readers, by one statement and as of one moment:
// they are [ListQuery.Alike]. Pages are nil of whom so much is left out that they are to be read
// by themselves.
func ListTogether(ctx context.Context, s *store.Store, readers []*ListQuery) ([][]Listed, error) {
	first := readers[0]
	query, ok := first.together(readers)
	pages := make([][]Listed, len(readers))
	if !ok {
		return pages, nil
	}
	r := first.page.into()
	var reader, place, last, there int64
	columns := append(first.page.columns(r), &place, &there, &reader)
	whole, most := make([]bool, len(readers)), first.page.head()
	err := s.Visit(ctx, query, func(row pgx.Rows) error {
		before := reader
		listed, err := first.read(row, r, columns)
		if turnedOut := (*rulesql.InMany)(nil); errors.As(err, &turnedOut) {
			return nil // this reader goes on alone, and is told so then
		}
		if err != nil {
			return err
		}
		if reader == before && place <= last {
			return errors.New("entries of a page came out of order")
		}
		last = place
		at := reader - 1
		if pages[at] == nil {
			pages[at] = make([]Listed, 0, first.page.Limit)
		}
		pages[at] = append(pages[at], listed)
		if there < int64(most) || len(pages[at]) == first.page.Limit {
			whole[at] = true
		}
		return nil
	})
	for i := range pages {
		if !whole[i] {
			pages[i] = nil
		}
	}
	return pages, err
}
