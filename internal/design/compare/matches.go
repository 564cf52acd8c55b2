package compare

import (
	"fmt"

	"yalvo/internal/design"
)

// matched says which things of the new design are which of the old one.
type matched[T comparable] struct {
	old  map[T]T // by the new one; what is added is missing
	new  map[T]T // by the old one; what is dropped is missing
	gone []T
}

// named says how things of a kind are called.
type named[T any] struct {
	name, was func(T) string
	pos       func(T) design.Pos
}

// match finds out which is which: by the name, or else by what it was called. A
// `was` that has been seen to says nothing any more.
func match[T comparable](c *comparing, kind string, olds, news []T, of named[T]) matched[T] {
	m := matched[T]{map[T]T{}, map[T]T{}, nil}
	before, now := map[string]T{}, map[string]bool{}
	for _, o := range olds {
		before[of.name(o)] = o
	}
	for _, n := range news {
		now[of.name(n)] = true
		if o, is := before[of.name(n)]; is {
			m.put(o, n)
		}
	}
	for _, n := range news {
		o, was := before[of.was(n)]
		if !was {
			continue
		}
		_, before := m.old[n]
		_, taken := m.new[o]
		switch {
		case before && !taken:
			c.problem(of.pos(n), design.CodeNameTaken, fmt.Sprintf("%s %q was to be what %q is now, and there is a %q "+
				"already", kind, of.name(n), of.was(n), of.name(n)), "choose another name")
		case !before && now[of.was(n)]:
			c.problem(of.pos(n), design.CodeNameTaken, fmt.Sprintf("%s %q takes what %q is now, and the new design "+
				"has a %q too", kind, of.name(n), of.was(n), of.was(n)), "rename first, and add the other one later")
		case !before && taken:
			c.problem(of.pos(n), design.CodeNameTaken, fmt.Sprintf("two of the new design were %s %q", kind, of.was(n)),
				"only one can go on with what is stored")
		case !before:
			m.put(o, n)
		}
	}
	for _, o := range olds {
		if _, goesOn := m.new[o]; !goesOn {
			m.gone = append(m.gone, o)
		}
	}
	return m
}

func (m matched[T]) put(old, new T) { m.old[new], m.new[old] = old, new }

// part ends the belief that two are the same.
func (m *matched[T]) part(old, new T) {
	delete(m.old, new)
	delete(m.new, old)
	m.gone = append(m.gone, old)
}

// newName is what a collection of the old design is called now, or was.
func (c *comparing) newName(old *design.Collection) string {
	if old == nil {
		return "none"
	}
	if n := c.collections.new[old]; n != nil {
		return n.Name
	}
	return old.Name + " (dropped)"
}

func (c *comparing) newPair(old *design.Pair) string {
	if n := c.pairs.new[old]; n != nil {
		return n.Name
	}
	return old.Name + " (dropped)"
}

// newField is what a field of a collection of the old design is called now.
func (c *comparing) newField(old *design.Field) string {
	in := c.collections.new[old.In]
	if n := c.fields[in].new[old]; in != nil && n != nil {
		return in.Name + "." + n.Name
	}
	return nameOf(old.In) + "." + old.Name + " (dropped)"
}
