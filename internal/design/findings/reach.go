package findings

import (
	"fmt"
	"maps"
	"slices"
	"strings"

	"yalvo/internal/design"
	"yalvo/internal/design/expr"
)

// rules looks at what rules cost, and where they say the same again.
func (r *review) rules() {
	texts := map[string][]*design.Rule{}
	for _, rule := range r.d.AccessRules() {
		if rule.That != nil && len(rule.That.Text) >= 24 {
			texts[rule.That.Text] = append(texts[rule.That.Text], rule)
		}
	}
	for _, text := range slices.Sorted(maps.Keys(texts)) {
		same := texts[text]
		if len(same) < 3 || slices.ContainsFunc(same, func(rule *design.Rule) bool { return rule.Named != "" }) {
			continue
		}
		r.add(found{code: "rule-repeated", severity: Doubt, place: same[0].Name, at: same[0].Pos,
			reason: fmt.Sprintf("The same rule stands in %d places: `%s`. One of them will be changed without the "+
				"others.", len(same), text),
			cure: "give it a name in `access.rules`, and use that", ground: []any{len(same)}})
	}
	for _, c := range r.d.Collections {
		rule := c.Access.Of(design.OpRead)
		if rule == nil || rule.That == nil {
			continue
		}
		documents := 0
		for _, path := range rule.That.Follows {
			documents += max(0, len(path)-1)
		}
		if documents == 0 || !r.paged(c) {
			continue
		}
		r.add(found{code: "rule-reads-per-entry", severity: Costly, place: rule.Name, at: rule.Pos,
			reason: fmt.Sprintf("To know who may read one of %s, %d other documents are read, for each on a page: "+
				"`%s`.", c.Name, documents,
				rule.That.Text),
			cure:   "keep what it asks for in the document itself, as a copy, or ask for a pair",
			ground: []any{documents}})
	}
}

// paged tells whether documents of a collection are read many at a time.
func (r *review) paged(c *design.Collection) bool {
	return slices.ContainsFunc(r.d.Lists, func(l *design.Listing) bool { return l.Entries == c }) ||
		slices.ContainsFunc(r.d.Timelines, func(t *design.Timeline) bool { return t.Entries == c })
}

// reach looks at who can make others see or hear something: those who block, and those who are muted.
func (r *review) reach() {
	r.oneWay()
	r.muted()
}

// hiding is a place in which pairs keep entries out.
type hiding struct {
	name   string
	at     design.Pos
	either bool
}

// oneWay: a pair that hides both ways in one place, and one way in another.
func (r *review) oneWay() {
	by := map[*design.Pair][]hiding{}
	for _, t := range r.d.Timelines {
		for _, u := range t.Unless {
			by[u.Paired] = append(by[u.Paired], hiding{t.Name, t.Pos, u.EitherWay})
		}
	}
	for _, l := range r.d.Lists {
		for _, u := range l.Unless {
			by[u.Paired] = append(by[u.Paired], hiding{l.Name, l.Pos, u.EitherWay})
		}
	}
	for _, p := range r.d.Pairs {
		both := slices.ContainsFunc(by[p], func(h hiding) bool { return h.either })
		if !both && r.readBothWays(p) {
			both = true
		}
		for _, h := range by[p] {
			if h.either || !both {
				continue
			}
			r.add(found{code: "hides-one-way", severity: Wrong, place: h.name, at: h.at,
				reason: fmt.Sprintf("%s leaves out entries of those whom the reader has a %s with, but not of "+
					"those who have one with the "+
					"reader; elsewhere it hides both ways. Who was shut out still sees the other here.", h.name,
					p.Name),
				cure: "write `either_way: true` there too", ground: []any{p.Name}})
		}
	}
}

// readBothWays tells whether a rule of reading asks for a pair in both directions.
func (r *review) readBothWays(p *design.Pair) bool {
	for _, c := range r.d.Collections {
		rule := c.Access.Of(design.OpRead)
		if rule == nil || rule.That == nil {
			continue
		}
		asked := map[string]bool{}
		for _, a := range rule.That.Asks {
			if a.Kind == p.Name {
				asked[a.From.String()+" "+a.To.String()] = true
			}
		}
		for way := range asked {
			from, to, _ := strings.Cut(way, " ")
			if from != to && asked[to+" "+from] {
				return true
			}
		}
	}
	return false
}

// muted: a truth of accounts that keeps them from one way of being heard, and not from another.
func (r *review) muted() {
	accounts := r.d.Accounts
	if accounts == nil || !r.d.Guarded {
		return
	}
	for _, f := range accounts.Fields {
		if f.Type != design.Boolean {
			continue
		}
		kept, free := r.heardWithout(accounts, f)
		if len(kept) == 0 || len(free) == 0 {
			continue
		}
		r.add(found{code: "muted-but-heard", severity: Wrong, place: accounts.Name + "." + f.Name, at: f.Pos,
			reason: fmt.Sprintf("%s keeps an account from %s, and not from %s. Others hear of that all the same.",
				f.Name, quoted(kept), quoted(free)),
			cure: "ask for it in those rules too, best by a rule with a name", ground: []any{free}})
	}
}

// heardWithout are the ways of being heard by others that a field of the caller decides on, and those that it does not.
func (r *review) heardWithout(accounts *design.Collection, f *design.Field) (kept, free []string) {
	note := func(what string, rule *design.Rule) {
		switch {
		case rule == nil || rule.That == nil && !rule.Fixed:
		case rule.That != nil && asksOfMe(rule.That, accounts.Name, f.Name):
			kept = append(kept, what)
		default:
			free = append(free, what)
		}
	}
	for _, c := range r.d.Collections {
		if c != accounts && r.heard(c) {
			note("creating "+c.Name, c.Access.Of(design.OpCreate))
		}
	}
	for _, p := range r.d.Pairs {
		if p.To != accounts && p.Access.Of(design.OpRead) != nil && p.Access.Of(design.OpRead).Text() == "true" &&
			r.counted(p) {
			note("setting "+p.Name, p.Access.Of(design.OpSet))
		}
	}
	return kept, free
}

// asksOfMe tells whether a rule reads a value of whoever asks.
func asksOfMe(rule *expr.Rule, accounts, field string) bool {
	return slices.Contains(rule.Reads, expr.Member{Collection: accounts, Name: field})
}

// heard tells whether others see a document without looking for it: in a timeline, a list, or under what is theirs.
func (r *review) heard(c *design.Collection) bool { return r.paged(c) || c.Under != nil }

// counted tells whether others see a pair: as a number, or as who has it.
func (r *review) counted(p *design.Pair) bool {
	for _, c := range r.d.Collections {
		for _, k := range c.Kept {
			if k.Pair == p {
				return true
			}
		}
	}
	return false
}

// triggers looks at what triggers set off.
func (r *review) triggers() {
	for _, t := range r.d.Triggers {
		r.selfReading(t)
		r.fanningOut(t)
		for _, s := range t.Steps {
			if s.Do == design.DoSend && t.Collection != nil && r.tellsOfPeople(t.Collection) {
				r.add(found{code: "sent-beyond-forgetting", severity: Doubt, place: t.Name, at: t.Pos,
					reason: fmt.Sprintf("The trigger %s sends what people said to elsewhere. Forgetting a person "+
						"reaches every copy here, and none "+
						"there.", t.Name),
					cure: "send the path alone (`fields: {}`), so that the receiver asks for it, or tell the " +
						"receiver when somebody is forgotten",
					ground: []any{s.URL}})
			}
		}
	}
}

// tellsOfPeople tells whether documents are accounts, or lead to one.
func (r *review) tellsOfPeople(c *design.Collection) bool {
	return c == r.d.Accounts || slices.ContainsFunc(c.References(),
		func(f *design.Field) bool { return f.To == r.d.Accounts })
}

// selfReading: a trigger that decides by what it changes decides otherwise the second time.
func (r *review) selfReading(t *design.Trigger) {
	if t.When == nil {
		return
	}
	for _, s := range t.Steps {
		if s.Do != design.DoEdit {
			continue
		}
		for _, name := range slices.Sorted(maps.Keys(s.Fields)) {
			if !readsOwn(t.When, name) {
				continue
			}
			r.add(found{code: "reads-what-it-writes", severity: Doubt, place: t.Name, at: t.Pos,
				reason: fmt.Sprintf("The trigger %s decides by %s, and edits %s. What it wrote decides when it is "+
					"set off again, and whether it "+
					"ends hangs on the two together.", t.Name, name, name),
				cure:   "decide by what it does not write, or by how the change was (`old.…` and `new.…`)",
				ground: []any{name}})
		}
	}
}

func readsOwn(when *expr.Seen, name string) bool {
	for _, of := range []string{design.NameDoc, design.NameNew, "after"} {
		if when.Condition != nil && when.Condition.Names(of, name) || when.Rule != nil && when.Rule.Names(of, name) {
			return true
		}
	}
	return false
}

// fanningOut: a trigger that hangs on what is done most often.
func (r *review) fanningOut(t *design.Trigger) {
	if r.w == nil {
		return
	}
	often := 0.0
	switch {
	case t.Pair != nil && t.On == design.OnSet:
		often = r.w.Done[t.Pair.Name].Set
	case t.Pair != nil:
		often = r.w.Done[t.Pair.Name].Unset
	case t.On == design.OnCreated:
		often = r.w.Done[t.Collection.Name].Create
	case t.On == design.OnRemoved:
		often = r.w.Done[t.Collection.Name].Remove
	default:
		for _, x := range r.w.Done[t.Collection.Name].Edit {
			often += x
		}
	}
	steps := float64(len(t.Steps)) * often * r.w.Accounts
	all := 0.0
	for _, a := range r.now.Actions {
		all += a.PerDay
	}
	if all == 0 || steps < 0.5*all {
		return
	}
	r.add(found{code: "trigger-multiplies", severity: Costly, place: t.Name, at: t.Pos,
		reason: fmt.Sprintf("The trigger %s carries out %s steps a day, and all that people do comes to %s. Each "+
			"step is a write of its own, "+
			"with what follows from it, and they are done one after the other.", t.Name, number(steps), number(all)),
		cure: "let a kept value or a timeline do it: those are written many at once", ground: []any{size(steps),
			len(t.Steps)}})
}
