package proof

import (
	"context"
	"encoding/json"
	"fmt"
	"strings"
	"time"

	"yalvo/internal/design"
	"yalvo/internal/design/plan"
	"yalvo/internal/engine/documents"
	"yalvo/internal/engine/running"
	"yalvo/internal/engine/store"
	"yalvo/internal/engine/store/auditsql"
	"yalvo/internal/engine/store/factsql"
	"yalvo/internal/engine/store/keptsql"
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
func (p *Prover) WhyKept(ctx context.Context, path, name string) (Sources, error) {
	v, err := p.Now(ctx)
	if err != nil {
		return Sources{}, err
	}
	c, doc, err := p.Find(ctx, v, path)
	if err != nil {
		return Sources{}, err
	}
	k := c.KeptValue(name)
	if k == nil {
		return Sources{}, running.Refuse(running.CodeUnknownName, "a document of %q keeps no %q: it keeps %s", c.Name,
			name, strings.Join(keptNames(c), ", "))
	}
	var kept map[string]json.RawMessage
	if err := json.Unmarshal(running.WithoutSpare(c, doc.Kept), &kept); err != nil {
		return Sources{}, err
	}
	out := Sources{Document: c.Path(doc.Key), Name: name, Kind: string(k.Kind), From: k.Source(), Stored: kept[name],
		Sources: []SourceFact{}, Due: []Reason{}}
	number, from, err := p.sourcesOf(ctx, c, doc, k, &out)
	if err != nil {
		return out, err
	}
	due, err := auditsql.OutstandingForKept(ctx, p.Store, number, doc.N, from)
	q := &inquiry{prover: p, version: v, ctx: ctx}
	q.due(due)
	out.Due = append(out.Due, q.why.Reasons...)
	return out, err
}

func (p *Prover) sourcesOf(ctx context.Context, c *plan.Collection, doc store.Document, k *design.Kept,
	out *Sources) (n plan.Number, from int64, err error) {
	for _, kept := range c.Copies {
		if kept.Kept == k {
			from, err = p.copiedFrom(ctx, kept, doc, out)
			return kept.Number, from, err
		}
	}
	for _, count := range c.Counts {
		if count.Kept == k {
			return count.Number, 0, p.countedFrom(ctx, c, count, doc, out)
		}
	}
	for _, s := range c.Summaries {
		if s.Kept == k {
			return s.Number, 0, p.summedFrom(ctx, s, doc, out)
		}
	}
	return 0, 0, fmt.Errorf("kept value %s.%s has no plan", c.Name, k.Name)
}

func (p *Prover) copiedFrom(ctx context.Context, kept *plan.Copy, doc store.Document, out *Sources) (int64, error) {
	target, err := auditsql.PointsAt(ctx, p.Store, kept.Via.Number, doc.N)
	if err != nil || target == 0 {
		return 0, err
	}
	keys, err := factsql.Keys(ctx, p.Store, []int64{target})
	if err != nil || keys[target] == "" {
		return target, err
	}
	source, _, err := factsql.Document(p.Store.Looking(ctx), kept.Via.To, keys[target])
	if err != nil {
		return target, err
	}
	value, err := keptsql.Card(p.Store.Looking(ctx), kept, &source)
	updated := source.Updated.UTC()
	out.Many, out.Sources = 1, append(out.Sources, SourceFact{kept.Via.To.Path(source.Key), &updated, value})
	return target, err
}

func (p *Prover) countedFrom(ctx context.Context, c *plan.Collection, count *plan.Count, doc store.Document,
	out *Sources) error {
	name := ""
	var err error
	switch {
	case count.Pair != nil:
		out.Many, err = auditsql.ManyPairs(ctx, p.Store, count.Of, doc.N, count.Side == design.From)
		name = count.Pair.ToCalls
		if count.Side == design.From {
			name = count.Pair.FromCalls
		}
	case count.Via != nil:
		out.Many, err = auditsql.ManyPointing(ctx, p.Store, count.Of, doc.N)
		name = count.Via.Inverse
	default:
		out.Many, err = auditsql.ManyNested(ctx, p.Store, count.Of, doc.N)
		name = count.Nested.Name
	}
	if err != nil || name == "" {
		return err
	}
	page, err := p.reader.Linked(ctx, running.Viewer{}, c.Name, doc.Key, name,
		documents.Page{After: firstOf(count), Limit: sourcesShown})
	for i, d := range page.Documents {
		out.Sources = append(out.Sources, SourceFact{Path: d.Path, At: &page.Times[i]})
	}
	return err
}

// firstOf is where a page of a count's sources begins: nested documents are
// read by their ids, everything else newest first.
func firstOf(count *plan.Count) documents.Boundary {
	if count.Nested != nil {
		return documents.Boundary{}
	}
	return documents.FromTheTop
}

func (p *Prover) summedFrom(ctx context.Context, s *plan.Summary, doc store.Document, out *Sources) error {
	var err error
	if out.Many, err = auditsql.ManyContributions(ctx, p.Store, s.Number, doc.N); err != nil {
		return err
	}
	rows, err := auditsql.ContributionsTo(ctx, p.Store, s.Number, doc.N, sourcesShown)
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
