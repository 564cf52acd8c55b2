package reading

import (
	"context"
	"encoding/json"
	"errors"
	"slices"
	"time"

	lru "github.com/hashicorp/golang-lru/v2"

	"yalvo/internal/design"
	"yalvo/internal/design/access"
	"yalvo/internal/design/plan"
	"yalvo/internal/engine/gathering"
	"yalvo/internal/engine/judging"
	"yalvo/internal/engine/running"
	"yalvo/internal/engine/store"
	"yalvo/internal/engine/store/factsql"
	"yalvo/internal/engine/store/listsql"
	"yalvo/internal/engine/store/readsql"
	"yalvo/internal/engine/store/rulesql"
	"yalvo/internal/engine/store/timelinesql"
)

// Reader reads an app.
type Reader struct {
	*judging.Judges
	owners   *owners  // whose timelines were read lately
	shown    *shown   // what entries and lists show
	inMany   *inMany  // for whom pairs are looked for one by one
	shares   *shares  // how much of a list is read for them
	forms    *forms   // of pages of timelines
	settling settling // those who wait for positions
	counted  countCache
	history  history

	lists     gathering.Desk[*listsql.ListQuery, listsql.Listed]
	timelines gathering.Desk[*timelinesql.PlacesQuery, timelinesql.Place]
}

// New makes a reader of an app.
func New(judges *judging.Judges) (*Reader, error) {
	r := &Reader{Judges: judges}
	r.lists.Log, r.timelines.Log = judges.Log, judges.Log
	var errs [5]error
	r.owners, errs[0] = lru.New[store.Address, factsql.Owner](ownersKnown)
	r.inMany, errs[1] = lru.New[look, rulesql.Pairings](looksKnown)
	r.shares, errs[2] = lru.New[look, int](looksKnown)
	r.shown, errs[3] = newShown()
	r.forms, errs[4] = lru.New[formKey, form](formsKnown)
	return r, errors.Join(errs[:]...)
}

// PagesTogether is how many pages have been read together with those of other readers, by one
// statement for all.
func (r *Reader) PagesTogether() int64 { return r.lists.Together() + r.timelines.Together() }

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
	out.add(doc, doc.Created)
	return out, out.show(j)
}

// room makes room for some more documents.
func (d *Documents) room(many int) {
	d.stored, d.Times = slices.Grow(d.stored, many), slices.Grow(d.Times, many)
	d.Rows, d.Keys = slices.Grow(d.Rows, many), slices.Grow(d.Keys, many)
}

// add adds a document.
func (d *Documents) add(doc store.Document, at time.Time) {
	d.stored, d.Times = append(d.stored, doc), append(d.Times, at.UTC())
	d.Rows, d.Keys = append(d.Rows, doc.N), append(d.Keys, doc.Key)
}

// show shows what was added as the viewer may see it.
func (d *Documents) show(j *judging.Judge) (err error) {
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
	found := source[store.Document]{
		read: func(after Boundary, filter rulesql.Filter, limit int) ([]store.Document, error) {
			return readsql.Documents(ctx, r.Store, c.Number, parentNumber, prefix, after.Key, filter, limit)
		},
		filter: func() (rulesql.Filter, bool, error) {
			filter, exact, err := j.Filter(c)
			return filter, exact && (c.Parent == nil || parentNumber != 0), err // some may lie under what is hidden
		},
		boundary: func(d store.Document) Boundary { return Boundary{Key: d.Key} },
		size:     storedSize,
		may:      judgedDocuments(j, c),
	}
	docs, next, err := found.page(page.After, page.Limit)
	if err != nil {
		return Documents{}, err
	}
	out := Documents{Markable: Markable{Of: c}}
	if next != nil {
		out.Next = &Page{After: *next, Limit: page.Limit}
	}
	out.room(len(docs))
	for _, d := range docs {
		out.add(d, d.Created)
	}
	return out, out.show(j)
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
	return linkedPage(j, of, page, source[readsql.Linked]{
		read: func(after Boundary, filter rulesql.Filter, limit int) ([]readsql.Linked, error) {
			return readsql.Others(ctx, r.Store, p, n, fromSide, after, filter, limit)
		},
		may:    judgedPairs(j, p, key, fromSide),
		simple: p.Access.Of(design.OpRead).Text() == "true",
	})
}

// pointing are the documents that point at one through a reference.
func (r *Reader) pointing(ctx context.Context, j *judging.Judge, ref *plan.Reference, n int64,
	page Page) (Documents, error) {
	narrowed := ref.In.Access.OfField(ref.Name, design.OpRead) != nil
	found := source[readsql.Linked]{simple: !narrowed}
	found.read = func(after Boundary, filter rulesql.Filter, limit int) ([]readsql.Linked, error) {
		return readsql.Pointing(ctx, r.Store, ref.Number, n, after, filter, limit)
	}
	if j != nil {
		found.may = func(rows []readsql.Linked) ([]bool, error) {
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

func linkedPage(j *judging.Judge, c *plan.Collection, page Page, found source[readsql.Linked]) (Documents, error) {
	found.boundary = func(l readsql.Linked) Boundary { return Boundary{Rank: l.At.UnixMicro(), N: l.N} }
	found.size = func(l readsql.Linked) int { return storedSize(l.Document) }
	found.filter = func() (rulesql.Filter, bool, error) {
		filter, exact, err := j.Filter(c)
		return filter, exact && c.Parent == nil && found.simple, err
	}
	rows, next, err := found.page(page.After, page.Limit)
	if err != nil {
		return Documents{}, err
	}
	out := Documents{Markable: Markable{Of: c}}
	if next != nil {
		out.Next = &Page{After: *next, Limit: page.Limit}
	}
	out.room(len(rows))
	for _, row := range rows {
		out.add(row.Document, row.At)
	}
	return out, out.show(j)
}
