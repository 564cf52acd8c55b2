package engine

import (
	"bytes"
	"context"
	"encoding/json"
	"time"

	"github.com/go-json-experiment/json/jsontext"

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
	n, err := e.number(ctx, t.Owner, owner)
	if err != nil {
		return Entries{}, err
	}
	limit := min(page.Limit, t.Length-page.Given)
	var out Entries
	place := page.After
	for len(out.Entries) < limit {
		want := limit - len(out.Entries)
		rows, seen, last, err := e.store.Entries(ctx, t, n, place, want)
		if err != nil {
			return Entries{}, err
		}
		for _, row := range rows {
			entry, err := carried(t, row)
			if err != nil {
				return Entries{}, err
			}
			out.Entries = append(out.Entries, entry)
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

// carried shows what the timeline carries of a document; all of it if the
// design's carry is empty.
func carried(t *plan.Timeline, row store.Entry) (Entry, error) {
	doc := view(t.Entries, row.Document)
	entry := Entry{ID: doc.ID, Path: doc.Path, At: doc.Created, Author: row.Author, Fields: doc.Fields, Kept: doc.Kept}
	if len(t.Carry) == 0 {
		return entry, nil
	}
	var err error
	if entry.Fields, err = only(doc.Fields, func(name string) bool { return carries(t, name, false) }); err != nil {
		return entry, err
	}
	entry.Kept, err = only(doc.Kept, func(name string) bool { return carries(t, name, true) })
	return entry, err
}

func carries(t *plan.Timeline, name string, kept bool) bool {
	for _, c := range t.Carry {
		if c.Name() == name && (c.Kept != nil) == kept {
			return true
		}
	}
	return false
}

// only keeps some members of a JSON object, their values as they stand.
func only(object json.RawMessage, wanted func(name string) bool) (json.RawMessage, error) {
	dec := jsontext.NewDecoder(bytes.NewBuffer(object))
	if _, err := dec.ReadToken(); err != nil {
		return nil, err
	}
	some := make([]byte, 0, len(object))
	some = append(some, '{')
	for dec.PeekKind() != '}' {
		name, err := dec.ReadToken()
		if err != nil {
			return nil, err
		}
		if !wanted(name.String()) {
			if err := dec.SkipValue(); err != nil {
				return nil, err
			}
			continue
		}
		if len(some) > 1 {
			some = append(some, ',')
		}
		if some, err = jsontext.AppendQuote(some, name.String()); err != nil {
			return nil, err
		}
		value, err := dec.ReadValue()
		if err != nil {
			return nil, err
		}
		some = append(append(some, ':'), value...)
	}
	return append(some, '}'), nil
}
