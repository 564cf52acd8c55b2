package engine

import (
	"context"
	"encoding/json"
	"fmt"
	"strings"
	"time"

	"yalvo/internal/design"
	"yalvo/internal/plan"
	"yalvo/internal/store"
)

// Sources says what a kept value is made of.
type Sources struct {
	Document string          `json:"document"`
	Name     string          `json:"name"`
	Kind     string          `json:"kind"`
	From     string          `json:"from"` // as the design writes it
	Stored   json.RawMessage `json:"stored"`
	Many     int64           `json:"many"`    // how many sources there are
	Sources  []SourceFact    `json:"sources"` // the newest or greatest of them
	Due      []Reason        `json:"due"`     // work on it that is not done yet
}

// SourceFact is one source of a kept value.
type SourceFact struct {
	Path  string          `json:"path"`            // of the document, or of the pair's other end
	At    *time.Time      `json:"at,omitempty"`    // since when
	Value json.RawMessage `json:"value,omitempty"` // what it contributes
}

// sourcesShown is the most sources that are listed.
const sourcesShown = 50

// WhyKept says what a kept value of a document is made of.
func (e *Engine) WhyKept(ctx context.Context, path, name string) (Sources, error) {
	r, err := e.planned(ctx)
	if err != nil {
		return Sources{}, err
	}
	c, doc, err := e.find(ctx, r, path)
	if err != nil {
		return Sources{}, err
	}
	k := c.KeptValue(name)
	if k == nil {
		return Sources{}, refuse(CodeUnknownName, "a document of %q keeps no %q: it keeps %s", c.Name, name, strings.Join(keptNames(c), ", "))
	}
	var kept map[string]json.RawMessage
	if err := json.Unmarshal(doc.Kept, &kept); err != nil {
		return Sources{}, err
	}
	out := Sources{Document: c.Path(doc.Key), Name: name, Kind: string(k.Kind), From: k.Source(), Stored: kept[name], Sources: []SourceFact{}, Due: []Reason{}}
	number, from, err := e.sourcesOf(ctx, c, doc, k, &out)
	if err != nil {
		return out, err
	}
	owed, err := e.store.OwedToKept(ctx, number, doc.N, from)
	q := &inquiry{engine: e, ctx: ctx}
	q.owed(owed)
	out.Due = append(out.Due, q.why.Reasons...)
	return out, err
}

// find reads a document by its path.
func (e *Engine) find(ctx context.Context, r *running, path string) (*plan.Collection, store.Document, error) {
	c, key, err := r.locate(path)
	if err != nil {
		return nil, store.Document{}, err
	}
	doc, found, err := e.store.Document(ctx, store.Address{Collection: c.Number, Key: key})
	if err == nil && !found {
		err = notFound(c, key)
	}
	return c, doc, err
}

func (e *Engine) sourcesOf(ctx context.Context, c *plan.Collection, doc store.Document, k *design.Kept, out *Sources) (n plan.Number, from int64, err error) {
	for _, kept := range c.Copies {
		if kept.Kept == k {
			from, err = e.copiedFrom(ctx, kept, doc, out)
			return kept.Number, from, err
		}
	}
	for _, count := range c.Counts {
		if count.Kept == k {
			return count.Number, 0, e.countedFrom(ctx, c, count, doc, out)
		}
	}
	for _, s := range c.Summaries {
		if s.Kept == k {
			return s.Number, 0, e.summedFrom(ctx, s, doc, out)
		}
	}
	return 0, 0, fmt.Errorf("kept value %s.%s has no plan", c.Name, k.Name)
}

func (e *Engine) copiedFrom(ctx context.Context, kept *plan.Copy, doc store.Document, out *Sources) (int64, error) {
	target, err := e.store.PointsAt(ctx, kept.Via.Number, doc.N)
	if err != nil || target == 0 {
		return 0, err
	}
	keys, err := e.store.Keys(ctx, []int64{target})
	if err != nil || keys[target] == "" {
		return target, err
	}
	source, _, err := e.store.Document(ctx, store.Address{Collection: kept.Via.To.Number, Key: keys[target]})
	if err != nil {
		return target, err
	}
	value, err := card(kept, &source)
	updated := source.Updated.UTC()
	out.Many, out.Sources = 1, append(out.Sources, SourceFact{kept.Via.To.Path(source.Key), &updated, value})
	return target, err
}

func (e *Engine) countedFrom(ctx context.Context, c *plan.Collection, count *plan.Count, doc store.Document, out *Sources) error {
	name := ""
	var err error
	switch {
	case count.Pair != nil:
		out.Many, err = e.store.ManyPairs(ctx, count.Of, doc.N, count.Side == design.From)
		name = count.Pair.ToCalls
		if count.Side == design.From {
			name = count.Pair.FromCalls
		}
	case count.Via != nil:
		out.Many, err = e.store.ManyPointing(ctx, count.Of, doc.N)
		name = count.Via.Inverse
	default:
		out.Many, err = e.store.ManyNested(ctx, count.Of, doc.N)
		name = count.Nested.Name
	}
	if err != nil || name == "" {
		return err
	}
	page, err := e.Linked(ctx, c.Name, doc.Key, name, Page{After: firstOf(count), Limit: sourcesShown})
	for i, d := range page.Documents {
		out.Sources = append(out.Sources, SourceFact{Path: d.Path, At: &page.Times[i]})
	}
	return err
}

// firstOf is where a page of a count's sources begins: nested documents are
// read by their ids, everything else newest first.
func firstOf(count *plan.Count) store.Place {
	if count.Nested != nil {
		return store.Place{}
	}
	return store.FromTheTop
}

func (e *Engine) summedFrom(ctx context.Context, s *plan.Summary, doc store.Document, out *Sources) error {
	var err error
	if out.Many, err = e.store.ManyContributions(ctx, s.Number, doc.N); err != nil {
		return err
	}
	rows, err := e.store.ContributionsTo(ctx, s.Number, doc.N, sourcesShown)
	for _, row := range rows {
		fact := SourceFact{Path: s.Sources.Name + " (gone)", Value: json.RawMessage(row.Value)}
		if row.Key != "" {
			fact.Path = s.Sources.Path(row.Key)
		}
		if s.Kind == design.Latest || s.Kind == design.Gather || s.Timed() {
			micros, err := json.Number(row.Value).Int64()
			if err != nil {
				return err
			}
			at := time.UnixMicro(micros).UTC()
			fact.At, fact.Value = &at, nil
		}
		out.Sources = append(out.Sources, fact)
	}
	return err
}

// Place is somewhere that a document's values are duplicated to.
type Place struct {
	Where  string   `json:"where"`  // the kept value or the timeline
	Kind   string   `json:"kind"`   // copy, count, sum, ..., timeline
	Values []string `json:"values"` // which of its values; empty: that it exists
	Many   int64    `json:"many"`   // in how many documents or timelines
}

// Places says everywhere that a document is duplicated to.
func (e *Engine) Places(ctx context.Context, path string) ([]Place, error) {
	r, err := e.planned(ctx)
	if err != nil {
		return nil, err
	}
	c, doc, err := e.find(ctx, r, path)
	if err != nil {
		return nil, err
	}
	return e.placesOf(ctx, c, doc)
}

func (e *Engine) placesOf(ctx context.Context, c *plan.Collection, doc store.Document) ([]Place, error) {
	places := []Place{}
	add := func(p Place) {
		if p.Many > 0 {
			places = append(places, p)
		}
	}
	for _, ref := range c.PointedAt {
		for _, kept := range ref.Copies {
			many, err := e.store.ManyPointing(ctx, ref.Number, doc.N)
			if err != nil {
				return nil, err
			}
			add(Place{kept.In.Name + "." + kept.Name, string(kept.Kind), kept.Copied(), many})
		}
	}
	for _, s := range c.Feeds {
		many, err := e.store.ManyTargets(ctx, s.Number, doc.N)
		if err != nil {
			return nil, err
		}
		add(Place{s.In.Name + "." + s.Name, string(s.Kind), shownOf(s), many})
	}
	counted, err := e.countedIn(ctx, c, doc)
	if err != nil {
		return nil, err
	}
	for _, p := range counted {
		add(p)
	}
	entered, err := e.enteredInto(ctx, c, doc)
	return append(places, entered...), err
}

func shownOf(s *plan.Summary) []string {
	if s.Of.Field != nil || s.Of.Kept != nil {
		return []string{s.Of.Name()}
	}
	return append(append([]string{}, s.Fields...), s.KeptNames...)
}

// countedIn is where a document is counted: in its parent, in what it points
// at, and in the other ends of its pairs.
func (e *Engine) countedIn(ctx context.Context, c *plan.Collection, doc store.Document) ([]Place, error) {
	var places []Place
	for _, count := range c.FedCounts {
		places = append(places, Place{count.In.Name + "." + count.Name, "count", []string{}, 1})
	}
	for _, ref := range c.References {
		target, err := e.store.PointsAt(ctx, ref.Number, doc.N)
		if err != nil {
			return nil, err
		}
		for _, count := range ref.Counts {
			if target != 0 {
				places = append(places, Place{count.In.Name + "." + count.Name, "count", []string{}, 1})
			}
		}
	}
	pairs := func(p *plan.Pair, counts []*plan.Count, fromSide bool) error {
		for _, count := range counts {
			many, err := e.store.ManyPairs(ctx, p.Number, doc.N, fromSide)
			if err != nil {
				return err
			}
			places = append(places, Place{count.In.Name + "." + count.Name, "count", []string{}, many})
		}
		return nil
	}
	for _, p := range c.From {
		if err := pairs(p, p.ToCounts, true); err != nil {
			return nil, err
		}
	}
	for _, p := range c.To {
		if err := pairs(p, p.FromCounts, false); err != nil {
			return nil, err
		}
	}
	return places, nil
}

func (e *Engine) enteredInto(ctx context.Context, c *plan.Collection, doc store.Document) ([]Place, error) {
	fields, err := decodeFields(doc.Fields)
	if err != nil {
		return nil, err
	}
	var places []Place
	for _, t := range c.EntersInto {
		author, err := e.store.PointsAt(ctx, t.By.Number, doc.N)
		if err != nil || author == 0 {
			return places, err
		}
		many, err := e.store.ManyEntries(ctx, t, author, ranks(c, doc.Created, fields)[t], doc.N)
		if err != nil {
			return nil, err
		}
		carried := []string{}
		for _, part := range t.Carry {
			carried = append(carried, part.Name())
		}
		places = append(places, Place{t.Name, "timeline", carried, many})
	}
	return places, nil
}
