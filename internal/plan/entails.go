package plan

import "slices"

// Entailed is a kind of work that a kind of change makes due.
type Entailed struct {
	Step    Step
	Subject Number
}

// Entails lists the kinds of work that a change of a document can make due,
// whatever document it is.
func (p *Plan) Entails(kind Kind, c *Collection) []Entailed {
	change := Change{Kind: kind, Collection: c, Doc: 1, Parent: 1, Before: Targets{}, After: Targets{},
		RankBefore: map[*Timeline]int64{}, RankAfter: map[*Timeline]int64{}}
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
	for _, t := range c.EntersInto {
		change.RankBefore[t], change.RankAfter[t] = 1, 2
	}
	return kindsOf(p.Due(change))
}

// EntailsPair is the same for a change of a pair.
func (p *Plan) EntailsPair(kind Kind, pair *Pair) []Entailed {
	return kindsOf(p.Due(Change{Kind: kind, Pair: pair, From: 1, To: 2}))
}

// EntailsWork lists the kinds of work that work of a kind can make due in turn.
func (p *Plan) EntailsWork(of Entailed) []Entailed {
	switch of.Step {
	case Weigh, Reshow:
		if s := p.summaries[of.Subject]; s != nil && s.Chosen() {
			return []Entailed{{Choose, of.Subject}}
		} else if s != nil {
			return kindsOf(s.In.KeptChanged(s.Name, 1))
		}
	case Withdraw:
		return []Entailed{{Deliver, of.Subject}, {Refill, of.Subject}}
	case Relate, Trim:
		return []Entailed{{Refill, of.Subject}}
	}
	if c, k := p.Kept(of.Subject); c != nil {
		return kindsOf(c.KeptChanged(k.Name, 1))
	}
	return nil
}

func kindsOf(work []Work) []Entailed {
	var kinds []Entailed
	for _, w := range work {
		if e := (Entailed{w.Step, w.Subject}); !slices.Contains(kinds, e) {
			kinds = append(kinds, e)
		}
	}
	return kinds
}

// InWords says what work of a kind does.
func (p *Plan) InWords(of Entailed) string {
	name := p.NameOf(of.Subject)
	switch of.Step {
	case Add:
		return "counted in " + name
	case Weigh:
		return "weighed for " + name
	case Choose:
		return "worked out " + name
	case Reshow:
		return "shown anew in " + name
	case Recopy:
		return "copied into " + name
	case Deliver:
		return "delivered to the " + name + " timelines"
	case Withdraw:
		return "withdrawn from the " + name + " timelines"
	case Relate:
		return "looked at what one sees of the other in " + name
	case React:
		return "set off trigger " + name
	case Send:
		return "sent by trigger " + name
	case Reaudience:
		return "looked at how many follow in " + name
	case Clear:
		return "left to be collected when " + name + " is read"
	case Fill:
		return "brought back into the " + name + " timelines"
	case Refill:
		return "filled up " + name + " with older entries"
	case EndReference:
		return "ended " + name
	case EndFrom:
		return "unset " + name + " from it"
	case EndTo:
		return "unset " + name + " to it"
	case EndNested:
		return "removed the " + name + " under it"
	case EndFrozen:
		return "emptied the frozen " + name
	case EndTimeline:
		return "dropped its " + name + " timeline"
	}
	return of.Step.String() + " " + name
}

// NameOf is the name of whatever has a number in the design.
func (p *Plan) NameOf(n Number) string {
	if c, k := p.Kept(n); k != nil {
		return c.Name + "." + k.Name
	}
	if ref := p.references[n]; ref != nil {
		return ref.In.Name + "." + ref.Name
	}
	if pair := p.PairNumbered(n); pair != nil {
		return pair.Name
	}
	if t := p.TimelineNumbered(n); t != nil {
		return t.Name
	}
	if r := p.ReactionNumbered(n); r != nil {
		return r.Name
	}
	if c := p.CollectionNumbered(n); c != nil {
		return c.Name
	}
	return "something the design no longer has"
}
