package compare

import (
	"fmt"
	"slices"
	"strings"

	"yalvo/internal/design"
	"yalvo/internal/design/plan"
)

func (c *comparing) compareKept() {
	for _, n := range c.To.Collections {
		o := c.collections.old[n]
		if o == nil {
			continue // it has no documents yet
		}
		m := c.kept[n]
		for _, k := range n.Kept {
			c.compareKeptValue(n, m.old[k], k)
		}
		for _, k := range m.gone {
			c.differ(Difference{Kind: "kept value", Name: o.Name + "." + k.Name, How: Dropped,
				Effects: []Effect{Retract}})
			c.retire("kept", o.Name+"."+k.Name)
		}
		if len(m.gone) > 0 || slices.ContainsFunc(n.Kept, func(k *design.Kept) bool {
			return m.old[k] != nil && m.old[k].Name != k.Name
		}) {
			c.strips = append(c.strips, n.Name)
		}
	}
	for _, o := range c.collections.gone {
		for _, k := range o.Kept {
			c.retire("kept", o.Name+"."+k.Name)
		}
	}
}

func (c *comparing) compareKeptValue(in *design.Collection, was, is *design.Kept) {
	name := in.Name + "." + is.Name
	if was == nil {
		c.differ(Difference{Kind: "kept value", Name: name, How: Added, Effects: []Effect{Rebuild}})
		c.buildKept(name, is, Hidden)
		return
	}
	from := nameOf(was.In) + "." + was.Name
	source, oldSource := c.sourceOf(is, false), c.sourceOf(was, true)
	shown, oldShown := shownOf(is), shownOf(was)
	d := Difference{Kind: "kept value", Name: name}
	if was.Name != is.Name {
		d.How, d.Was = Renamed, in.Name+"."+was.Name
	}
	spare, oldSpare := plan.Spare(is, c.rights[1][is]), plan.Spare(was, c.rights[0][was])
	if source != oldSource || shown != oldShown || spare != oldSpare {
		d.What = keptDifference(was, is)
		if shown == oldShown && spare != oldSpare {
			d.What = append(d.What, fmt.Sprintf("spare elements, for what is hidden: %d → %d", oldSpare, spare))
		}
		if d.How == "" {
			d.How = Changed
		}
	}
	if source != oldSource {
		c.retire("kept", from)
	} else {
		c.carry("kept", from, name)
	}
	shows := Hidden
	if source == oldSource && was.Name == is.Name && (is.Kind == design.Copy || is.Kind == design.Latest) {
		shows = Partly
	}
	if d.How != "" {
		d.Effects = []Effect{Rebuild}
		c.differ(d)
		c.buildKept(name, is, shows)
		return
	}
	if c.readsTouched(is) {
		c.buildKept(name, is, shows)
	}
}

// sourceOf is what a kept value is derived from, in the names of the new design:
// while it stays the same, so does what each source contributes.
func (c *comparing) sourceOf(k *design.Kept, old bool) string {
	s := fmt.Sprint(k.Kind, " ", k.Frozen, " ")
	collection, pair, field := nameOf, func(p *design.Pair) string { return p.Name },
		func(f *design.Field) string { return f.In.Name + "." + f.Name }
	if old {
		collection, pair, field = c.newName, c.newPair, c.newField
	}
	switch {
	case k.Pair != nil:
		s += pair(k.Pair) + "." + string(k.Side)
	case k.Nested != nil:
		s += collection(k.Nested)
	default:
		s += field(k.Via) + " to " + collection(k.Via.To)
	}
	if k.Of.Field != nil || k.Of.Kept != nil {
		s += " of " + k.Of.Name()
	}
	if k.Where != nil {
		s += " where " + k.Where.Text
	}
	return s
}

// shownOf is what a kept value shows of its sources.
func shownOf(k *design.Kept) string {
	names := slices.Sorted(slices.Values(partNames(k.Parts)))
	return fmt.Sprint(k.HowMany, " ", strings.Join(names, " "))
}

// keptDifference says in words what differs between two kept values.
func keptDifference(was, is *design.Kept) []string {
	var all []string
	if from, to := keptInWords(was), keptInWords(is); from != to {
		all = append(all, from+" → "+to)
	}
	return append(all, members("fields", partNames(was.Parts), partNames(is.Parts))...)
}

func keptInWords(k *design.Kept) string {
	s := fmt.Sprintf("%s of %s", k.Kind, k.Source())
	if k.Frozen {
		s = "frozen " + s
	}
	if k.Of.Field != nil || k.Of.Kept != nil {
		s += "." + k.Of.Name()
	}
	if k.Kind == design.Latest || k.Kind == design.Gather {
		s += fmt.Sprintf(", %d at most", k.HowMany)
	}
	if k.Where != nil {
		s += " where " + k.Where.Text
	}
	return s
}

// readsTouched tells whether a kept value reads fields whose stored value is
// another now, or elsewhere, though its definition is the same.
func (c *comparing) readsTouched(k *design.Kept) bool {
	var from *design.Collection
	switch {
	case k.Kind == design.Copy:
		from = k.Via.To
	case k.Pair != nil:
		r := c.Rewrites[k.Pair.Name]
		if r != nil && r.Needed && (k.Where != nil || k.Of.Field != nil) {
			return true
		}
		from = k.Sources()
	default:
		from = k.Sources()
	}
	touched := c.touched[from]
	if len(touched) == 0 {
		return c.pathsMoved(k, from)
	}
	if k.Where != nil && k.Pair == nil || k.Of.Field != nil && k.Pair == nil && touched[k.Of.Field.Name] ||
		k.Via != nil && touched[k.Via.Name] {
		return true
	}
	return slices.ContainsFunc(k.Parts, func(p design.Part) bool { return p.Field != nil && touched[p.Field.Name] }) ||
		c.pathsMoved(k, from)
}

// pathsMoved tells whether the paths that a latest shows have changed: of its
// sources' collection, or of one that they lie under.
func (c *comparing) pathsMoved(k *design.Kept, from *design.Collection) bool {
	if k.Kind != design.Latest {
		return false
	}
	for up := from; up != nil; up = up.Under {
		if old := c.collections.old[up]; old != nil && old.Name != up.Name {
			return true
		}
	}
	return false
}

// buildKept has a kept value derived anew, with what each source contributes.
func (c *comparing) buildKept(name string, k *design.Kept, shows Shows) {
	c.build(plan.AspectOf(k), name, shows)
	if k.Kind != design.Copy && (k.Kind != design.Count || k.Where != nil) {
		c.build(plan.AspectContribution, name, shows)
	}
}
