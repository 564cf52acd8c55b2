package facts

import (
	"encoding/json"

	"yalvo/internal/design"
	"yalvo/internal/design/expr"
	"yalvo/internal/design/plan"
	"yalvo/internal/engine/running"
	"yalvo/internal/engine/store"
	"yalvo/internal/engine/store/factsql"
	"yalvo/internal/engine/store/queuesql"
)

// fireDocument sets off the developer's triggers that wait for a change of a
// document, in the transaction of that change. was is what an edit changed.
func (u Unit) fireDocument(on design.Event, c *plan.Collection, d store.Document, was json.RawMessage,
	why Cause) error {
	triggers := u.Plan.TriggersOn(on, c, nil)
	if len(triggers) == 0 {
		return nil
	}
	doc, err := running.Typed(c.Collection.Fields, d.Fields)
	if err != nil {
		return err
	}
	payload := map[string]any{"doc": doc, "key": d.Key, "me": why.Actor}
	if was != nil {
		if payload["old"], err = running.Typed(c.Collection.Fields, was); err != nil {
			return err
		}
	}
	if running.SeesAny(triggers) {
		if payload[running.Seen], err = u.RuleValues(c, d); err != nil {
			return err
		}
	}
	return u.fire(triggers, queuesql.Event{Subject: c.Path(d.Key), Doc: d.N}, payload, why)
}

// FirePair is the same for a pair that was set or unset.
func (u Unit) FirePair(on design.Event, p *plan.Pair, ends factsql.Ends, why Cause) error {
	triggers := u.Plan.TriggersOn(on, nil, p)
	if len(triggers) == 0 {
		return nil
	}
	if ends.Fields == nil {
		ends.Fields = json.RawMessage("{}")
	}
	typed, err := running.Typed(p.Fields, ends.Fields)
	if err != nil {
		return err
	}
	about := queuesql.Event{Subject: running.EndsOf(p, ends.AKey, ends.BKey).String(), Doc: ends.A, Other: ends.B}
	payload := map[string]any{"pair": typed, "from": ends.AKey, "to": ends.BKey, "me": why.Actor}
	return u.fire(triggers, about, payload, why)
}

func (u Unit) fire(triggers []*plan.Trigger, about queuesql.Event, payload map[string]any, why Cause) error {
	for _, t := range triggers {
		if holds, err := u.holds(t, payload); err != nil || !holds {
			if err != nil {
				return err
			}
			continue
		}
		if why.Depth >= design.MaxDepth {
			return running.Refuse(running.CodeLoop,
				"trigger %q was set off by triggers %d times in a row, by %s: give one of them a `when` that ends it",
				t.Name, why.Depth, about.Subject)
		}
		raw, err := json.Marshal(payload)
		if err != nil {
			return err
		}
		about.Trigger, about.Change, about.Depth, about.Payload = t.Number, why.Change, why.Depth+1, raw
		event, err := queuesql.AddEvent(u.Tx, about)
		if err != nil {
			return err
		}
		if err := queuesql.AppendDue(u.Tx, why.Change, workOf(t, event)); err != nil {
			return err
		}
	}
	return nil
}

// holds tells whether a trigger's condition holds. In a client's own write it is
// refused what takes too long; in what follows from it, everything was tried
// before.
func (u Unit) holds(t *plan.Trigger, payload map[string]any) (bool, error) {
	if t.When == nil {
		return true, nil
	}
	again := !u.again || t.On == design.OnRemoved || t.On == design.OnUnset
	if t.When.Rule != nil {
		actor, _ := payload["me"].(string)
		holds, err := u.Evaluator(actor, running.KnownIn(u.Tx)).Holds(t.When.Rule, u.About(t, payload), again)
		if err == expr.ErrSteps {
			err = tooCostly(t.When.Text, t.Name, err)
		}
		return holds, err
	}
	if again {
		return t.When.Condition.StillHolds(payload)
	}
	holds, err := t.When.Condition.Holds(payload)
	if err != nil {
		err = tooCostly(t.When.Text, t.Name, err)
	}
	return holds, err
}

func workOf(t *plan.Trigger, event int64) []plan.Work {
	var due []plan.Work
	if t.Writes() {
		due = append(due, plan.ReactTo(t.Number, event))
	}
	for i, s := range t.Steps {
		if s.Do == design.DoSend {
			due = append(due, plan.SendEvent(t.Number, event, i))
		}
	}
	return due
}
