package plan

import "yalvo/internal/design"

// Reaction is a trigger of the developer's own, ready to be carried out.
type Reaction struct {
	Number
	*design.Trigger
	Collection *Collection
	Pair       *Pair
	Steps      []ReactionStep
}

// ReactionStep is one of its steps.
type ReactionStep struct {
	*design.Step
	Collection *Collection
	Pair       *Pair
}

// Writes tells whether any step writes facts.
func (r *Reaction) Writes() bool {
	for _, s := range r.Steps {
		if s.Do != design.DoSend {
			return true
		}
	}
	return false
}

func (p *Plan) addReaction(t *design.Trigger, n Number) {
	r := &Reaction{Number: n, Trigger: t, Collection: p.of(t.Collection), Pair: p.pairOf(t.Pair)}
	for _, s := range t.Steps {
		r.Steps = append(r.Steps, ReactionStep{s, p.of(s.Collection), p.pairOf(s.Pair)})
	}
	p.Reactions = append(p.Reactions, r)
}

// ReactionsTo are the triggers that wait for a kind of change of documents of
// a collection, or of a pair.
func (p *Plan) ReactionsTo(on design.Event, c *Collection, pair *Pair) []*Reaction {
	var found []*Reaction
	for _, r := range p.Reactions {
		if r.On == on && r.Collection == c && r.Pair == pair {
			found = append(found, r)
		}
	}
	return found
}

// ReactionNumbered finds a trigger by number, nil if there is none.
func (p *Plan) ReactionNumbered(n Number) *Reaction {
	for _, r := range p.Reactions {
		if r.Number == n {
			return r
		}
	}
	return nil
}
