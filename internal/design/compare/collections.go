package compare

import (
	"slices"

	"yalvo/internal/design"
	"yalvo/internal/design/plan"
)

// moveCollections: the documents of a collection that comes to lie under another
// one would need other paths. It is another collection of the same name.
func (c *comparing) moveCollections() {
	for again := true; again; {
		again = false
		for _, n := range c.To.Collections {
			o := c.collections.old[n]
			if o == nil || o.Under == nil && n.Under == nil ||
				o.Under != nil && n.Under != nil && c.collections.old[n.Under] == o.Under {
				continue
			}
			c.collections.part(o, n)
			again = true
		}
	}
}

func (c *comparing) compareCollections() {
	c.fields = map[*design.Collection]matched[*design.Field]{}
	c.kept = map[*design.Collection]matched[*design.Kept]{}
	for _, n := range c.To.Collections {
		o := c.collections.old[n]
		if o == nil {
			c.differ(Difference{Kind: "collection", Name: n.Name, How: Added})
			continue
		}
		c.carry("collection", o.Name, n.Name)
		if o.Name != n.Name {
			c.differ(Difference{Kind: "collection", Name: n.Name, Was: o.Name, How: Renamed})
		}
		c.fields[n] = match(c, "field", o.Fields, n.Fields, fieldNames)
		c.kept[n] = match(c, "kept value", o.Kept, n.Kept, named[*design.Kept]{
			func(x *design.Kept) string { return x.Name }, func(x *design.Kept) string { return x.Was },
			func(x *design.Kept) design.Pos { return x.Pos }})
	}
	for _, n := range c.To.Collections { // when the fields of all are matched
		if o := c.collections.old[n]; o != nil {
			c.compareFieldsOf(o, n)
		}
	}
	for _, o := range c.collections.gone {
		c.differ(Difference{Kind: "collection", Name: o.Name, How: Dropped, Effects: []Effect{Drop}})
		c.retire("collection", o.Name)
		for _, f := range o.Fields {
			c.retireField(o, f)
		}
	}
}

var fieldNames = named[*design.Field]{
	func(x *design.Field) string { return x.Name }, func(x *design.Field) string { return x.Was },
	func(x *design.Field) design.Pos { return x.Pos }}

func (c *comparing) retireField(in *design.Collection, f *design.Field) {
	if f.Type == design.Reference {
		c.retire("reference", in.Name+"."+f.Name)
	}
	if f.Unique {
		c.retire("unique", in.Name+"."+f.Name)
	}
}

// compareFieldsOf compares the fields of a collection that goes on.
func (c *comparing) compareFieldsOf(o, n *design.Collection) {
	r := c.rewrite(n.Name+".", c.fields[n], n.Fields, n)
	r.in, r.of = n, design.ShapeOf(o.Fields)
	c.compareChecks(o, n, r)
	r.name, r.old = "doc", o.Fields
	c.compile(r)
	for _, f := range n.Fields {
		if was := c.fields[n].old[f]; was != nil {
			c.carryField(o, n, was, f)
		} else if f.Unique && f.Default != nil {
			c.build(plan.AspectUnique, n.Name+"."+f.Name, AsBefore)
		}
	}
	for _, f := range c.fields[n].gone {
		c.retireField(o, f)
	}
	if r.Needed || r.Checks || r.Looser {
		c.Rewrites[n.Name] = r
	}
}

// compareChecks finds checks that documents may not hold, and those they need hold no more.
func (c *comparing) compareChecks(o, n *design.Collection, r *Rewrite) {
	said := func(checks []*design.Check) []string {
		return design.NamesOf(checks, func(x *design.Check) string { return x.That.Text })
	}
	before, now := said(o.Checks), said(n.Checks)
	for _, check := range n.Checks {
		d := Difference{Kind: "check", Name: n.Name, How: Added, What: []string{check.Otherwise, check.That.Text}}
		if slices.Contains(before, check.That.Text) {
			continue
		}
		if !check.OfEdits() {
			r.Checks, d.Effects = true, []Effect{Check}
		}
		c.differ(d)
	}
	for _, check := range o.Checks {
		if !slices.Contains(now, check.That.Text) {
			r.Looser = true
			c.differ(Difference{Kind: "check", Name: n.Name, How: Dropped,
				What: []string{check.Otherwise, check.That.Text}})
		}
	}
}

// carryField takes along the indexes of a field that goes on, or has them made anew.
func (c *comparing) carryField(o, n *design.Collection, was, is *design.Field) {
	from, to := o.Name+"."+was.Name, n.Name+"."+is.Name
	touched := c.touched[n][is.Name]
	points, pointed := is.Type == design.Reference, was.Type == design.Reference
	switch {
	case points && pointed && c.newName(was.To) == is.To.Name:
		c.carry("reference", from, to)
		if touched {
			c.build(plan.AspectReference, to, AsBefore)
		}
		if was.WhenGone == design.GoneLeave && is.WhenGone != design.GoneLeave {
			c.ends = append(c.ends, to)
		}
	default:
		if pointed {
			c.retire("reference", from)
		}
		if points {
			c.build(plan.AspectReference, to, AsBefore)
		}
	}
	switch {
	case was.Unique && is.Unique:
		c.carry("unique", from, to)
		if touched {
			c.build(plan.AspectUnique, to, AsBefore)
		}
	case was.Unique:
		c.retire("unique", from)
	case is.Unique:
		c.build(plan.AspectUnique, to, AsBefore)
	}
}
