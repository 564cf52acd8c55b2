package engine

import (
	"context"
	"encoding/json"
	"slices"
	"time"

	"github.com/go-json-experiment/json/jsontext"

	"yalvo/internal/design"
	"yalvo/internal/plan"
	"yalvo/internal/store"
)

// Page says which part of a sequence to read.
type Page struct {
	After  store.Place
	Prefix string // collections: ids that begin with it
	Given  int    // timelines: how many entries the pages before this one had
	Limit  int
}

// Documents is a page of documents.
type Documents struct {
	Documents []Document
	Times     []time.Time // others by pair: since when; else creation
	Next      *Page       // nil: this is the last page
}

// Document reads one document.
func (e *Engine) Document(ctx context.Context, collection, key string) (Document, error) {
	r, err := e.planned(ctx)
	if err != nil {
		return Document{}, err
	}
	c, err := r.collection(collection)
	if err != nil {
		return Document{}, err
	}
	doc, found, err := e.store.Document(ctx, store.Address{Collection: c.Number, Key: key})
	if err == nil && !found {
		err = notFound(c, key)
	}
	if err != nil {
		return Document{}, err
	}
	return view(c, doc), nil
}

// Collection reads a page of a collection by key; of a nested one, those under
// the parent, or under any parent if none is given.
func (e *Engine) Collection(ctx context.Context, collection, parent string, page Page) (Documents, error) {
	r, err := e.planned(ctx)
	if err != nil {
		return Documents{}, err
	}
	c, err := r.collection(collection)
	if err != nil {
		return Documents{}, err
	}
	var parentNumber int64
	if c.Parent != nil && parent != "" {
		if parentNumber, err = e.number(ctx, c.Parent, parent); err != nil {
			return Documents{}, err
		}
	}
	prefix := page.Prefix
	if parentNumber != 0 {
		prefix = parent + "/" + prefix
	}
	docs, err := e.store.Documents(ctx, c.Number, parentNumber, prefix, page.After.Key, page.Limit+1)
	if err != nil {
		return Documents{}, err
	}
	var out Documents
	if len(docs) > page.Limit {
		docs = docs[:page.Limit]
		out.Next = &Page{After: store.Place{Key: docs[page.Limit-1].Key}, Limit: page.Limit}
	}
	for _, d := range docs {
		out.Documents = append(out.Documents, view(c, d))
		out.Times = append(out.Times, d.Created)
	}
	return out, nil
}

// Linked reads what a name after a document leads to: the other ends of its
// pairs, the documents that point at it, or those nested under it.
func (e *Engine) Linked(ctx context.Context, collection, key, name string, page Page) (Documents, error) {
	r, err := e.planned(ctx)
	if err != nil {
		return Documents{}, err
	}
	c, err := r.collection(collection)
	if err != nil {
		return Documents{}, err
	}
	for _, nested := range c.Nested {
		if nested.Name == name {
			return e.Collection(ctx, name, key, page)
		}
	}
	n, err := e.number(ctx, c, key)
	if err != nil {
		return Documents{}, err
	}
	for _, p := range c.From {
		if p.FromCalls == name {
			rows, err := e.store.Others(ctx, p.Number, n, true, page.After, page.Limit+1)
			return linkedPage(p.To, rows, page.Limit, err)
		}
	}
	for _, p := range c.To {
		if p.ToCalls == name {
			rows, err := e.store.Others(ctx, p.Number, n, false, page.After, page.Limit+1)
			return linkedPage(p.From, rows, page.Limit, err)
		}
	}
	for _, ref := range c.PointedAt {
		if ref.Inverse == name {
			rows, err := e.store.Pointing(ctx, ref.Number, n, page.After, page.Limit+1)
			return linkedPage(ref.In, rows, page.Limit, err)
		}
	}
	return Documents{}, refuse(CodeUnknownName, "a document of %q has nothing called %q", c.Name, name)
}

func linkedPage(c *plan.Collection, rows []store.Linked, limit int, err error) (Documents, error) {
	var out Documents
	if err != nil {
		return out, err
	}
	if len(rows) > limit {
		rows = rows[:limit]
		last := rows[limit-1]
		out.Next = &Page{After: store.Place{Rank: last.At.UnixMicro(), N: last.N}, Limit: limit}
	}
	for _, row := range rows {
		out.Documents = append(out.Documents, view(c, row.Document))
		out.Times = append(out.Times, row.At.UTC())
	}
	return out, nil
}

// Entry is an entry of a timeline as its owner sees it.
type Entry struct {
	ID     string          `json:"id"`
	Path   string          `json:"path"`
	At     time.Time       `json:"at"`
	Author string          `json:"author"` // the author's key
	Fields json.RawMessage `json:"fields"` // what the entry carries of the document's facts
	Kept   json.RawMessage `json:"kept"`   // what it carries of the document's kept values
}

// Entries is a page of a timeline.
type Entries struct {
	Entries []Entry
	Next    *Page
}

// Timeline reads a page of an owner's timeline, newest first. Pages are cut by
// the timeline's length as it was when the first of them was read.
func (e *Engine) Timeline(ctx context.Context, timeline, owner string, page Page) (Entries, error) {
	r, err := e.planned(ctx)
	if err != nil {
		return Entries{}, err
	}
	t, err := r.timeline(timeline)
	if err != nil {
		return Entries{}, err
	}
	limit := min(page.Limit, t.Length-page.Given)
	out := Entries{Entries: make([]Entry, 0, max(limit, 0))}
	place := page.After
	for len(out.Entries) < limit {
		want := limit - len(out.Entries)
		seen, last, err := e.entries(ctx, t, owner, place, want, func(row store.Entry) error {
			entry, err := carried(t, row)
			out.Entries = append(out.Entries, entry)
			return err
		})
		if err != nil {
			return Entries{}, err
		}
		place = last
		if seen < want {
			return out, nil
		}
	}
	if given := page.Given + len(out.Entries); given < t.Length {
		out.Next = &Page{After: place, Given: given, Limit: page.Limit}
	}
	return out, nil
}

// entries visits some entries with the number that the owner had last time. If
// there are none, that may have been another document of the same key.
func (e *Engine) entries(ctx context.Context, t *plan.Timeline, owner string, place store.Place, want int, visit func(store.Entry) error) (int, store.Place, error) {
	at := store.Address{Collection: t.Owner.Number, Key: owner}
	known := e.owners.of(at)
	if known != 0 {
		seen, last, err := e.store.Entries(ctx, t, at, known, place, want, visit)
		if err != nil || seen > 0 {
			return seen, last, err
		}
	}
	n, err := e.number(ctx, t.Owner, owner)
	if err != nil || n == known {
		return 0, place, err
	}
	e.owners.learn(at, n)
	return e.store.Entries(ctx, t, at, n, place, want, visit)
}

// carried shows what the timeline carries of a document; all of it if the
// design's carry is empty.
func carried(t *plan.Timeline, row store.Entry) (Entry, error) {
	entry := Entry{ID: idOf(row.Key), Path: t.Entries.Path(row.Key), At: row.Created.UTC()}
	both := make([]byte, 0, len(row.Fields)+len(row.Kept))
	both, err := sift(both, row.Fields, func(name, value jsontext.Value) bool {
		if value.Kind() == '"' && names(name, t.By.Name) {
			entry.Author = string(value[1 : len(value)-1])
		}
		return carries(t, name, false)
	})
	if err != nil {
		return Entry{}, err
	}
	entry.Fields = both
	both, err = sift(both, row.Kept, func(name, _ jsontext.Value) bool { return carries(t, name, true) })
	entry.Kept = both[len(entry.Fields):]
	return entry, err
}

func carries(t *plan.Timeline, name jsontext.Value, kept bool) bool {
	return len(t.Carry) == 0 || slices.ContainsFunc(t.Carry, func(c design.Part) bool { return (c.Kept != nil) == kept && names(name, c.Name()) })
}
