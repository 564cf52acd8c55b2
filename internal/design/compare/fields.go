package compare

import (
	"fmt"
	"reflect"
	"slices"
	"strings"

	"yalvo/internal/design"
)

// rewrite compares fields and says how values of the old form become such of the
// new one. Prefix is what stands before the fields' names in words; in is the
// collection they belong to, nil inside objects and of pairs.
func (c *comparing) rewrite(prefix string, m matched[*design.Field], news []*design.Field,
	in *design.Collection) *Rewrite {
	r := &Rewrite{fields: news}
	for _, f := range news {
		was := m.old[f]
		member, d := c.member(prefix, was, f)
		r.members = append(r.members, member)
		r.Needed = r.Needed || member.needed()
		r.Checks = r.Checks || slices.Contains(d.Effects, Check) || slices.Contains(d.Effects, Convert)
		r.Looser = r.Looser || len(d.What) > 0
		if member.inner != nil {
			r.Checks = r.Checks || member.inner.Checks
			r.Looser = r.Looser || member.inner.Looser
		}
		if in != nil && member.needed() {
			c.touch(in, f.Name)
		}
		if d.How != "" {
			c.differ(d)
		}
	}
	for _, f := range m.gone {
		r.dropped = append(r.dropped, f.Name)
		r.Needed = true
		c.differ(Difference{Kind: "field", Name: prefix + f.Name, How: Dropped, Effects: []Effect{Drop}})
	}
	return r
}

// member says what becomes of one field.
func (c *comparing) member(prefix string, was, is *design.Field) (member, Difference) {
	m := member{field: is, old: was}
	d := Difference{Kind: "field", Name: prefix + is.Name}
	if was == nil {
		d.How = Added
		switch {
		case is.Default != nil && !is.Default.Me:
			m.fill = true
			d.Effects = append(d.Effects, Fill)
		case is.Required:
			d.Effects = append(d.Effects, Check)
		}
		if is.Convert != nil {
			m.convert = true
			d.Effects = []Effect{Convert}
		}
		return m, d
	}
	if was.Name != is.Name {
		d.How, d.Was, d.Effects = Renamed, prefix+was.Name, append(d.Effects, Carry)
	}
	d.What = constraints(c, was, is)
	if len(d.What) > 0 && d.How == "" {
		d.How = Changed
	}
	m.inner = c.inner(prefix+is.Name, was, is)
	retyped := c.retyped(was, is)
	m.convert = is.Convert != nil && (retyped || was.Name != is.Name || was.Convert == nil ||
		was.Convert.Text != is.Convert.Text)
	if m.convert && d.How == "" {
		d.How = Changed
	}
	if m.convert && !retyped {
		d.What = append(d.What, "converted: "+is.Convert.Text)
	}
	m.retyped = retyped && !m.convert
	if !was.Required && is.Required && is.Default != nil && !is.Default.Me {
		m.fill = true
		d.Effects = append(d.Effects, Fill)
	}
	switch {
	case retyped || m.convert:
		d.Effects = append(slices.DeleteFunc(d.Effects, func(e Effect) bool { return e == Carry }), Convert)
	case narrowed(was, is):
		d.Effects = append(d.Effects, Check)
	}
	return m, d
}

// retyped tells whether values are of another type, or items of them are.
func (c *comparing) retyped(was, is *design.Field) bool {
	if was.Of != nil && is.Of != nil && c.retyped(was.Of, is.Of) {
		return true
	}
	return was.Type != is.Type || was.Type == design.Reference && c.newName(was.To) != is.To.Name
}

// inner compares the members of objects, and the items of lists of objects.
func (c *comparing) inner(name string, was, is *design.Field) *Rewrite {
	for was.Of != nil && is.Of != nil {
		was, is, name = was.Of, is.Of, name+"[]"
	}
	if was.Type != design.Object || is.Type != design.Object {
		return nil
	}
	m := match(c, "field", was.Fields, is.Fields, fieldNames)
	r := c.rewrite(name+".", m, is.Fields, nil)
	for _, x := range r.members {
		if x.convert {
			c.problem(x.field.Convert.Pos, design.CodeContradicted, "only fields of a collection or a pair can be "+
				"converted, not those inside them", "convert "+name+" as a whole")
		}
	}
	if r.Needed || r.Checks || r.Looser {
		return r
	}
	return nil
}

// constraints says in words what differs between two fields.
func constraints(c *comparing, was, is *design.Field) []string {
	var all []string
	note := func(what string, from, to any) {
		if from != to {
			all = append(all, changed(what, from, to))
		}
	}
	note("type", was.Type, is.Type)
	note("required", was.Required, is.Required)
	note("default", inWords(was.Default), inWords(is.Default))
	note("min", bound(was.Min), bound(is.Min))
	note("max", bound(was.Max), bound(is.Max))
	note("pattern", pattern(was), pattern(is))
	note("one_of", choices(was), choices(is))
	note("unique", was.Unique, is.Unique)
	note("fixed", was.Fixed, is.Fixed)
	if was.Type == design.Reference && is.Type == design.Reference {
		if c.newName(was.To) != is.To.Name {
			note("to", was.To.Name, is.To.Name)
		}
		note("when_gone", was.WhenGone, is.WhenGone)
		note("inverse", none(was.Inverse), none(is.Inverse))
	}
	if was.Of != nil && is.Of != nil {
		for _, w := range constraints(c, was.Of, is.Of) {
			all = append(all, "items' "+w)
		}
	}
	return all
}

// narrowed tells whether a value that fits the one field may not fit the other.
func narrowed(was, is *design.Field) bool {
	switch {
	case is.Required && !was.Required, is.Unique && !was.Unique,
		is.Min != nil && (was.Min == nil || *is.Min > *was.Min),
		is.Max != nil && (was.Max == nil || *is.Max < *was.Max),
		is.Pattern != nil && pattern(was) != pattern(is),
		is.OneOf != nil && (was.OneOf == nil || !holdsAll(is.OneOf, was.OneOf)):
		return true
	}
	return was.Of != nil && is.Of != nil && (was.Of.Type != is.Of.Type || narrowed(was.Of, is.Of))
}

func holdsAll(have, want []any) bool {
	for _, w := range want {
		if !slices.ContainsFunc(have, func(h any) bool { return reflect.DeepEqual(h, w) }) {
			return false
		}
	}
	return true
}

func inWords(d *design.Default) string {
	switch {
	case d == nil:
		return "none"
	case d.Now:
		return "now"
	case d.Me:
		return "me"
	}
	return fmt.Sprint(d.Literal)
}

func bound(x *float64) string {
	if x == nil {
		return "none"
	}
	return fmt.Sprint(*x)
}

func pattern(f *design.Field) string {
	if f.Pattern == nil {
		return "none"
	}
	return f.Pattern.Text
}

func choices(f *design.Field) string {
	if f.OneOf == nil {
		return "any"
	}
	var all []string
	for _, v := range f.OneOf {
		all = append(all, fmt.Sprint(v))
	}
	return strings.Join(all, ", ")
}

func none(s string) string {
	if s == "" {
		return "none"
	}
	return s
}
