package forecast

import (
	"slices"

	"yalvo/internal/design"
	"yalvo/internal/design/expr"
)

// screen is what a look at a screen costs.
func (c *costing) screen(s *design.Screen) Screen {
	out := Screen{Name: s.Name, PerDay: c.w.Opened[s.Name] * c.w.Accounts * c.scale, Reads: map[Level]Read{}}
	for _, level := range Levels {
		sum := Read{Questions: c.screenQuestions(s)}
		if s.By != nil {
			sum.Documents++ // that it is found by
		}
		for _, p := range s.Parts {
			sum = sum.plus(c.part(p, level))
		}
		out.Reads[level] = sum
	}
	out.Sent = out.Reads[Mean].Bytes * (1 - c.w.Unchanged[s.Name])
	return out
}

// part is what a part of a screen costs, for whoever the level means.
func (c *costing) part(p *design.ScreenPart, level Level) Read {
	items := c.shown(p, level)
	out := Read{Documents: items, Questions: c.partQuestions(p), Passed: c.passed(p.List)}
	names := p.Fields()
	size := c.document(p.Shows, names)
	if p.Timeline != nil {
		size = c.entry(p.Timeline, names)
		out.Collected = c.collected(p.Timeline, level)
	}
	out.Bytes = aroundPage + items*size
	if p.List != nil && p.List.Through != nil || c.throughPair(p) {
		out.Pairs = items
	}
	for _, f := range p.With {
		others := distinct(items, c.total(f.To))
		if p.List != nil && p.List.By == f || p.Document {
			others = min(items, 1) // the same with each
		}
		out.Documents += others
		out.Asked += others * asks(f.To.Access.Of(design.OpRead))
		out.Bytes += others * c.document(f.To, nil)
	}
	for i, mark := range p.Marks {
		if out.Asked += items; i == 0 {
			out.Bytes += items * aroundMark
		}
		out.Bytes += items * member(mark, 4)
	}
	out.Asked += items * asks(p.Shows.Access.Of(design.OpRead))
	if p.List != nil {
		out.Asked += items * float64(len(p.List.Unless))
	}
	return out
}

func (c *costing) throughPair(p *design.ScreenPart) bool {
	return p.Leads != "" && c.d.Leads(c.owner(p))[p.Leads].Pair != nil
}

// owner is the collection of the document that a part is for.
func (c *costing) owner(p *design.ScreenPart) *design.Collection {
	if p.For == design.Mine {
		return c.d.Accounts
	}
	for _, s := range c.d.Screens {
		if slices.Contains(s.Parts, p) {
			return s.Of
		}
	}
	return nil
}

// asks is how many documents and pairs a rule looks up for each that it is asked about.
func asks(rule *design.Rule) float64 {
	if rule == nil || rule.That == nil {
		return 0
	}
	return float64(len(rule.That.Asks) + lookups(rule.That))
}

// lookups are the documents that a rule reads besides those that it is about: one more for each reference that it
// follows.
func lookups(rule *expr.Rule) int {
	n := 0
	for _, path := range rule.Follows {
		n += max(0, len(path)-1)
	}
	return n
}

// shown is how many a part shows at once.
func (c *costing) shown(p *design.ScreenPart, level Level) float64 {
	page := float64(p.Page)
	switch {
	case p.Document:
		return 1
	case p.Timeline != nil:
		t := p.Timeline
		if _, said := c.spread[t.Name]; said {
			return c.many(t.Name, level, atMost(min(page, float64(t.Length))))
		}
		each := c.postsEach(t)
		return c.many(t.Through.Name+".from", level, func(followed float64) float64 {
			return min(page, float64(t.Length), followed*each+own(t, c.spread[relationOf(t.By)].Mean()))
		})
	case p.List != nil && p.List.Owner() != nil:
		return c.many(listRelation(p.List), level, atMost(page))
	case p.List != nil:
		return min(page, c.total(p.Shows))
	}
	led := c.d.Leads(c.owner(p))[p.Leads]
	switch {
	case led.Pair != nil:
		return c.many(led.Pair.Name+"."+string(led.Side), level, atMost(page))
	case led.By != nil:
		return c.many(relationOf(led.By), level, atMost(page))
	}
	return c.many(led.To.Name, level, atMost(page))
}

// collected is how many authors' entries are collected when a timeline is read: of those who are followed those whose
// entries are not written.
func (c *costing) collected(t *design.Timeline, level Level) float64 {
	followers := c.spread[t.Through.Name+".to"]
	if t.Deliver == design.Push || followers.Mean() == 0 {
		return 0
	}
	part := 1 - followers.MeanOf(pushed(t))/followers.Mean()
	return part * c.many(t.Through.Name+".from", level, same)
}

func own(t *design.Timeline, posts float64) float64 {
	if t.Own {
		return posts
	}
	return 0
}

// listRelation is what a list shows of the document that it is asked for.
func listRelation(l *design.Listing) string {
	switch {
	case l.Under:
		return l.Entries.Name
	case l.By != nil:
		return relationOf(l.By)
	}
	return l.Through.Name + "." + string(l.Side)
}

// postsEach is how many posts those have, on average, who are followed: more, if who is followed posts more.
func (c *costing) postsEach(t *design.Timeline) float64 {
	posts := c.spread[relationOf(t.By)]
	if c.w.Busy[t.Entries.Name] == t.Through.Name+".to" {
		followers := c.spread[t.Through.Name+".to"]
		if mean := followers.Mean(); mean > 0 {
			return posts.Mean() * followers.Biased() / mean
		}
	}
	return posts.Mean()
}
