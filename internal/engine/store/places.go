package store

import (
	"context"
	"sync/atomic"

	"yalvo/internal/design/plan"

	"github.com/jackc/pgx/v5"
	"github.com/jackc/pgx/v5/pgtype"
)

// Place is an entry of a timeline: where it stands, and which versions of its document there
// are.
type Place struct {
	Rank, Doc int64
	Versions
	Certain bool // it has not been written since [TimelinePage.Since]: there are no versions then
	May     bool // whether the filter of [Store.Places] lets it through
	MarksFound
}

// Versions are those of a document's row and of the row of its kept values (xmin; 0: none). A
// row changes its version whenever it is written.
type Versions struct{ Document, Kept pgtype.Uint32 }

// TimelinePage says which entries of a timeline to read.
type TimelinePage struct {
	*plan.Timeline
	At     Address // whose it is
	Me     string  // who reads it, if its form is for [AnyReader]
	Owner  Owner   // which document that is believed to be
	After  Boundary
	Filter Filter // it leaves nothing out: the places tell what it says
	Limit  int
	MarksAsked

	Since  Since    // as of when it is known what the entries show
	InMany Pairings // who is known to be in many pairs: see [InMany]
}

// PlacesForm is what pages of a timeline have in common that are filtered and marked alike: the
// statement, but for what is asked by it.
type PlacesForm struct {
	lookups *lookups
	page    TimelinePage // that it was made for
	with    statement    // before the statement
	is      statement    // what the filter says
	columns string
	alike   string
	each    atomic.Pointer[string] // the statement for several readers, once it has been made
}

// AnyReader is a key that no document has. In a form it stands for whoever reads: their filter,
// and the account whose marks they ask for, are of one of that key.
const AnyReader = "*"

// Form makes the form of a page.
func (page TimelinePage) Form() *PlacesForm {
	f := page.form(false)
	f.alike = page.Timeline.Name + f.with.sql + f.columns
	return f
}

// form is the form of a statement for one reader, or for each of several.
func (page TimelinePage) form(each bool) *PlacesForm {
	l := &lookups{each: each, told: true, many: page.InMany, news: true}
	marks := page.MarksAsked.columns(l, "e.doc")
	only := page.Filter.clausesWith(l)
	// Of all entries the versions are read, if it is not known what was written.
	rewritten := "coalesce(e.doc = ANY (" + l.rewrittenDocs() + "), true)"
	return &PlacesForm{lookups: l, page: page, with: only.with, is: only.is, columns: `
		SELECT e.rank, e.doc, e.doc <> ALL (` + l.rewrittenDocs() + `),
			CASE WHEN ` + rewritten + ` THEN (SELECT xmin FROM documents WHERE n = e.doc) END,
			CASE WHEN ` + rewritten + ` THEN (SELECT xmin FROM kept WHERE doc = e.doc) END,
			coalesce(` + only.is.sql + `, false), ` + l.inMany() + ", " + marks}
}

// PlacesQuery is a page of a timeline, ready to be read: by itself, or together with those of
// other owners.
type PlacesQuery struct {
	TimelinePage
	*PlacesForm
}

// Query makes a page ready to be read.
func (page TimelinePage) Query() *PlacesQuery { return page.In(page.Form()) }

// In is a page in a form, which its filter and marks are of.
func (page TimelinePage) In(form *PlacesForm) *PlacesQuery { return &PlacesQuery{page, form} }

// statement reads the page; of an owner whose part is not known, wherever the entries lie.
func (q *PlacesQuery) statement(owner Owner) statement {
	s := q.reading(owner)
	return statement{q.with.sql + q.PlacesForm.columns + s.sql, s.args}
}

// reading is what comes after the columns of the statement, with the arguments of all of it.
func (q *PlacesQuery) reading(owner Owner) statement {
	from := page(q.Timeline, owner, q.After, q.Limit)
	args := make([]any, 0, 16)
	args = append(q.of(args, q.with.args), q.Since.args()...)
	args = append(q.of(args, q.is.args), from.args...)
	return statement{`
		FROM ` + from.sql + ` e
		WHERE EXISTS (SELECT 1 FROM documents WHERE n = ? AND collection = ? AND key = ?)
		ORDER BY e.rank DESC, e.doc DESC`, append(args, q.Owner.N, q.At.Collection, q.At.Key)}
}

// of adds arguments of the form, those of this reader.
func (q *PlacesQuery) of(args, form []any) []any {
	for _, arg := range form {
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
	inMany  Pairings
	marks   marksRow
}

func (p *placeRow) into() []any {
	return append([]any{&p.Rank, &p.Doc, &p.certain, &p.Document, &p.Kept, &p.May, &p.inMany}, p.marks.columns()...)
}

// readTo is where rows of the statement are read to.
func (q *PlacesQuery) readTo() (*placeRow, []any) {
	p := &placeRow{marks: q.marksRow()}
	return p, p.into()
}

// read reads a row of the statement.
func (q *PlacesQuery) read(row pgx.Rows, p *placeRow, columns []any) (err error) {
	p.marks.clear()
	if err := row.Scan(columns...); err != nil {
		return err
	}
	p.Certain = p.certain.Valid && p.certain.Bool
	p.MarksFound, err = q.found(p.marks)
	return err
}

// Places is a page of the timeline of an owner, newest first: nothing, if the owner is another
// document than is believed. If somebody is in many pairs who was not known to be, the error is
// an [InMany]. Keys: entries (timeline, owner, rank, doc), documents (n), kept (doc).
func (s *Store) Places(ctx context.Context, q *PlacesQuery) ([]Place, error) {
	places := make([]Place, 0, min(q.Limit, mostAhead))
	p, columns := q.readTo()
	err := s.visit(ctx, q.statement(q.Owner), func(row pgx.Rows) error {
		if err := q.read(row, p, columns); err != nil {
			return err
		}
		places = append(places, p.Place)
		return q.lookups.turnedOut(p.inMany, len(places))
	})
	return places, err
}

// Alike tells what a page has in common with those it can be read together with; empty if it is
// read by itself.
func (q *PlacesQuery) Alike() string {
	if q.Deliver != "push" || q.Limit > mostTogether {
		return ""
	}
	return q.alike
}

// eachOf is the statement for several readers, who are alike, with the arguments of each.
func (q *PlacesQuery) eachOf(readers [][]any) (statement, bool) {
	types, args, ok := columns(readers)
	if !ok {
		return statement{}, false
	}
	text := q.each.Load()
	if text == nil {
		form := q.page.form(true)
		made := eachText(form.lookups.beside(), form.columns+q.reading(Owner{}).sql, types)
		text = &made
		q.each.Store(text)
	}
	return statement{*text, args}, true
}

// PlacesTogether are pages of a timeline for several readers, by one statement and as of one
// moment: they are [PlacesQuery.Alike]. Pages are nil of who is to be answered alone.
func (s *Store) PlacesTogether(ctx context.Context, readers []*PlacesQuery) ([][]Place, error) {
	pages, args := make([][]Place, len(readers)), make([][]any, len(readers))
	for i, r := range readers {
		args[i] = r.reading(Owner{N: r.Owner.N}).args
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
	err := s.visit(ctx, query, func(row pgx.Rows) error {
		if err := first.read(row, p, columns); err != nil {
			return err
		}
		at := reader - 1
		if pages[at] == nil {
			pages[at] = make([]Place, 0, readers[at].Limit)
		}
		pages[at] = append(pages[at], p.Place)
		alone[at] = first.lookups.turnedOut(p.inMany, 1) != nil
		return nil
	})
	for i := range pages {
		if alone[i] {
			pages[i] = nil
		}
	}
	return pages, err
}
