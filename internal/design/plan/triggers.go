package plan

import "yalvo/internal/design"

// Trigger is a trigger of the developer's own, ready to be carried out.
type Trigger struct {
	Number
	*design.Trigger
	Collection *Collection
	Pair       *Pair
	Steps      []TriggerStep
}

// TriggerStep is one of its steps.
type TriggerStep struct {
	*design.Step
	Collection *Collection
	Pair       *Pair
}

// Writes tells whether any step writes facts.
func (r *Trigger) Writes() bool {
	for _, s := range r.Steps {
		if s.Do != design.DoSend {
			return true
		}
	}
	return false
}

func (p *Plan) addTrigger(t *design.Trigger, n Number) {
	r := &Trigger{Number: n, Trigger: t, Collection: p.of(t.Collection), Pair: p.pairOf(t.Pair)}
	for _, s := range t.Steps {
		r.Steps = append(r.Steps, TriggerStep{s, p.of(s.Collection), p.pairOf(s.Pair)})
	}
	p.Triggers = append(p.Triggers, r)
}

// TriggersOn are the triggers that wait for a kind of change of documents of
// a collection, or of a pair.
func (p *Plan) TriggersOn(on design.Event, c *Collection, pair *Pair) []*Trigger {
	var found []*Trigger
	for _, r := range p.Triggers {
		if r.On == on && r.Collection == c && r.Pair == pair {
			found = append(found, r)
		}
	}
	return found
}

// TriggerNumbered finds a trigger by number, nil if there is none.
func (p *Plan) TriggerNumbered(n Number) *Trigger {
	return first(p.Triggers, func(t *Trigger) bool { return t.Number == n })
}
