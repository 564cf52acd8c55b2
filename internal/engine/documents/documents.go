package documents

import (
	"context"
	"encoding/json"
	"slices"
	"time"

	"yalvo/internal/design"
	"yalvo/internal/design/access"
	"yalvo/internal/design/plan"
	"yalvo/internal/engine/judging"
	"yalvo/internal/engine/running"
	"yalvo/internal/engine/store"
	"yalvo/internal/engine/store/factsql"
	"yalvo/internal/engine/store/readsql"
	"yalvo/internal/engine/store/rulesql"
)

// Reader reads documents.
type Reader struct{ *judging.Judges }

// Boundary is where a page begins: just after an element of the one before it.
type Boundary = store.Boundary

// FromTheTop is the boundary before everything else in a page that is newest first.
var FromTheTop = store.FromTheTop

// Page says which part of a sequence to read.
type Page struct {
	After  Boundary
	Prefix string // collections: ids that begin with it
	Given  int    // timelines: how many entries of it the pages before this one had
	Top    int64  // lists: the row of what stood on top of the first page, 0 for nothing
	Limit  int
}

// Documents is a page of documents.
type Documents struct {
	Documents []running.Document
	Times     []time.Time // others by pair: since when; else creation
	Next      *Page       // nil: this is the last page

	Markable

	stored []store.Document // as they are stored, to be shown together

	Linked    bool              // they are the other ends of pairs
	PairFacts []json.RawMessage // lists through pairs: the facts of these
	Tops      int64             // lists: the row of what stands on top, 0 for nothing
}

// Document reads one document.
func (r *Reader) Document(ctx context.Context, who running.Viewer, collection, key string) (Documents, error) {
	v, err := r.Now(ctx)
	if err != nil {
		return Documents{}, err
	}
	c, err := v.Collection(collection)
	if err != nil {
		return Documents{}, err
	}
	doc, found, err := factsql.Document(r.Store.Looking(ctx), c, key)
	if err == nil && !found {
		err = running.NotFound(c, key)
	}
	if err != nil {
		return Documents{}, err
	}
	j := r.JudgeNow(ctx, v, who)
	if err := j.MayRead(c, doc); err != nil {
		return Documents{}, err
	}
	out := Documents{Markable: Markable{Of: c}}
	out.Add(doc, doc.Created)
	return out, out.Show(j)
}

// Room makes room for some more documents.
func (d *Documents) Room(many int) {
	d.stored, d.Times = slices.Grow(d.stored, many), slices.Grow(d.Times, many)
	d.Rows, d.Keys = slices.Grow(d.Rows, many), slices.Grow(d.Keys, many)
}

// Add adds a document.
func (d *Documents) Add(doc store.Document, at time.Time) {
	d.stored, d.Times = append(d.stored, doc), append(d.Times, at.UTC())
	d.Rows, d.Keys = append(d.Rows, doc.N), append(d.Keys, doc.Key)
}

// Len is how many have been added.
func (d *Documents) Len() int { return len(d.stored) }

// Show shows what was added as the viewer may see it.
func (d *Documents) Show(j *judging.Judge) (err error) {
	d.Documents, err = j.ShowAll(d.Of, d.stored)
	d.stored = nil
	return err
}

// Collection reads a page of a collection by key; of a nested one, those under
// the parent, or under any parent if none is given.
func (r *Reader) Collection(ctx context.Context, who running.Viewer, collection, parent string,
	page Page) (Documents, error) {
	v, err := r.Now(ctx)
	if err != nil {
		return Documents{}, err
	}
	c, err := v.Collection(collection)
	if err != nil {
		return Documents{}, err
	}
	j := r.JudgeNow(ctx, v, who)
	prefix := page.Prefix
	var parentNumber int64
	if c.Parent != nil && parent != "" {
		if err = r.mayRead(ctx, j, c.Parent, parent); err == nil {
			parentNumber, err = r.Number(ctx, c.Parent, parent)
		}
		if err != nil {
			return Documents{}, err
		}
		prefix = parent + "/" + prefix
	}
	found := Sequence[store.Document]{
		Read: func(after Boundary, filter rulesql.Filter, limit int) ([]store.Document, error) {
			return readsql.Documents(ctx, r.Store, c.Number, parentNumber, prefix, after.Key, filter, limit)
		},
		Filter: func() (rulesql.Filter, bool, error) {
			filter, exact, err := j.Filter(c)
			return filter, exact && (c.Parent == nil || parentNumber != 0), err // some may lie under what is hidden
		},
		Boundary: func(d store.Document) Boundary { return Boundary{Key: d.Key} },
		Size:     store.Document.Size,
		May:      judgedDocuments(j, c),
	}
	docs, next, err := found.Page(page.After, page.Limit)
	if err != nil {
		return Documents{}, err
	}
	out := Documents{Markable: Markable{Of: c}}
	if next != nil {
		out.Next = &Page{After: *next, Limit: page.Limit}
	}
	out.Room(len(docs))
	for _, d := range docs {
		out.Add(d, d.Created)
	}
	return out, out.Show(j)
}

// Linked reads what a name after a document leads to: the other ends of its
// pairs, the documents that point at it, or those nested under it.
func (r *Reader) Linked(ctx context.Context, who running.Viewer, collection, key, name string,
	page Page) (Documents, error) {
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
			return r.Collection(ctx, who, name, key, page)
		}
	}
	j := r.JudgeNow(ctx, v, who)
	if err := r.mayRead(ctx, j, c, key); err != nil {
		return Documents{}, err
	}
	n, err := r.Number(ctx, c, key)
	if err != nil {
		return Documents{}, err
	}
	for _, p := range c.From {
		if p.FromCalls == name {
			return r.others(ctx, j, p, n, key, true, page)
		}
	}
	for _, p := range c.To {
		if p.ToCalls == name {
			return r.others(ctx, j, p, n, key, false, page)
		}
	}
	for _, ref := range c.PointedAt {
		if ref.Inverse == name {
			return r.pointing(ctx, j, ref, n, page)
		}
	}
	return Documents{}, running.Refuse(running.CodeUnknownName, "a document of %q leads to nothing called %q: %s",
		c.Name, design.Clip(name), design.Meant(name, c.LeadsTo()))
}

// others are the other ends of a document's pairs.
func (r *Reader) others(ctx context.Context, j *judging.Judge, p *plan.Pair, n int64, key string, fromSide bool,
	page Page) (Documents, error) {
	of := p.From
	if fromSide {
		of = p.To
	}
	return linkedPage(j, of, page, Sequence[readsql.Linked]{
		Read: func(after Boundary, filter rulesql.Filter, limit int) ([]readsql.Linked, error) {
			return readsql.Others(ctx, r.Store, p, n, fromSide, after, filter, limit)
		},
		May:    JudgedPairs(j, p, key, fromSide),
		Simple: p.Access.Of(design.OpRead).Text() == "true",
	})
}

// pointing are the documents that point at one through a reference.
func (r *Reader) pointing(ctx context.Context, j *judging.Judge, ref *plan.Reference, n int64,
	page Page) (Documents, error) {
	narrowed := ref.In.Access.OfField(ref.Name, design.OpRead) != nil
	found := Sequence[readsql.Linked]{Simple: !narrowed}
	found.Read = func(after Boundary, filter rulesql.Filter, limit int) ([]readsql.Linked, error) {
		return readsql.Pointing(ctx, r.Store, ref.Number, n, after, filter, limit)
	}
	if j != nil {
		found.May = func(rows []readsql.Linked) ([]bool, error) {
			return judging.Allowed(j, rows, func(row readsql.Linked) ([]access.Condition, error) {
				values, err := j.RuleValues(ref.In, row.Document)
				doc := j.Law.Document(ref.In.Collection, row.Key, values)
				conditions := j.Law.Reading(ref.In.Collection, doc)
				if narrowed { // that it points here is a value of its own
					conditions = append(conditions, j.Law.ReadingField(ref.In.Collection, doc, ref.Name)...)
				}
				return conditions, err
			})
		}
	}
	return linkedPage(j, ref.In, page, found)
}

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

func linkedPage(j *judging.Judge, c *plan.Collection, page Page, found Sequence[readsql.Linked]) (Documents, error) {
	found.Boundary = func(l readsql.Linked) Boundary { return Boundary{Rank: l.At.UnixMicro(), N: l.N} }
	found.Size = func(l readsql.Linked) int { return l.Document.Size() }
	found.Filter = func() (rulesql.Filter, bool, error) {
		filter, exact, err := j.Filter(c)
		return filter, exact && c.Parent == nil && found.Simple, err
	}
	rows, next, err := found.Page(page.After, page.Limit)
	if err != nil {
		return Documents{}, err
	}
	out := Documents{Markable: Markable{Of: c}}
	if next != nil {
		out.Next = &Page{After: *next, Limit: page.Limit}
	}
	out.Room(len(rows))
	for _, row := range rows {
		out.Add(row.Document, row.At)
	}
	return out, out.Show(j)
}
