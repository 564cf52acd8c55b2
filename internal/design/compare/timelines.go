package compare

import (
	"fmt"
	"slices"
	"strings"

	"yalvo/internal/design"
	"yalvo/internal/design/plan"
)

func (c *comparing) compareTimelines() {
	for _, n := range c.To.Timelines {
		o := c.timelines.old[n]
		switch {
		case o == nil:
			c.differ(Difference{Kind: "timeline", Name: n.Name, How: Added, Effects: []Effect{Rebuild}})
			c.fillTimeline(n)
		default:
			c.compareTimeline(o, n)
		}
	}
	for _, o := range c.timelines.gone {
		c.differ(Difference{Kind: "timeline", Name: o.Name, How: Dropped, Effects: []Effect{Retract}})
		c.retire("timeline", o.Name)
	}
}

func (c *comparing) compareTimeline(o, n *design.Timeline) {
	d := Difference{Kind: "timeline", Name: n.Name}
	if o.Name != n.Name {
		d.How, d.Was = Renamed, o.Name
	}
	for _, w := range []struct{ what, from, to string }{
		{"length", fmt.Sprint(o.Length), fmt.Sprint(n.Length)}, {"deliver", delivery(o), delivery(n)},
	} {
		if w.from != w.to {
			d.What = append(d.What, changed(w.what, w.from, w.to))
		}
	}
	d.What = append(d.What, members("carry", partNames(o.Carry), partNames(n.Carry))...)
	other := c.content(o, n)
	d.What = append(d.What, other...)
	if len(d.What) > 0 && d.How == "" {
		d.How = Changed
	}
	if len(other) > 0 || c.movesEntries(n) {
		c.retire("timeline", o.Name)
		d.Effects = append(d.Effects, Rebuild)
		c.fillTimeline(n)
	} else {
		c.carry("timeline", o.Name, n.Name)
		d.Effects = append(d.Effects, c.redeliver(o, n)...)
	}
	if d.How != "" {
		c.differ(d)
	}
}

// content says in words what makes entries of a timeline be others than they were.
func (c *comparing) content(o, n *design.Timeline) []string {
	var all []string
	for _, w := range []struct{ what, from, to string }{
		{"owner", c.newName(o.Owner), n.Owner.Name}, {"entries", c.newName(o.Entries), n.Entries.Name},
		{"by", c.newField(o.By), n.By.In.Name + "." + n.By.Name}, {"through", c.newPair(o.Through), n.Through.Name},
		{"authors", c.newName(o.By.To), n.By.To.Name}, {"own", yes(o.Own), yes(n.Own)},
		{"order", c.order(o, true), c.order(n, false)},
		{"unless", c.unless(o, true), c.unless(n, false)},
	} {
		if w.from != w.to {
			all = append(all, changed(w.what, w.from, w.to))
		}
	}
	all = append(all, asked("where", design.NameDoc, o.Where, n.Where)...)
	return append(all, asked("where of the pair", design.NamePair, o.While, n.While)...)
}

// asked says what other condition there is. A condition may rest on rules with names, and may
// be the same in other words: what counts is what it comes to.
func asked(what, about string, o, n *design.Rule) []string {
	in := func(r *design.Rule) string {
		if r == nil {
			return "none"
		}
		f, _ := r.That.Alone(about)
		return f.String()
	}
	if in(o) == in(n) {
		return nil
	}
	if o.Text() == n.Text() { // a rule that it names is another
		return []string{changed(what, in(o), in(n))}
	}
	return []string{changed(what, none(o.Text()), none(n.Text()))}
}

func (c *comparing) order(t *design.Timeline, old bool) string {
	switch {
	case t.Order == nil:
		return "created"
	case old:
		return c.newField(t.Order)
	}
	return t.Order.In.Name + "." + t.Order.Name
}

// movesEntries tells whether facts are stored in another form that say which entries a
// timeline has, and in which order.
func (c *comparing) movesEntries(t *design.Timeline) bool {
	touched := func(name string) bool { return c.touched[t.Entries][name] }
	pairs := c.Rewrites[t.Through.Name]
	return t.Order != nil && touched(t.Order.Name) ||
		t.Where != nil && slices.ContainsFunc(t.Where.That.Members(design.NameDoc), touched) ||
		t.While != nil && pairs != nil && pairs.Needed
}

func (c *comparing) unless(t *design.Timeline, old bool) string {
	var names []string
	for _, u := range t.Unless {
		name := u.Paired.Name
		if old {
			name = c.newPair(u.Paired)
		}
		if u.EitherWay {
			name += " either way"
		}
		names = append(names, name)
	}
	slices.Sort(names)
	return none(strings.Join(names, ", "))
}

func delivery(t *design.Timeline) string {
	if t.Deliver == design.Mixed {
		return fmt.Sprintf("mixed above %d", t.Above)
	}
	return string(t.Deliver)
}

func partNames(parts []design.Part) []string {
	var names []string
	for _, p := range parts {
		names = append(names, p.Name())
	}
	return names
}

// members says in words which of some names were added and dropped, in one text if
// any were.
func members(what string, from, to []string) []string {
	var words []string
	for _, x := range []struct {
		how      string
		one, two []string
	}{{"added", to, from}, {"dropped", from, to}} {
		names := slices.DeleteFunc(slices.Clone(x.one), func(name string) bool { return slices.Contains(x.two, name) })
		if len(names) > 0 {
			words = append(words, strings.Join(names, ", ")+" "+x.how)
		}
	}
	if len(words) == 0 {
		return nil
	}
	return []string{what + ": " + strings.Join(words, "; ")}
}

// fillTimeline has a timeline made from nothing.
func (c *comparing) fillTimeline(t *design.Timeline) {
	c.build(plan.AspectPosted, t.Name, Refused)
	c.storeEntries(t)
}

func (c *comparing) storeEntries(t *design.Timeline) {
	if t.Deliver == design.Mixed {
		c.modes = append(c.modes, t.Name)
	}
	if t.Deliver != design.Pull {
		c.build(plan.AspectTimeline, t.Name, Collected)
	}
}

// redeliver is what another length or way of delivery asks for.
func (c *comparing) redeliver(o, n *design.Timeline) []Effect {
	switch {
	case n.Deliver == design.Pull && o.Deliver != design.Pull:
		c.unstore = append(c.unstore, n.Name)
		return []Effect{Retract}
	case n.Deliver == design.Pull:
		return nil
	case o.Deliver == design.Pull, n.Length > o.Length, o.Deliver == design.Mixed && n.Deliver == design.Push:
		c.storeEntries(n)
		return []Effect{Rebuild}
	case delivery(o) != delivery(n):
		c.modes = append(c.modes, n.Name)
		return []Effect{Redeliver}
	}
	return nil
}
