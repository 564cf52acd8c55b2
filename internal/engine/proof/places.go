package proof

import (
	"context"

	"yalvo/internal/design/plan"
	"yalvo/internal/engine/store"
	"yalvo/internal/engine/store/auditsql"
)

// Place is somewhere that a document's values are duplicated to.
type Place struct {
	Where  string   `json:"where"`  // the kept value or the timeline
	Kind   string   `json:"kind"`   // copy, count, sum, ..., timeline
	Values []string `json:"values"` // which of its values; empty: that it exists
	Many   int64    `json:"many"`   // in how many documents or timelines
}

// Places says everywhere that a document is duplicated to.
func (p *Prover) Places(ctx context.Context, path string) ([]Place, error) {
	v, err := p.Now(ctx)
	if err != nil {
		return nil, err
	}
	c, doc, err := p.Find(ctx, v, path)
	if err != nil {
		return nil, err
	}
	return p.placesOf(ctx, c, doc)
}

func (p *Prover) placesOf(ctx context.Context, c *plan.Collection, doc store.Document) ([]Place, error) {
	places := []Place{}
	add := func(place Place) {
		if place.Many > 0 {
			places = append(places, place)
		}
	}
	for _, ref := range c.PointedAt {
		for _, kept := range ref.Copies {
			many, err := auditsql.ManyPointing(ctx, p.Store, ref.Number, doc.N)
			if err != nil {
				return nil, err
			}
			add(Place{kept.In.Name + "." + kept.Name, string(kept.Kind), kept.Copied(), many})
		}
	}
	for _, s := range c.Feeds {
		many, err := auditsql.ManyTargets(ctx, p.Store, s.Number, doc.N)
		if err != nil {
			return nil, err
		}
		add(Place{s.In.Name + "." + s.Name, string(s.Kind), shownOf(s), many})
	}
	counted, err := p.countedIn(ctx, c, doc)
	if err != nil {
		return nil, err
	}
	for _, place := range counted {
		add(place)
	}
	entered, err := p.enteredInto(ctx, c, doc)
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
func (p *Prover) countedIn(ctx context.Context, c *plan.Collection, doc store.Document) ([]Place, error) {
	var places []Place
	for _, count := range c.FedCounts {
		places = append(places, Place{count.In.Name + "." + count.Name, "count", []string{}, 1})
	}
	for _, ref := range c.References {
		target, err := auditsql.PointsAt(ctx, p.Store, ref.Number, doc.N)
		if err != nil {
			return nil, err
		}
		for _, count := range ref.Counts {
			if target != 0 {
				places = append(places, Place{count.In.Name + "." + count.Name, "count", []string{}, 1})
			}
		}
	}
	pairs := func(pair *plan.Pair, counts []*plan.Count, fromSide bool) error {
		for _, count := range counts {
			many, err := auditsql.ManyPairs(ctx, p.Store, pair.Number, doc.N, fromSide)
			if err != nil {
				return err
			}
			places = append(places, Place{count.In.Name + "." + count.Name, "count", []string{}, many})
		}
		return nil
	}
	for _, pair := range c.From {
		if err := pairs(pair, pair.ToCounts, true); err != nil {
			return nil, err
		}
	}
	for _, pair := range c.To {
		if err := pairs(pair, pair.FromCounts, false); err != nil {
			return nil, err
		}
	}
	return places, nil
}

func (p *Prover) enteredInto(ctx context.Context, c *plan.Collection, doc store.Document) ([]Place, error) {
	var places []Place
	for i, t := range c.EntersInto {
		author, err := auditsql.PointsAt(ctx, p.Store, t.By.Number, doc.N)
		if err != nil || author == 0 {
			return places, err
		}
		if doc.Ranks[i] == plan.NoRank {
			continue
		}
		many, err := auditsql.ManyEntries(ctx, p.Store, t, author, doc.Ranks[i], doc.N)
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
