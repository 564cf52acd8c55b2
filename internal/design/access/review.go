package access

import (
	"fmt"

	"yalvo/internal/design"
	"yalvo/internal/design/expr"
)

// Review is what a design says about access, and what its rules cost.
type Review struct {
	Guarded bool       `json:"guarded"` // false: the design says nothing, and lets operators in only
	Rules   []Reviewed `json:"rules"`
	Nobody  []string   `json:"nobody"` // what no rule allows, so that nobody may

	Duplicates []Shown   `json:"duplicates"` // that show documents: by what right
	Findings   []Finding `json:"findings"`   // what is told to whom it is hidden from
}

// Reviewed is a rule with what it costs to decide it.
type Reviewed struct {
	Name       string `json:"name"`
	Condition  string `json:"condition"`
	Documents  int    `json:"documents"`  // that are fetched for each document it is about
	Pairs      int    `json:"pairs"`      // that are asked for, for each
	Statements int    `json:"statements"` // that this takes, of one document or a page
	InPage     bool   `json:"in_page"`    // of reading documents: it is part of the statement that reads a page
}

// NewReview reviews the access that a design gives.
func NewReview(d *design.Design) Review {
	l := New(d)
	r := Review{Guarded: d.Guarded, Rules: []Reviewed{}, Nobody: []string{}, Duplicates: []Shown{},
		Findings: []Finding{}}
	if !d.Guarded {
		return r
	}
	r.Duplicates, r.Findings = l.shown(), l.findings()
	for _, c := range d.Collections {
		r.add(c.Name, c.Access, c.Under, design.OpRead, design.OpCreate, design.OpEdit, design.OpRemove)
		for _, name := range append(design.FieldNames(c.Fields), design.NamesOf(c.Kept,
			func(k *design.Kept) string { return k.Name })...) {
			for _, op := range []design.Op{design.OpRead, design.OpWrite} {
				if rule := c.Access.OfField(name, op); rule != nil {
					r.Rules = append(r.Rules, reviewed(rule, nil))
				}
			}
		}
	}
	for _, p := range d.Pairs {
		r.add(p.Name, p.Access, nil, design.OpRead, design.OpSet, design.OpUnset)
	}
	for _, t := range d.Timelines {
		r.add(t.Name, t.Access, nil, design.OpRead)
	}
	for _, l := range d.Lists {
		r.add(l.Name, l.Access, nil, design.OpRead)
	}
	return r
}

func (r *Review) add(name string, a *design.Access, under *design.Collection, ops ...design.Op) {
	for _, op := range ops {
		rule := a.Of(op)
		if rule == nil {
			r.Nobody = append(r.Nobody, fmt.Sprintf("%s.%s", name, op))
			continue
		}
		if op != design.OpRead {
			under = nil
		}
		of := reviewed(rule, under)
		of.InPage = op == design.OpRead && inPage(rule)
		r.Rules = append(r.Rules, of)
	}
}

// inPage tells whether a rule can be part of the statement that reads a page.
func inPage(rule *design.Rule) bool {
	me := map[string]*expr.Document{design.NameMe: {Key: "somebody"}}
	return rule.That != nil && rule.That.Names(design.NameDoc) && rule.That.Filter(design.NameDoc, me, nil).Exact()
}

// reviewed is what a rule costs; of one to read a nested document, with what it takes to
// read what that lies under.
func reviewed(rule *design.Rule, under *design.Collection) Reviewed {
	out := Reviewed{Name: rule.Name, Condition: rule.Text()}
	c := costOf(rule, 0)
	for above := 1; under != nil; under, above = under.Under, above+1 {
		parent := costOf(under.Access.Of(design.OpRead), 1)
		c.documents, c.pairs = c.documents+1+parent.documents, c.pairs+parent.pairs
		c.rounds = max(c.rounds, 1, parent.rounds)
	}
	out.Documents, out.Pairs, out.Statements = c.documents, c.pairs, c.rounds
	return out
}

type cost struct{ documents, pairs, rounds int }

// costOf is what deciding a rule takes besides the values of what it is about, when those
// are known after so many rounds.
func costOf(rule *design.Rule, known int) cost {
	var c cost
	if rule == nil || rule.That == nil {
		return c
	}
	valuesAfter := func(p expr.Path) int {
		switch {
		case len(p) == 0:
			return 0
		case p[0] == design.NameDoc || p[0] == design.NameNew:
			return known + len(p) - 1
		}
		return len(p)
	}
	for _, p := range rule.That.Follows {
		if after := valuesAfter(p); after > known || p[0] != design.NameDoc && p[0] != design.NameNew {
			c.rounds = max(c.rounds, after)
			if p[0] != design.NameMe { // one for all that are decided together
				c.documents++
			}
		}
	}
	for _, ask := range rule.That.Asks {
		c.pairs++
		c.rounds = max(c.rounds, 1+max(valuesAfter(ask.From[:len(ask.From)-1]), valuesAfter(ask.To[:len(ask.To)-1])))
	}
	if rule.That.Names(design.NameMe) {
		c.rounds = max(c.rounds, 1)
	}
	return c
}
