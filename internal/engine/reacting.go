package engine

import (
	"encoding/json"
	"errors"
	"fmt"
	"slices"

	"yalvo/internal/design"
	"yalvo/internal/expr"
	"yalvo/internal/plan"
	"yalvo/internal/store"
)

// fireDocument sets off the developer's triggers that wait for a change of a
// document, in the transaction of that change. was is what an edit changed.
func (r *running) fireDocument(tx *store.Tx, on design.Event, c *plan.Collection, d store.Document, was json.RawMessage, why cause) error {
	reactions := r.plan.ReactionsTo(on, c, nil)
	if len(reactions) == 0 {
		return nil
	}
	doc, err := typedFields(c.Collection.Fields, d.Fields)
	if err != nil {
		return err
	}
	payload := map[string]any{"doc": doc, "key": d.Key, "me": why.actor}
	if was != nil {
		if payload["old"], err = typedFields(c.Collection.Fields, was); err != nil {
			return err
		}
	}
	return r.fire(tx, reactions, store.Fired{Subject: c.Path(d.Key), Doc: d.N}, payload, why)
}

// firePair is the same for a pair that was set or unset.
func (r *running) firePair(tx *store.Tx, on design.Event, p *plan.Pair, ends store.Ends, why cause) error {
	reactions := r.plan.ReactionsTo(on, nil, p)
	if len(reactions) == 0 {
		return nil
	}
	if ends.Fields == nil {
		ends.Fields = json.RawMessage("{}")
	}
	typed, err := typedFields(p.Fields, ends.Fields)
	if err != nil {
		return err
	}
	about := store.Fired{Subject: detail(p, ends.AKey, ends.BKey), Doc: ends.A, Other: ends.B}
	return r.fire(tx, reactions, about, map[string]any{"pair": typed, "from": ends.AKey, "to": ends.BKey, "me": why.actor}, why)
}

// typedFields reads stored fields in the types that conditions compute with.
func typedFields(fields []*design.Field, raw json.RawMessage) (map[string]any, error) {
	all, err := decodeFields(raw)
	if err != nil {
		return nil, err
	}
	typed, _ := design.AcceptAll(fields, all) // a value that no longer fits counts as absent
	return typed, nil
}

func (r *running) fire(tx *store.Tx, reactions []*plan.Reaction, about store.Fired, payload map[string]any, why cause) error {
	for _, reaction := range reactions {
		if reaction.When != nil && !reaction.When.Holds(payload) {
			continue
		}
		if why.depth >= design.MaxDepth {
			return refuse(CodeLoop, "trigger %q was set off by triggers %d times in a row, by %s: give one of them a `when` that ends it", reaction.Name, why.depth, about.Subject)
		}
		raw, err := json.Marshal(payload)
		if err != nil {
			return err
		}
		about.Reaction, about.Change, about.Depth, about.Payload = reaction.Number, why.change, why.depth+1, raw
		n, err := tx.Fire(about)
		if err != nil {
			return err
		}
		if err := tx.AppendDue(why.change, workOf(reaction, n)); err != nil {
			return err
		}
	}
	return nil
}

func workOf(reaction *plan.Reaction, fired int64) []plan.Work {
	var due []plan.Work
	if reaction.Writes() {
		due = append(due, plan.Work{Step: plan.React, Subject: reaction.Number, Doc: fired})
	}
	for i, s := range reaction.Steps {
		if s.Do == design.DoSend {
			due = append(due, plan.Work{Step: plan.Send, Subject: reaction.Number, Doc: fired, Amount: int64(i)})
		}
	}
	return due
}

// isHopeless tells whether work that failed would fail again in the same way:
// it was refused, not hindered. What is missing may be about to take along
// what asks for it.
func isHopeless(err error) bool {
	var refusal *Refusal
	return errors.As(err, &refusal) && !isMissing(err)
}

// isMissing tells whether something was refused because a document is not there.
func isMissing(err error) bool {
	var refusal *Refusal
	if !errors.As(err, &refusal) {
		return false
	}
	return refusal.Code == CodeNotFound ||
		slices.ContainsFunc(refusal.Mistakes, func(m design.Mistake) bool { return m.Code == design.MistakeNoTarget })
}

// react carries out what triggers do to facts. All that one event causes is
// one transaction, which also deletes the due row: it happens once.
func (t *turn) react(due []store.Due) error {
	for i, d := range due {
		reaction := t.plan.ReactionNumbered(d.Subject)
		fired, there, err := t.tx.Fired(d.Doc)
		if err != nil {
			return err
		}
		if reaction == nil || !there {
			continue
		}
		values, err := t.payload(reaction, fired)
		if err != nil {
			return err
		}
		me, _ := values["me"].(string)
		why := cause{actor: me, change: fired.Change, depth: fired.Depth}
		for _, s := range reaction.Steps {
			if err := t.do(s, fired, values, why); err != nil {
				return fmt.Errorf("trigger %s, for %s: %w", reaction.Name, fired.Subject, err)
			}
			due[i].Rows++
		}
	}
	return t.finish(due)
}

// payload reads back what a trigger's expressions can name.
func (t *turn) payload(reaction *plan.Reaction, fired store.Fired) (map[string]any, error) {
	all, err := decodeFields(fired.Payload)
	if err != nil {
		return nil, err
	}
	for name, v := range all {
		object, is := v.(map[string]any)
		if !is {
			continue
		}
		var fields []*design.Field
		if name == "pair" {
			fields = reaction.Pair.Fields
		} else {
			fields = reaction.Collection.Collection.Fields
		}
		all[name], _ = design.AcceptAll(fields, object)
	}
	return all, nil
}

// do carries out one step. What is already as the step wants it is fine. So is
// a document that has gone meanwhile, if that is what the step would have
// changed, or if what set off the trigger has gone too.
func (t *turn) do(s plan.ReactionStep, fired store.Fired, values map[string]any, why cause) error {
	err := t.attempt(s, values, why)
	if errors.Is(err, errTaken) {
		return nil
	}
	if !isMissing(err) {
		return err
	}
	var refusal *Refusal
	changes := s.Do == design.DoEdit || s.Do == design.DoRemove || s.Do == design.DoUnpair
	if changes && errors.As(err, &refusal) && refusal.Code == CodeNotFound {
		return nil
	}
	stands, lookErr := t.stands(fired)
	if lookErr != nil || !stands {
		return lookErr
	}
	return err
}

// stands tells whether what set off a trigger is there still: a document, or
// both ends of a pair.
func (t *turn) stands(fired store.Fired) (bool, error) {
	ns := []int64{fired.Doc}
	if fired.Other != 0 && fired.Other != fired.Doc {
		ns = append(ns, fired.Other)
	}
	there, err := t.tx.Numbered(ns)
	return len(there) == len(ns), err
}

func (t *turn) attempt(s plan.ReactionStep, values map[string]any, why cause) error {
	switch s.Do {
	case design.DoEdit:
		fields, err := workedOut(s.Fields, values)
		if err != nil {
			return err
		}
		key, _ := values["key"].(string)
		return t.editAs(s.Collection, key, fields, why)
	case design.DoCreate:
		return t.createAs(s, values, why)
	case design.DoRemove:
		key, err := text(s.ID, values)
		if err != nil {
			return err
		}
		_, err = t.removeOne(t.tx, s.Collection, Target{Collection: s.Collection.Name, Key: key}, why)
		return err
	case design.DoPair, design.DoUnpair:
		return t.pairAs(s, values, why)
	}
	return nil // what is sent goes its own way
}

func (t *turn) editAs(c *plan.Collection, key string, fields map[string]any, why cause) error {
	in, doc, err := t.lockForEdit(t.tx, Target{Collection: c.Name, Key: key})
	if err != nil {
		return err
	}
	patch, err := json.Marshal(fields)
	if err != nil {
		return err
	}
	ed, err := in.edited(doc, MergePatch(patch))
	if err != nil || len(ed.touched) == 0 {
		return err
	}
	_, err = t.carryOutEdit(t.tx, c, doc, ed, why)
	return err
}

func (t *turn) createAs(s plan.ReactionStep, values map[string]any, why cause) error {
	fields, err := workedOut(s.Fields, values)
	if err != nil {
		return err
	}
	id, err := text(s.ID, values)
	if err != nil {
		return err
	}
	parent, err := text(s.Under, values)
	if err != nil {
		return err
	}
	made, err := t.prepare(Draft{Collection: s.Collection.Name, Parent: parent, ID: id, Fields: fields}, Caller{Me: why.actor})
	if err != nil {
		return err
	}
	made.why = why
	_, err = made.carryOut(t.tx)
	return err
}

func (t *turn) pairAs(s plan.ReactionStep, values map[string]any, why cause) error {
	from, err := text(s.From, values)
	if err != nil {
		return err
	}
	to, err := text(s.To, values)
	if err != nil {
		return err
	}
	link := Link{Pair: s.Pair.Name, From: from, To: to}
	if s.Do == design.DoUnpair {
		_, err = t.unsetPair(t.tx, s.Pair, link, why)
		return err
	}
	var fields map[string]any
	if s.Fields != nil {
		if fields, err = workedOut(s.Fields, values); err != nil {
			return err
		}
	}
	_, err = t.setPair(t.tx, s.Pair, link, fields, why)
	return err
}

func workedOut(wanted map[string]*expr.Value, values map[string]any) (map[string]any, error) {
	out := make(map[string]any, len(wanted))
	for name, v := range wanted {
		var err error
		if out[name], err = v.Of(values); err != nil {
			return nil, refuse(CodeInvalid, "%q: %v", name, err)
		}
	}
	return out, nil
}

// text is the value of an expression for a key, empty if there is none.
func text(v *expr.Value, values map[string]any) (string, error) {
	if v == nil {
		return "", nil
	}
	out, err := v.Of(values)
	if err != nil {
		return "", refuse(CodeInvalid, "%v", err)
	}
	s, _ := out.(string)
	return s, nil
}
