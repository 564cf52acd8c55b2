package upkeep

import (
	"encoding/json"
	"errors"
	"fmt"

	"yalvo/internal/design"
	"yalvo/internal/design/access"
	"yalvo/internal/design/expr"
	"yalvo/internal/design/plan"
	"yalvo/internal/engine/facts"
	"yalvo/internal/engine/running"
	"yalvo/internal/engine/store"
	"yalvo/internal/engine/store/factsql"
	"yalvo/internal/engine/store/queuesql"
)

// react carries out what triggers do to facts. All that one event causes is one
// transaction, which also deletes the due row: it happens once. One service
// does this at a time: the steps take their rows in the order of the design.
func (t *turn) react(due []queuesql.Due) error {
	free, err := t.Tx.TryLockLane(plan.Reacting)
	if err != nil {
		return err
	}
	if !free {
		t.vain = true
		return nil
	}
	for i, d := range due {
		if due[i].Rows, err = t.reactTo(d); err != nil {
			return err
		}
	}
	return t.finish(due)
}

// reactTo carries out the steps of one trigger for one event, and tells how many.
func (t *turn) reactTo(d queuesql.Due) (int64, error) {
	trigger := t.Plan.TriggerNumbered(d.Subject)
	event, there, err := queuesql.FindEvent(t.Tx, d.Doc)
	if err != nil || !there || trigger == nil {
		return 0, err
	}
	values, err := payload(trigger, event)
	if err != nil {
		return 0, err
	}
	me, _ := values["me"].(string)
	on := occasion{values, t.Evaluator(me, running.KnownIn(t.Tx)), t.About(trigger, values)}
	why := facts.Cause{Actor: me, Change: event.Change, Mark: plan.Mark{Depth: event.Depth}}
	for _, s := range trigger.Steps {
		if err := t.do(s, event, on, why); err != nil {
			return 0, fmt.Errorf("trigger %s, for %s: %w", trigger.Name, event.Subject, err)
		}
	}
	return int64(len(trigger.Steps)), nil
}

// occasion is what the expressions of a trigger are worked out from: what set it off, and
// what they see.
type occasion struct {
	values    map[string]any
	evaluator *access.Evaluator
	about     access.Condition
}

// worth is the value of an expression.
func (on occasion) worth(s *expr.Seen) (any, error) {
	if s.Rule != nil {
		return on.evaluator.Work(s.Rule, on.about)
	}
	return s.Value.Of(on.values)
}

// all are the values of expressions, by name.
func (on occasion) all(wanted map[string]*expr.Seen) (map[string]any, error) {
	out := make(map[string]any, len(wanted))
	for name, s := range wanted {
		var err error
		if out[name], err = on.worth(s); err != nil {
			return nil, unworthy(fmt.Errorf("%q: %w", name, err))
		}
	}
	return out, nil
}

// text is the value of an expression for a key, empty if there is none.
func (on occasion) text(v *expr.Seen) (string, error) {
	if v == nil {
		return "", nil
	}
	out, err := on.worth(v)
	if err != nil {
		return "", unworthy(err)
	}
	s, _ := out.(string)
	return s, nil
}

// unworthy says that a value cannot be worked out: one that sees what is not there may be
// tried again.
func unworthy(err error) error {
	if errors.Is(err, expr.ErrAbsent) {
		return err
	}
	return running.Refuse(running.CodeInvalid, "%v", err)
}

// payload reads back what a trigger's expressions can name.
func payload(trigger *plan.Trigger, event queuesql.Event) (map[string]any, error) {
	all, err := running.Decode(event.Payload)
	if err != nil {
		return nil, err
	}
	for name, v := range all {
		object, is := v.(map[string]any)
		if !is || name == running.Seen {
			continue
		}
		var fields []*design.Field
		if name == "pair" {
			fields = trigger.Pair.Fields
		} else {
			fields = trigger.Collection.Collection.Fields
		}
		all[name], _ = design.AcceptAll(fields, object)
	}
	return all, nil
}

// do carries out one step. What is already as the step wants it is fine. So is
// a document that has gone meanwhile, if that is what the step would have
// changed, or if what set off the trigger has gone too.
func (t *turn) do(s plan.TriggerStep, event queuesql.Event, on occasion, why facts.Cause) error {
	err := t.attempt(s, on, why)
	if errors.Is(err, facts.ErrTaken) {
		return nil
	}
	if !running.IsMissing(err) && !errors.Is(err, expr.ErrAbsent) {
		return err
	}
	var refusal *running.Refusal
	changes := s.Do == design.DoEdit || s.Do == design.DoRemove || s.Do == design.DoUnpair
	if changes && errors.As(err, &refusal) && refusal.Code == running.CodeNotFound {
		return nil
	}
	stands, lookErr := t.stands(event)
	if lookErr != nil || !stands {
		return lookErr
	}
	return err
}

// stands tells whether what set off a trigger is there still: a document, or
// both ends of a pair.
func (t *turn) stands(event queuesql.Event) (bool, error) { return standing(event, t.Tx) }

func standing(event queuesql.Event, tx *store.Tx) (bool, error) {
	ns := []int64{event.Doc}
	if event.Other != 0 && event.Other != event.Doc {
		ns = append(ns, event.Other)
	}
	there, err := factsql.Numbered(tx, ns)
	return len(there) == len(ns), err
}

func (t *turn) attempt(s plan.TriggerStep, on occasion, why facts.Cause) error {
	switch s.Do {
	case design.DoEdit:
		return t.editAs(s, on, why)
	case design.DoCreate:
		return t.createAs(s, on, why)
	case design.DoRemove:
		key, err := on.text(s.ID)
		if err != nil {
			return err
		}
		_, err = t.Remove(facts.Target{Collection: s.Collection.Name, Key: key}, why)
		return err
	case design.DoPair, design.DoUnpair:
		return t.pairAs(s, on, why)
	}
	return nil // what is sent goes its own way
}

func (t *turn) editAs(s plan.TriggerStep, on occasion, why facts.Cause) error {
	wanted, err := on.all(s.Fields)
	if err != nil {
		return err
	}
	patch, err := json.Marshal(wanted)
	if err != nil {
		return err
	}
	key, _ := on.values["key"].(string)
	_, err = t.Edit(facts.Target{Collection: s.Collection.Name, Key: key}, facts.MergePatch(patch), why)
	return err
}

func (t *turn) createAs(s plan.TriggerStep, on occasion, why facts.Cause) error {
	wanted, err := on.all(s.Fields)
	if err != nil {
		return err
	}
	id, err := on.text(s.ID)
	if err != nil {
		return err
	}
	parent, err := on.text(s.Under)
	if err != nil {
		return err
	}
	_, err = t.Create(facts.Draft{Collection: s.Collection.Name, Parent: parent, ID: id, Facts: wanted}, why)
	return err
}

func (t *turn) pairAs(s plan.TriggerStep, on occasion, why facts.Cause) error {
	from, err := on.text(s.From)
	if err != nil {
		return err
	}
	to, err := on.text(s.To)
	if err != nil {
		return err
	}
	link := running.Link{Pair: s.Pair.Name, From: from, To: to}
	if s.Do == design.DoUnpair {
		_, err = t.UnsetPair(link, why)
		return err
	}
	var wanted map[string]any
	if s.Fields != nil {
		if wanted, err = on.all(s.Fields); err != nil {
			return err
		}
	}
	_, err = t.SetPair(link, wanted, why)
	return err
}
