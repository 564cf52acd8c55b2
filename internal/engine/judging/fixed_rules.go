package judging

import (
	"slices"

	"yalvo/internal/design"
	"yalvo/internal/design/access"
	"yalvo/internal/design/expr"
	"yalvo/internal/design/plan"
	"yalvo/internal/engine/store/readsql"
	"yalvo/internal/engine/store/timelinesql"
)

// fixedRule is a rule to read documents that depends, of each, on nothing but where one reference leads which never
// changes: once that is known, only the reader's own pairs are to be looked at. It is the same for all readers, of
// whom [timelinesql.AnyReader] stands for each.
type fixedRule struct {
	by            *plan.Reference
	there, nobody expr.Filter        // for a reader who is there, and for one who is not
	pairs         []readsql.Partners // what is asked of the reader
}

// fixedRuleOf is the rule to read documents of a collection as one, nil if it is none.
func (j *Judge) fixedRuleOf(c *plan.Collection) (*fixedRule, error) {
	if j.of == nil {
		return j.newFixedRule(c)
	}
	if rule, known := j.of.fixed.Get(c); known {
		return rule, nil
	}
	rule, err := j.newFixedRule(c)
	if err == nil {
		j.of.fixed.Add(c, rule)
	}
	return rule, err
}

// fixedKnown is of how many collections, of versions of the design, the rules are remembered as fixed ones.
const fixedKnown = 1000

func (j *Judge) newFixedRule(c *plan.Collection) (*fixedRule, error) {
	if c.Upcast != nil || j.Plan.Design.Accounts == nil || !access.Alike(c.Access.Of(design.OpRead)) {
		return nil, nil
	}
	there, nobody, who, err := j.Law.Evaluator(nil, timelinesql.AnyReader, j.began).Filter(c.Collection)
	if who == nil {
		nobody = there
	}
	if err != nil || !there.Exact() || !nobody.Exact() {
		return nil, err
	}
	for _, r := range c.References {
		stays := r.WhenGone == design.GoneRemove || r.WhenGone == design.GoneRefuse
		if !c.Collection.Field(r.Name).Fixed || !stays || !there.Of(r.Name) || !nobody.Of(r.Name) {
			continue
		}
		rule := &fixedRule{by: r, there: there, nobody: nobody}
		if rule.asks(j.Plan, there) && rule.asks(j.Plan, nobody) {
			return rule, nil
		}
	}
	return nil, nil
}

// asks notes which pairs a filter asks for, false if they are not all between the reader and what the reference
// leads to.
func (r *fixedRule) asks(p *plan.Plan, f expr.Filter) bool {
	for _, part := range f.Parts {
		if !r.asks(p, part) {
			return false
		}
	}
	switch f.Kind {
	case expr.Points:
		return isReader(p, f.From)
	case expr.Paired:
	default:
		return true
	}
	ask, is := r.ask(p, f)
	if !is {
		return f.From == (expr.End{}) || f.To == (expr.End{}) // nobody is paired with anything
	}
	if !slices.Contains(r.pairs, ask) {
		r.pairs = append(r.pairs, ask)
	}
	return true
}

// isReader tells whether an end is whoever reads.
func isReader(p *plan.Plan, e expr.End) bool {
	return e.Known != nil && e.Known.Key == timelinesql.AnyReader && e.Known.Collection == p.Design.Accounts.Name
}

// ask is what is asked of the reader's pairs to know whether there is one.
func (r *fixedRule) ask(p *plan.Plan, f expr.Filter) (readsql.Partners, bool) {
	of := func(e expr.End) bool { return e.Known == nil && e.Reference == r.by.Name && e.Collection != "" }
	from, to := isReader(p, f.From), isReader(p, f.To)
	return readsql.Partners{Pair: p.Pair(f.Pair), From: from}, from && of(f.To) || to && of(f.From)
}

// allows tells whether the rule lets a reader see a document whose reference leads somewhere.
func (r *fixedRule) allows(p *plan.Plan, reader *partners, to pointed) bool {
	if reader.n == 0 {
		return r.holds(p, reader, r.nobody, to)
	}
	return r.holds(p, reader, r.there, to)
}

func (r *fixedRule) holds(p *plan.Plan, reader *partners, f expr.Filter, to pointed) bool {
	holds := func(part expr.Filter) bool { return r.holds(p, reader, part, to) }
	switch f.Kind {
	case expr.Always:
		return true
	case expr.AllOf:
		return !slices.ContainsFunc(f.Parts, func(part expr.Filter) bool { return !holds(part) })
	case expr.AnyOf:
		return slices.ContainsFunc(f.Parts, holds)
	case expr.NotThat:
		return !holds(f.Parts[0])
	case expr.Points:
		return to.key == reader.key
	case expr.Paired:
		ask, is := r.ask(p, f)
		return is && slices.Contains(reader.with(ask), to.n)
	}
	return false
}
