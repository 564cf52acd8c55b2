package timelinesql

import (
	"context"
	"sync/atomic"

	"yalvo/internal/design/plan"
	"yalvo/internal/engine/store"
	"yalvo/internal/engine/store/factsql"
	"yalvo/internal/engine/store/readsql"
	"yalvo/internal/engine/store/rulesql"

	"github.com/jackc/pgx/v5"
	"github.com/jackc/pgx/v5/pgtype"
)

// Place is an entry of a timeline: where it stands, and which versions of its document there
// are.
type Place struct {
	Rank, Doc int64
	readsql.Versions
	Certain bool // it has not been written since [TimelinePage.Since]: there are no versions then
	May     bool // whether the filter of [Places] lets it through
	readsql.MarksFound
}

// TimelinePage says which entries of a timeline to read.
type TimelinePage struct {
	*plan.Timeline
	At     store.Address // whose it is
	Me     string        // who reads it, if its statement is for [AnyReader]
	Owner  factsql.Owner // which document that is believed to be
	After  store.Boundary
	Filter rulesql.Filter // it leaves nothing out: the places tell what it says
	Limit  int
	readsql.MarksAsked

	Since  readsql.Since    // as of when it is known what the entries show
	InMany rulesql.Pairings // who is known to be in many pairs: see [rulesql.InMany]
}

// PlacesStatement is what pages of a timeline have in common that are filtered and marked alike: the
// statement, but for what is asked by it.
type PlacesStatement struct {
	lookups *rulesql.Lookups
	page    TimelinePage    // that it was made for
	with    store.Statement // before the statement
	is      store.Statement // what the filter says
	columns string
	alike   string
	each    atomic.Pointer[string] // the statement for several readers, once it has been made
}

// AnyReader is a key that no document has. In a statement it stands for whoever reads: their filter,
// and the account whose marks they ask for, are of one of that key.
const AnyReader = "*"

// Statement makes the statement of a page.
func (page TimelinePage) Statement() *PlacesStatement {
	f := page.statement(false)
	f.alike = page.Timeline.Name + f.with.SQL + f.columns
	return f
}

// statement is that for one reader, or for each of several.
func (page TimelinePage) statement(each bool) *PlacesStatement {
	l := &rulesql.Lookups{Each: each, Told: true, Many: page.InMany, News: true}
	marks := page.MarksAsked.Columns(l, "e.doc")
	only := page.Filter.ClausesWith(l)
	// Of all entries the versions are read, if it is not known what was written.
	rewritten := "coalesce(e.doc = ANY (" + l.RewrittenDocs() + "), true)"
	return &PlacesStatement{lookups: l, page: page, with: only.With, is: only.Is, columns: `
		SELECT e.rank, e.doc, e.doc <> ALL (` + l.RewrittenDocs() + `),
			CASE WHEN ` + rewritten + ` THEN (SELECT xmin FROM documents WHERE n = e.doc) END,
			CASE WHEN ` + rewritten + ` THEN (SELECT xmin FROM kept WHERE doc = e.doc) END,
			coalesce(` + only.Is.SQL + `, false), ` + l.InMany() + ", " + marks}
}

// PlacesQuery is a page of a timeline, ready to be read: by itself, or together with those of
// other owners.
type PlacesQuery struct {
	TimelinePage
	*PlacesStatement
}

// Query makes a page ready to be read.
func (page TimelinePage) Query() *PlacesQuery { return page.In(page.Statement()) }

// In is a page by a statement, which its filter and marks are of.
func (page TimelinePage) In(is *PlacesStatement) *PlacesQuery { return &PlacesQuery{page, is} }

// statement reads the page; of an owner whose part is not known, wherever the entries lie.
func (q *PlacesQuery) statement(owner factsql.Owner) store.Statement {
	s := q.reading(owner)
	return store.SQL(q.with.SQL+q.PlacesStatement.columns+s.SQL, s.Args...)
}

// reading is what comes after the columns of the statement, with the arguments of all of it.
func (q *PlacesQuery) reading(owner factsql.Owner) store.Statement {
	from := page(q.Timeline, owner, q.After, q.Limit)
	args := make([]any, 0, 16)
	args = append(q.of(args, q.with.Args), q.Since.Args()...)
	args = append(q.of(args, q.is.Args), from.Args...)
	return store.SQL(`
		FROM `+from.SQL+` e
		WHERE EXISTS (SELECT 1 FROM documents WHERE n = ? AND collection = ? AND key = ?)
		ORDER BY e.rank DESC, e.doc DESC`, append(args, q.Owner.N, q.At.Collection, q.At.Key)...)
}

// of adds arguments of the statement, those of this reader.
func (q *PlacesQuery) of(args, own []any) []any {
	for _, arg := range own {
		if arg == AnyReader {
			arg = q.Me
		}
		args = append(args, arg)
	}
	return args
}

// placeRow is a row of the statement.
type placeRow struct {
	Place
	certain pgtype.Bool
	inMany  rulesql.Pairings
	marks   readsql.MarksRow
}

func (p *placeRow) into() []any {
	return append([]any{&p.Rank, &p.Doc, &p.certain, &p.Document, &p.Kept, &p.May, &p.inMany}, p.marks.Columns()...)
}

// readTo is where rows of the statement are read to.
func (q *PlacesQuery) readTo() (*placeRow, []any) {
	p := &placeRow{marks: q.MarksRow()}
	return p, p.into()
}

// read reads a row of the statement.
func (q *PlacesQuery) read(row pgx.Rows, p *placeRow, columns []any) (err error) {
	p.marks.Clear()
	if err := row.Scan(columns...); err != nil {
		return err
	}
	p.Certain = p.certain.Valid && p.certain.Bool
	p.MarksFound, err = q.Found(p.marks)
	return err
}

// Places is a page of the timeline of an owner, newest first: nothing, if the owner is another
// document than is believed. If somebody is in many pairs who was not known to be, the error is
// an [rulesql.InMany]. Keys: entries (timeline, owner, rank, doc), documents (n), kept (doc).
func Places(ctx context.Context, s *store.Store, q *PlacesQuery) ([]Place, error) {
	places := make([]Place, 0, min(q.Limit, readsql.MostAhead))
	p, columns := q.readTo()
	err := s.Visit(ctx, q.statement(q.Owner), func(row pgx.Rows) error {
		if err := q.read(row, p, columns); err != nil {
			return err
		}
		places = append(places, p.Place)
		return q.lookups.TurnedOut(p.inMany, len(places))
	})
	return places, err
}

// Alike tells what a page has in common with those it can be read together with; empty if it is
// read by itself.
func (q *PlacesQuery) Alike() string {
	if q.Deliver != "push" || q.Limit > store.MostTogether {
		return ""
	}
	return q.alike
}

// eachOf is the statement for several readers, who are alike, with the arguments of each.
func (q *PlacesQuery) eachOf(readers [][]any) (store.Statement, bool) {
	types, args, ok := store.ArgColumns(readers)
	if !ok {
		return store.Statement{}, false
	}
	text := q.each.Load()
	if text == nil {
		form := q.page.statement(true)
		made := store.EachText(form.lookups.Beside(), form.columns+q.reading(factsql.Owner{}).SQL, types)
		text = &made
		q.each.Store(text)
	}
	return store.SQL(*text, args...), true
}

// PlacesTogether are pages of a timeline for several readers, by one statement and as of one
// moment: they are [PlacesQuery.Alike]. Pages are nil of who is to be answered alone.
func PlacesTogether(ctx context.Context, s *store.Store, readers []*PlacesQuery) ([][]Place, error) {
	pages, args := make([][]Place, len(readers)), make([][]any, len(readers))
	for i, r := range readers {
		args[i] = r.reading(factsql.Owner{N: r.Owner.N}).Args
	}
	first := readers[0]
	query, ok := first.eachOf(args)
	if !ok {
		return pages, nil
	}
	p, columns := first.readTo()
	var reader int64
	columns = append(columns, &reader)
	alone := make([]bool, len(readers))
	err := s.Visit(ctx, query, func(row pgx.Rows) error {
		if err := first.read(row, p, columns); err != nil {
			return err
		}
		at := reader - 1
		if pages[at] == nil {
			pages[at] = make([]Place, 0, readers[at].Limit)
		}
		pages[at] = append(pages[at], p.Place)
		alone[at] = first.lookups.TurnedOut(p.inMany, 1) != nil
		return nil
	})
	for i := range pages {
		if alone[i] {
			pages[i] = nil
		}
	}
	return pages, err
}
