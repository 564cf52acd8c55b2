package reading

import (
	"context"
	"sync/atomic"
	"time"

	"yalvo/internal/plan"
	"yalvo/internal/running"
	"yalvo/internal/store"
)

// Reader reads an app.
type Reader struct {
	*running.App
	owners   owners   // whose timelines were read lately
	shown    shown    // what entries show
	settling settling // those who wait for positions
	counted  countCache
	watchers watchers
	history  history
	given    atomic.Int64 // the highest position that is known to have been given out
}

// New makes a reader of an app.
func New(app *running.App) *Reader { return &Reader{App: app} }

// Boundary is where a page begins: just after an element of the one before it.
type Boundary = store.Boundary

// FromTheTop is the boundary before everything else in a page that is newest first.
var FromTheTop = store.FromTheTop

// Page says which part of a sequence to read.
type Page struct {
	After  Boundary
	Prefix string // collections: ids that begin with it
	Given  int    // timelines: how many entries the pages before this one had
	Limit  int
}

// Documents is a page of documents.
type Documents struct {
	Documents []running.Document
	Times     []time.Time // others by pair: since when; else creation
	Next      *Page       // nil: this is the last page

	Of   *plan.Collection // what they are, for [Reader.Marks]
	Rows []int64          // and which
}

// Document reads one document.
func (r *Reader) Document(ctx context.Context, collection, key string) (Documents, error) {
	v, err := r.Now(ctx)
	if err != nil {
		return Documents{}, err
	}
	c, err := v.Collection(collection)
	if err != nil {
		return Documents{}, err
	}
	doc, found, err := r.Store.Document(ctx, c, key)
	if err == nil && !found {
		err = running.NotFound(c, key)
	}
	if err != nil {
		return Documents{}, err
	}
	out := Documents{Of: c}
	out.add(running.See(c, doc), doc.N, doc.Created)
	return out, nil
}

func (d *Documents) add(doc running.Document, row int64, at time.Time) {
	d.Documents, d.Rows, d.Times = append(d.Documents, doc), append(d.Rows, row), append(d.Times, at.UTC())
}

// Collection reads a page of a collection by key; of a nested one, those under
// the parent, or under any parent if none is given.
func (r *Reader) Collection(ctx context.Context, collection, parent string, page Page) (Documents, error) {
	v, err := r.Now(ctx)
	if err != nil {
		return Documents{}, err
	}
	c, err := v.Collection(collection)
	if err != nil {
		return Documents{}, err
	}
	var parentNumber int64
	if c.Parent != nil && parent != "" {
		if parentNumber, err = r.Number(ctx, c.Parent, parent); err != nil {
			return Documents{}, err
		}
	}
	prefix := page.Prefix
	if parentNumber != 0 {
		prefix = parent + "/" + prefix
	}
	docs, err := r.Store.Documents(ctx, c.Number, parentNumber, prefix, page.After.Key, page.Limit+1)
	if err != nil {
		return Documents{}, err
	}
	out := Documents{Of: c}
	docs, cut := cutPage(docs, page.Limit, storedSize)
	if cut {
		out.Next = &Page{After: store.Boundary{Key: docs[len(docs)-1].Key}, Limit: page.Limit}
	}
	for _, d := range docs {
		out.add(running.See(c, d), d.N, d.Created)
	}
	return out, nil
}

// Linked reads what a name after a document leads to: the other ends of its
// pairs, the documents that point at it, or those nested under it.
func (r *Reader) Linked(ctx context.Context, collection, key, name string, page Page) (Documents, error) {
	v, err := r.Now(ctx)
	if err != nil {
		return Documents{}, err
	}
	c, err := v.Collection(collection)
	if err != nil {
		return Documents{}, err
	}
	for _, nested := range c.Nested {
		if nested.Name == name {
			return r.Collection(ctx, name, key, page)
		}
	}
	n, err := r.Number(ctx, c, key)
	if err != nil {
		return Documents{}, err
	}
	for _, p := range c.From {
		if p.FromCalls == name {
			rows, err := r.Store.Others(ctx, p.Number, n, true, page.After, page.Limit+1)
			return linkedPage(p.To, rows, page.Limit, err)
		}
	}
	for _, p := range c.To {
		if p.ToCalls == name {
			rows, err := r.Store.Others(ctx, p.Number, n, false, page.After, page.Limit+1)
			return linkedPage(p.From, rows, page.Limit, err)
		}
	}
	for _, ref := range c.PointedAt {
		if ref.Inverse == name {
			rows, err := r.Store.Pointing(ctx, ref.Number, n, page.After, page.Limit+1)
			return linkedPage(ref.In, rows, page.Limit, err)
		}
	}
	return Documents{}, running.Refuse(running.CodeUnknownName, "a document of %q has nothing called %q", c.Name, name)
}

func storedSize(d store.Document) int { return len(d.Fields) + len(d.Kept) }

// cutPage is a page of what was read for it, one more than it may have at most,
// and tells whether there is more: reading ends early where a page is full by
// its bytes.
func cutPage[T any](rows []T, limit int, size func(T) int) ([]T, bool) {
	bytes := 0
	for _, row := range rows {
		bytes += size(row)
	}
	if len(rows) > limit {
		return rows[:limit], true
	}
	return rows, bytes >= store.PageBytes
}

func linkedPage(c *plan.Collection, rows []store.Linked, limit int, err error) (Documents, error) {
	out := Documents{Of: c}
	if err != nil {
		return out, err
	}
	rows, cut := cutPage(rows, limit, func(l store.Linked) int { return storedSize(l.Document) })
	if cut {
		last := rows[len(rows)-1]
		out.Next = &Page{After: store.Boundary{Rank: last.At.UnixMicro(), N: last.N}, Limit: limit}
	}
	for _, row := range rows {
		out.add(running.See(c, row.Document), row.N, row.At)
	}
	return out, nil
}
