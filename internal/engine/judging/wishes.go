package judging

import (
	"encoding/json"
	"errors"
	"maps"
	"slices"

	"yalvo/internal/design"
	"yalvo/internal/design/access"
	"yalvo/internal/design/plan"
	"yalvo/internal/engine/running"
	"yalvo/internal/engine/store"
)

// wishes are what is to be known next.
type wishes struct {
	docs     map[store.Address]*plan.Collection
	verdicts map[judgement][]access.Condition
	more     map[place]*plan.Summary
	read     map[*plan.Collection][]string       // keys of documents that the database is asked about
	points   map[*fixedRule]map[string][]*points // where references of elements lead, by their keys
	partners bool
}

// lookAround gets to know where references lead, and the viewer's own pairs.
func (o *obeying) lookAround() error {
	for rule, wanted := range o.want.points {
		keys := slices.Collect(maps.Keys(wanted))
		to, err := o.pointing(rule.by.In, rule.by, keys)
		if err != nil {
			return err
		}
		for key, elements := range wanted {
			at, there := to[key]
			for _, points := range elements {
				if there {
					points.Store(&at)
				}
			}
			if !there {
				put(&o.nowhere, running.Address(rule.by.In, key), true)
			}
		}
	}
	if !o.want.partners {
		return nil
	}
	var err error
	o.reader, err = o.partnersFor(o.asked)
	o.tooMany = err == nil && o.reader == nil
	return err
}

// ask has the database tell which documents the viewer may read.
func (o *obeying) ask() error {
	for c, keys := range o.want.read {
		allowed, err := o.stores.Allowed(c, keys, o.filters[c].Filter)
		if err != nil {
			return err
		}
		for _, key := range keys {
			put(&o.allowed, running.Address(c, key), allowed[key])
		}
	}
	return nil
}

// conditions are those to be shown a source of a kept value in a document that may be read: see
// [access.Law.Sourcing].
func (o *obeying) conditions(h *Holder, k *design.Kept, from *Holder, pairFields json.RawMessage) ([]access.Condition,
	error) {
	var facts map[string]any
	var errs [3]error
	if k.Pair != nil && len(pairFields) > 0 {
		facts, errs[0] = running.Typed(k.Pair.Fields, pairFields)
	}
	holder, err := o.holding(h)
	errs[1] = err
	source, err := o.holding(from)
	errs[2] = err
	return o.Law.Sourcing(k, holder, source, facts), errors.Join(errs[:]...)
}

// fulfil gets to know what is wanted.
func (o *obeying) fulfil() error {
	if len(o.want.docs) > 0 {
		if err := o.read(); err != nil {
			return err
		}
	}
	if err := o.lookFurther(); err != nil {
		return err
	}
	if err := errors.Join(o.lookAround(), o.ask()); err != nil {
		return err
	}
	about := make([]judgement, 0, len(o.want.verdicts))
	requests := make([][]access.Condition, 0, len(o.want.verdicts))
	for one, conditions := range o.want.verdicts {
		about, requests = append(about, one), append(requests, conditions)
	}
	if len(requests) == 0 {
		return nil
	}
	verdicts, err := o.Decide(requests...)
	for i, v := range verdicts {
		put(&o.verdicts, about[i], v.Allowed)
	}
	return err
}

func (o *obeying) read() error {
	var addresses []store.Address
	for a := range o.want.docs {
		put(&o.docs, a, nil)
		addresses = append(addresses, a)
	}
	found, _, err := o.stores.Known(addresses, nil)
	if err != nil {
		return err
	}
	for i := range found {
		d := &found[i]
		c := o.Plan.CollectionNumbered(d.Collection)
		o.docs[running.Address(c, d.Key)] = HolderOf(c, d, d.Kept)
	}
	return nil
}

// furtherLook is what is looked for together: the next sources of a value, of several documents, and where a
// reference of these leads.
type furtherLook struct {
	s          *plan.Summary
	by         plan.Number
	skip, many int
}

// lookFurther reads some more sources of values, those of the same value together.
func (o *obeying) lookFurther() error {
	looks := map[furtherLook]map[int64]place{}
	for at, s := range o.want.more {
		have := o.more[at]
		if have == nil {
			have = &candidates{}
			put(&o.more, at, have)
		}
		rule, err := o.fixedRule(s.Sources)
		if err != nil {
			return err
		}
		look := furtherLook{s, 0, len(have.found), max(someCandidates+s.HowMany, len(have.found))}
		if rule != nil {
			look.by = rule.by.Number
		}
		if looks[look] == nil {
			looks[look] = map[int64]place{}
		}
		looks[look][o.docs[running.Address(s.In, keyOf(at.holder))].N] = at
	}
	for look, places := range looks {
		found, err := o.stores.Candidates(look.s, look.by, slices.Collect(maps.Keys(places)), look.skip, look.many)
		if err != nil {
			return err
		}
		for _, c := range found {
			have := o.more[places[c.Target]]
			have.found = append(have.found, c)
		}
		for _, at := range places {
			have := o.more[at]
			have.all = len(have.found)-look.skip < look.many
		}
	}
	return nil
}
