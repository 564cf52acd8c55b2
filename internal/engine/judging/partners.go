package judging

import (
	"encoding/json"

	"yalvo/internal/design"
	"yalvo/internal/design/expr"
	"yalvo/internal/design/plan"
	"yalvo/internal/engine/running"
	"yalvo/internal/engine/store"
)

// fixedRule is a rule to read documents that depends, of each, on nothing but where one reference leads which never
// changes: once that is known, only the reader's own pairs are to be looked at.
type fixedRule struct {
	by        *plan.Reference
	f, nobody expr.Filter
	who       *expr.Document // nil: it does not depend on whether the reader is there
	pairs     []store.Partners
}

// fixedRuleOf is the rule to read documents of a collection as one, nil if it is none.
func (j *Judge) fixedRuleOf(c *plan.Collection) (*fixedRule, error) {
	if c.Lift != nil || j.who.Me == "" || j.Plan.Design.Accounts == nil {
		return nil, nil
	}
	f, nobody, who, err := j.court.Filter(c.Collection)
	if err != nil || !f.Exact() || who != nil && !nobody.Exact() {
		return nil, err
	}
	for _, r := range c.References {
		stays := r.WhenGone == design.GoneRemove || r.WhenGone == design.GoneRefuse
		if !c.Collection.Field(r.Name).Fixed || !stays || !f.Of(r.Name) || !nobody.Of(r.Name) {
			continue
		}
		rule := &fixedRule{by: r, f: f, nobody: nobody, who: who}
		if rule.asks(j, f) && rule.asks(j, nobody) {
			return rule, nil
		}
	}
	return nil, nil
}

// asks notes which pairs a filter asks for, false if they are not all between the reader and what the reference
// leads to.
func (r *fixedRule) asks(j *Judge, f expr.Filter) bool {
	for _, part := range f.Parts {
		if !r.asks(j, part) {
			return false
		}
	}
	if f.Kind != expr.Paired {
		return true
	}
	ask, is := r.ask(j, f)
	if !is {
		return f.From == (expr.End{}) || f.To == (expr.End{}) // nobody is paired with anything
	}
	for _, known := range r.pairs {
		if known == ask {
			return true
		}
	}
	r.pairs = append(r.pairs, ask)
	return true
}

// ask is what is asked of the reader's pairs to know whether there is one.
func (r *fixedRule) ask(j *Judge, f expr.Filter) (store.Partners, bool) {
	me := func(e expr.End) bool {
		return e.Known != nil && e.Known.Key == j.who.Me && e.Known.Collection == j.Plan.Design.Accounts.Name
	}
	of := func(e expr.End) bool { return e.Known == nil && e.Reference == r.by.Name && e.Collection != "" }
	return store.Partners{Pair: j.Plan.Pair(f.Pair), From: me(f.From)}, me(f.From) && of(f.To) || me(f.To) && of(f.From)
}

// partners are the reader's own pairs.
type partners struct {
	there bool
	with  map[store.Partners]map[string]bool
}

// mostPartners is how many partners are looked at together. Of who has more they are looked for one by one.
const mostPartners = 200

// partnersFor looks up what some rules ask for, nil if there are too many.
func (o *obeying) partnersFor(asks []store.Partners) (*partners, error) {
	accounts := o.Plan.Collection(o.Plan.Design.Accounts.Name)
	found, err := o.stores.PartnersOf(accounts, []string{o.who.Me}, asks, mostPartners)
	if err != nil {
		return nil, err
	}
	p := &partners{there: found[0].There, with: map[store.Partners]map[string]bool{}}
	for i, keys := range found[0].With {
		if keys == nil {
			return nil, nil
		}
		with := make(map[string]bool, len(keys))
		for _, key := range keys {
			with[key] = true
		}
		p.with[asks[i]] = with
	}
	return p, nil
}

// allows tells whether the rule lets through a document whose reference leads to a key, empty for nowhere.
func (r *fixedRule) allows(j *Judge, p *partners, key string) bool {
	f := r.f
	if r.who != nil && !p.there {
		f = r.nobody
	}
	return r.holds(j, p, f, key)
}

func (r *fixedRule) holds(j *Judge, p *partners, f expr.Filter, key string) bool {
	switch f.Kind {
	case expr.Always:
		return true
	case expr.AllOf:
		for _, part := range f.Parts {
			if !r.holds(j, p, part, key) {
				return false
			}
		}
		return true
	case expr.AnyOf:
		for _, part := range f.Parts {
			if r.holds(j, p, part, key) {
				return true
			}
		}
	case expr.NotThat:
		return !r.holds(j, p, f.Parts[0], key)
	case expr.Points:
		return key != "" && f.From.Known != nil && f.From.Known.Key == key
	case expr.Paired:
		ask, is := r.ask(j, f)
		return is && p.with[ask][key]
	}
	return false
}

// pointsTo is where a reference of a stored document leads, empty for nowhere.
func pointsTo(r *plan.Reference, d store.Document) (key string, err error) {
	facts := map[string]json.RawMessage{}
	if err = running.Pick(facts, running.See(r.In, d).Facts, []string{r.Name}); err == nil && facts[r.Name] != nil {
		err = json.Unmarshal(facts[r.Name], &key)
	}
	return key, err
}
