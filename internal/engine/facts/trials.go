package facts

import (
	"encoding/json"
	"fmt"

	"yalvo/internal/design"
	"yalvo/internal/design/plan"
	"yalvo/internal/engine/running"
)

// MaxFacts is how large the facts of one document or pair may be, in bytes of
// JSON. Pages, copies and what upkeep holds at once are bounded by it.
const MaxFacts = 256 << 10

// Encoded are facts as they are stored, refused if they are too large.
func Encoded(facts map[string]any) (json.RawMessage, error) {
	text, err := json.Marshal(facts)
	if err == nil && len(text) > MaxFacts {
		err = running.Invalid([]design.Mistake{{Pointer: "/facts", Code: design.MistakeLong,
			Detail: fmt.Sprintf("the facts have %d bytes, %d are allowed", len(text), MaxFacts)}})
	}
	return text, err
}

// tryConditions works out what the design will ask about a document when nobody
// can be told any more that it takes too long: what it contributes, and whether
// its later changes and its removal set off triggers.
func (u Unit) tryConditions(c *plan.Collection, key string, facts map[string]any, me string) error {
	values := map[string]any{"doc": facts, "old": facts, "key": key, "me": me}
	for _, s := range c.Feeds {
		if s.Pair == nil && s.Where != nil {
			if _, err := s.Where.Holds(values); err != nil {
				return tooCostly(s.Where.Text, s.In.Name+"."+s.Name, err)
			}
		}
	}
	for _, on := range []design.Event{design.OnChanged, design.OnRemoved} {
		if err := tryTriggers(u.Plan.TriggersOn(on, c, nil), values); err != nil {
			return err
		}
	}
	return nil
}

// tryPairConditions is the same for a pair.
func (u Unit) tryPairConditions(p *plan.Pair, link running.Link, facts map[string]any, me string) error {
	values := map[string]any{"pair": facts, "from": link.From, "to": link.To, "me": me}
	for _, s := range p.Feeds {
		if s.Where != nil {
			if _, err := s.Where.Holds(values); err != nil {
				return tooCostly(s.Where.Text, s.In.Name+"."+s.Name, err)
			}
		}
	}
	return tryTriggers(u.Plan.TriggersOn(design.OnUnset, nil, p), values)
}

func tryTriggers(triggers []*plan.Trigger, values map[string]any) error {
	for _, t := range triggers {
		if t.When == nil || t.When.Condition == nil { // what it sees is another each time
			continue
		}
		if _, err := t.When.Condition.Holds(values); err != nil {
			return tooCostly(t.When.Text, t.Name, err)
		}
	}
	return nil
}

func tooCostly(condition, of string, err error) error {
	return running.Invalid([]design.Mistake{{Pointer: "/facts", Code: design.MistakeCostly,
		Detail: fmt.Sprintf("the condition `%s` of %s cannot be worked out for these facts: %v; shorten them",
			condition, of, err)}})
}
