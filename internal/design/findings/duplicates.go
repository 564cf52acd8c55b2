package findings

import (
	"fmt"
	"slices"

	"yalvo/internal/design"
	"yalvo/internal/design/access"
	"yalvo/internal/design/forecast"
)

// duplicates looks at what is kept: who shows it, how often it is rewritten, and for whom.
func (r *review) duplicates() {
	law := access.New(r.d)
	for _, c := range r.d.Collections {
		for i, k := range c.Kept {
			place := c.Name + "." + k.Name
			r.unshown(place, c, k)
			switch k.Kind {
			case design.Copy:
				r.freezable(place, c, k)
				r.restless(place, k)
				r.twice(place, c, k, c.Kept[:i])
				r.personal(place, k)
			case design.Count:
				r.endless(place, k)
			}
			if k.Kind == design.Copy || k.Kind == design.Latest {
				r.hot(place, k)
			}
			if access.Shows(k) && law.RightTo(k) == access.Told {
				r.add(found{code: "copy-is-wider", severity: Doubt, place: place, at: k.Pos,
					reason: fmt.Sprintf("%s is shown by a rule of its own, to some who may not read what it is "+
						"from. What they are refused there "+
						"they read here.", place),
					cure:   "leave the rule of the copy out, so that who may read the source decides",
					ground: []any{k.Kind}})
			}
		}
	}
}

// unshown: what nobody shows is kept true for nobody.
func (r *review) unshown(place string, c *design.Collection, k *design.Kept) {
	if !r.screenful() || r.used[place] {
		return
	}
	code, what := "unshown-copy", "copied"
	if k.Kind != design.Copy && k.Kind != design.Latest && k.Kind != design.Gather {
		code, what = "unshown-count", "worked out"
	}
	r.add(found{code: code, severity: Costly, place: place, at: k.Pos,
		reason: fmt.Sprintf("%s is %s and kept true%s, and no screen, timeline, list, rule or other kept value "+
			"uses it.", place, what,
			r.rewrites(place)),
		cure: "leave it out: it can be added when a screen shows it, and is derived from what there is then",
		edit: &Edit{[]string{"collections", c.Name, "kept", k.Name}, "", ""}})
}

// rewrites says how often a kept value is rewritten in a day.
func (r *review) rewrites(place string) string {
	if r.w == nil {
		return ""
	}
	return fmt.Sprintf(", one of %s documents rewritten in a day", number(r.now.Day.Upkeep.Kept))
}

// freezable: a copy of what never changes has nothing to be kept true.
func (r *review) freezable(place string, c *design.Collection, k *design.Kept) {
	if k.Frozen || len(k.Parts) == 0 || !k.Via.Fixed {
		return
	}
	if slices.ContainsFunc(k.Parts, func(p design.Part) bool { return p.Field == nil || !p.Field.Fixed }) {
		return
	}
	r.add(found{code: "could-be-frozen", severity: Doubt, place: place, at: k.Pos,
		reason: fmt.Sprintf("%s copies what never changes: all of it is fixed, and so is the reference. Upkeep and "+
			"audits look after it "+
			"all the same.", place),
		cure: "freeze it", edit: &Edit{[]string{"collections", c.Name, "kept", k.Name}, "frozen", "true"}})
}

// holders is how many copies of one document's values there are, on average and at most.
func (r *review) holders(k *design.Kept) (mean, most float64, said bool) {
	if k.Kind == design.Latest { // each source is shown in one
		return 1, 1, r.w != nil
	}
	return r.spread(k.Via.In.Name + "." + k.Via.Name)
}

// hot: a kept number within a copy is carried on to every copy each time it changes.
func (r *review) hot(place string, k *design.Kept) {
	for _, p := range k.Parts {
		if p.Kept == nil || len(p.Kept.Parts) > 0 || k.Frozen {
			continue
		}
		mean, most, said := r.holders(k)
		numbers := ""
		if said {
			numbers = fmt.Sprintf(": %s copies of one on average, and %s of the one with the most", number(mean),
				number(most))
		}
		r.add(found{code: "hot-copy", severity: Costly, place: place, at: k.Pos,
			reason: fmt.Sprintf("%s shows %s, which changes whenever somebody does something. Each time all that "+
				"show it are rewritten%s.",
				place, p.Name(), numbers),
			cure:   fmt.Sprintf("leave %s out of it, and show it where it is kept", p.Name()),
			ground: []any{p.Name(), size(most)}})
	}
}

// restless: a copy that is rewritten more often than it is read costs more than looking it up.
func (r *review) restless(place string, k *design.Kept) {
	if r.w == nil || k.Frozen {
		return
	}
	of := k.Via.To
	docs := r.w.Total(r.d, of, 1)
	edits := 0.0
	for _, p := range k.Parts {
		if p.Field != nil {
			edits += r.w.Done[of.Name].Edit[p.Field.Name] * r.w.Accounts
		}
	}
	if docs == 0 || edits/docs < 1 {
		return
	}
	mean, most, _ := r.holders(k)
	r.add(found{code: "restless-copy", severity: Costly, place: place, at: k.Pos,
		reason: fmt.Sprintf("What %s copies is edited %s times a day in each of %s. Each edit rewrites %s copies "+
			"on average, and %s of the "+
			"one with the most.", place, number(edits/docs), of.Name, number(mean), number(most)),
		cure: fmt.Sprintf("look it up where it is shown (`with: [%s]` in the screen), or copy what changes "+
			"less", k.Via.Name),
		ground: []any{size(edits / docs), size(most)}})
}

// twice: the same value along the same way.
func (r *review) twice(place string, c *design.Collection, k *design.Kept, before []*design.Kept) {
	for _, other := range before {
		if other.Kind != design.Copy || other.Via != k.Via || other.Frozen != k.Frozen {
			continue
		}
		var both []string
		for _, p := range k.Parts {
			if slices.ContainsFunc(other.Parts, func(o design.Part) bool { return o.Name() == p.Name() }) {
				both = append(both, p.Name())
			}
		}
		if len(both) > 0 {
			r.add(found{code: "copied-twice", severity: Costly, place: place, at: k.Pos,
				reason: fmt.Sprintf("%s and %s.%s both copy %s by %s. Each change is carried to both, and stored "+
					"twice in each document.", place,
					c.Name, other.Name, quoted(both), k.Via.Name),
				cure: "make one copy of both", ground: []any{both}})
		}
	}
}

// endless: a count of what has no end, of which people see "99+".
func (r *review) endless(place string, k *design.Kept) {
	relation := k.Relation()
	_, most, said := r.spread(relation)
	if !said || most < 100_000 || r.ordered(k) {
		return
	}
	r.add(found{code: "exact-but-endless", severity: Doubt, place: place, at: k.Pos,
		reason: fmt.Sprintf("%s counts up to %s exactly, and nothing is ordered by it. Every one of them rewrites "+
			"the document that has the "+
			"count.", place, number(most)),
		cure:   "where people see `99+` leave the count out, and show whether a page of it is full",
		ground: []any{size(most)}})
}

func (r *review) ordered(k *design.Kept) bool {
	return slices.ContainsFunc(r.d.Lists, func(l *design.Listing) bool {
		return slices.ContainsFunc(l.Order, func(o design.Order) bool { return o.Part.Kept == k })
	})
}

// personal: what somebody said of themselves, frozen in others' documents, stays there when they change it.
func (r *review) personal(place string, k *design.Kept) {
	if !k.Frozen || k.Via.To != r.d.Accounts {
		return
	}
	r.add(found{code: "frozen-person", severity: Doubt, place: place, at: k.Pos,
		reason: fmt.Sprintf("%s keeps what somebody said of themselves as it was, in documents of others. They can "+
			"change it where it is "+
			"theirs, and it stays here; `yalvo forget` empties it, an edit does not.", place),
		cure:   "freeze nothing of accounts, unless the document is a receipt of what was so then",
		ground: []any{len(k.Parts)}})
}

// lists looks at what a page of a list reads.
func (r *review) lists() {
	for _, l := range r.d.Lists {
		if s := l.Serving(); s.None {
			r.add(found{code: "no-index", severity: Costly, place: l.Name, at: l.Pos,
				reason: fmt.Sprintf("No index can put the list %s in order: a page reads %s. It costs what there "+
					"is, not what is shown.", l.Name,
					s.Reads),
				cure: "order it by what the index has (created, paired, a field of the entries), or bound what " +
					"it can hold",
				ground: []any{s.Reads}})
		}
		for _, o := range l.Order {
			r.clientClock("list "+l.Name, l.Name, l.Pos, o.Part.Field)
		}
	}
}

// clientClock: a time that clients write is whatever their clock says, or what they like.
func (r *review) clientClock(what, place string, at design.Pos, f *design.Field) {
	if f == nil || f.Type != design.Timestamp || f.Fixed && f.Default != nil && f.Default.Now {
		return
	}
	r.add(found{code: "clients-clock", severity: Wrong, place: place, at: at,
		reason: fmt.Sprintf("The %s is ordered by %s, which clients write. A clock that is wrong, or set so, puts "+
			"an entry on top for as long "+
			"as somebody likes.", what, f.Name),
		cure:   "order by `created`, or have the service write the time: `default: now, fixed: true`",
		ground: []any{f.Name}})
}

// screens looks at what a screen looks up for each row.
func (r *review) screens() {
	for _, s := range r.d.Screens {
		for _, p := range s.Parts {
			if p.Document {
				continue
			}
			for _, f := range p.With {
				if p.List != nil && p.List.By == f {
					continue // the same for all
				}
				often := ""
				if r.w != nil {
					often = fmt.Sprintf(", %s times a day", number(r.w.Opened[s.Name]*r.w.Accounts*float64(p.Page)))
				}
				r.add(found{code: "lookup-per-row", severity: Costly, place: s.Name + "." + p.Name, at: p.Pos,
					reason: fmt.Sprintf("The part %s of screen %s looks up another document for each of its rows, "+
						"up to %d at a look%s.", p.Name,
						s.Name, p.Page, often),
					cure: fmt.Sprintf("keep a copy of what is shown in %s: `%s_card: {copy: %s, fields: […]}`",
						p.Shows.Name, f.Name, f.Name),
					ground: []any{f.Name, p.Page}})
			}
		}
	}
}

// timelines looks at how far an entry goes, and how long it stays.
func (r *review) timelines() {
	for _, t := range r.d.Timelines {
		r.clientClock("timeline "+t.Name, t.Name, t.Pos, t.Order)
		if t.Length > 2000 {
			r.add(found{code: "never-scrolled", severity: Costly, place: t.Name, at: t.Pos,
				reason: fmt.Sprintf("The timeline %s holds %s entries for each owner. Nobody scrolls through %d "+
					"pages of thirty, and all of "+
					"them are written, trimmed and audited.", t.Name, number(float64(t.Length)), t.Length/30),
				cure:   "hold what somebody may read in a week, as in `length: 800`",
				ground: []any{size(float64(t.Length))},
				edit:   &Edit{[]string{"timelines", t.Name}, "length", "800"}})
		}
		r.fanOut(t)
	}
}

func (r *review) fanOut(t *design.Timeline) {
	if r.w == nil || r.w.FanOut == 0 {
		return
	}
	for _, a := range r.now.Actions {
		if a.Name != "create "+t.Entries.Name {
			continue
		}
		most := a.Upkeep[forecast.Most].Entries
		if most > r.w.FanOut {
			r.add(found{code: "beyond-fan-out", severity: Costly, place: t.Name, at: t.Pos,
				reason: fmt.Sprintf("One of %s by the best-known author is written into %s timelines, and %s are "+
					"stated as the most. The last "+
					"has it after %.2g s.", t.Entries.Name, number(most), number(r.w.FanOut), a.Last[forecast.Most]),
				cure: "collect the entries of those whom many follow when they are read: `deliver: mixed` with a " +
					"threshold",
				ground: []any{size(most), t.Deliver}})
		}
	}
}
