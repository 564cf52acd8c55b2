package plan

import "slices"

// WorkKind is a kind of work that a kind of change makes due.
type WorkKind struct {
	Step    Step
	Subject Number
}

// WorkOf lists the kinds of work that a change of a document can make due,
// whatever document it is.
func (p *Plan) WorkOf(kind Kind, c *Collection) []WorkKind {
	change := Change{Kind: kind, Collection: c, Doc: 1, Parent: 1, Before: Targets{}, After: Targets{}}
	for _, ref := range c.References {
		if kind != Created {
			change.Before[ref] = 1
		}
		if kind != Removed {
			change.After[ref] = 2
		}
	}
	for _, f := range c.Collection.Fields {
		change.Touched = append(change.Touched, f.Name)
	}
	for range c.EntersInto {
		change.RankBefore, change.RankAfter = append(change.RankBefore, 1), append(change.RankAfter, 2)
	}
	return kindsOf(p.Due(change))
}

// WorkOfPair is the same for a change of a pair.
func (p *Plan) WorkOfPair(kind Kind, pair *Pair) []WorkKind {
	return kindsOf(p.Due(Change{Kind: kind, Pair: pair, From: 1, To: 2}))
}

// WorkAfter lists the kinds of work that work of a kind can make due in turn.
func (p *Plan) WorkAfter(of WorkKind) []WorkKind {
	switch of.Step {
	case Contribute, Refresh:
		if s := p.summaries[of.Subject]; s != nil && s.Chosen() {
			return []WorkKind{{Choose, of.Subject}}
		} else if s != nil {
			return kindsOf(s.In.KeptChanged(s.Name, 1))
		}
	case Withdraw:
		return []WorkKind{{Deliver, of.Subject}, {Refill, of.Subject}}
	case Subscribe, Trim:
		return []WorkKind{{Refill, of.Subject}}
	}
	if c, k := p.Kept(of.Subject); c != nil {
		return kindsOf(c.KeptChanged(k.Name, 1))
	}
	return nil
}

func kindsOf(work []Work) []WorkKind {
	var kinds []WorkKind
	for _, w := range work {
		if e := (WorkKind{w.Step, w.Subject}); !slices.Contains(kinds, e) {
			kinds = append(kinds, e)
		}
	}
	return kinds
}
