package access

import (
	"strconv"

	"yalvo/internal/design"
	"yalvo/internal/design/expr"
)

// Right says by what right whoever reads a document is shown a duplicate in it.
type Right string

// The rights.
const (
	Proved Right = "proved" // whoever may read the holder may read the source, as their rules show
	Judged Right = "judged" // the source is judged when the holder is read
	Told   Right = "told"   // the design says who may read the value itself
)

// RightTo is by what right a kept value that shows documents (a copy, a latest, a gather) is shown.
func (l *Law) RightTo(k *design.Kept) Right { return l.rights[k] }

// Judges tells whether anything in a kept value has to be judged when it is read: it, or a value that it shows
// of its sources.
func (l *Law) Judges(k *design.Kept) bool { return l.judges[k] }

// ByReading tells whether whoever may be shown a source of a kept value is who may read that by the rule for its
// collection alone: not by a pair, a narrowed reference, or what it lies under besides the holder.
func ByReading(k *design.Kept) bool {
	switch {
	case k.Kind == design.Copy:
		return k.Via.To.Under == nil && !narrowed(k.In, k.Via.Name)
	case k.Nested != nil:
		return true
	case k.Via != nil:
		return k.Via.In.Under == nil && !narrowed(k.Via.In, k.Via.Name)
	}
	of := k.Pair.Access.Of(design.OpRead)
	return k.Sources().Under == nil && of != nil && of.That == nil && of.Fixed
}

// JudgedNames are the names, in quotes, of a collection's kept values of which something has to be judged.
func (l *Law) JudgedNames(c *design.Collection) [][]byte { return l.names[c] }

// Rights is by what right each kept value of a design that shows documents is shown.
func Rights(d *design.Design) map[*design.Kept]Right {
	rights := map[*design.Kept]Right{}
	for _, c := range d.Collections {
		for _, k := range c.Kept {
			if Shows(k) {
				rights[k] = right(d, c, k)
			}
		}
	}
	return rights
}

// findRights notes by what right each kept value is shown.
func (l *Law) findRights() {
	l.rights = Rights(l.design)
	for _, c := range l.design.Collections {
		for _, k := range c.Kept {
			if l.judges[k] = l.hasJudged(k, map[*design.Kept]bool{}); l.judges[k] {
				l.names[c] = append(l.names[c], []byte(strconv.Quote(k.Name)))
			}
		}
	}
}

// Shows tells whether a kept value shows documents, and not only a number that is made of many.
func Shows(k *design.Kept) bool {
	return k.Kind == design.Copy || k.Kind == design.Latest || k.Kind == design.Gather
}

func (l *Law) hasJudged(k *design.Kept, seen map[*design.Kept]bool) bool {
	if !l.design.Guarded || seen[k] || !Shows(k) || l.rights[k] == Told {
		return false
	}
	if l.rights[k] == Judged {
		return true
	}
	seen[k] = true
	for _, p := range k.Parts {
		if p.Kept != nil && l.hasJudged(p.Kept, seen) {
			return true
		}
	}
	return false
}

func right(d *design.Design, c *design.Collection, k *design.Kept) Right {
	switch {
	case !d.Guarded:
		return Proved
	case c.Access.OfField(k.Name, design.OpRead) != nil:
		return Told
	}
	known := claimsOf(c, holder, nil)
	for _, claim := range needed(c, k) {
		if !expr.Follows(claim, known...) {
			return Judged
		}
	}
	return Proved
}

// What the names of rules stand for, where a duplicate is looked at: the document that holds it, what it is
// made of, and what either lies under.
const (
	holder = "holder"
	source = "source"
	above  = "^"
)

// needed is what must hold for whoever is shown a source of a kept value.
func needed(c *design.Collection, k *design.Kept) []expr.Claim {
	if k.Kind == design.Copy {
		if k.Via == nil || k.Via.To == nil {
			return nil
		}
		at := holder + "." + k.Via.Name
		return append(claimsOf(k.Via.To, at, nil), fieldClaim(c, k.Via.Name, holder))
	}
	from := k.Sources()
	switch {
	case from == nil:
		return nil
	case k.Nested != nil: // what it lies under is the holder
		return []expr.Claim{claim(from.Access.Of(design.OpRead), map[string]string{design.NameDoc: source,
			design.NameParent: holder})}
	case k.Via != nil:
		same := map[string]string{source + "." + k.Via.Name: holder}
		needed := claimsOf(from, source, same)
		if rule := from.Access.OfField(k.Via.Name, design.OpRead); rule != nil {
			needed = append(needed, claim(rule, with(same, source)))
		}
		return needed
	}
	ends := map[string]string{design.NameFrom: holder, design.NameTo: source}
	if k.Side == design.To {
		ends = map[string]string{design.NameFrom: source, design.NameTo: holder}
	}
	return append(claimsOf(from, source, nil), claim(k.Pair.Access.Of(design.OpRead), ends))
}

// claimsOf is what holds for whoever may read a document of a collection, and what it lies under.
func claimsOf(c *design.Collection, at string, same map[string]string) []expr.Claim {
	all := []expr.Claim{claim(c.Access.Of(design.OpRead), with(same, at))}
	if c.Under != nil {
		all = append(all, claimsOf(c.Under, at+above, nil)...)
	}
	return all
}

func with(same map[string]string, at string) map[string]string {
	stands := map[string]string{design.NameDoc: at, design.NameParent: at + above}
	for path, to := range same {
		stands[path] = to
	}
	return stands
}

// fieldClaim is what holds for whoever may read a value of a document that they may read.
func fieldClaim(c *design.Collection, name, at string) expr.Claim {
	if rule := c.Access.OfField(name, design.OpRead); rule != nil {
		return claim(rule, with(nil, at))
	}
	return expr.TruthClaim(true)
}

func claim(rule *design.Rule, stands map[string]string) expr.Claim {
	switch {
	case rule == nil:
		return expr.TruthClaim(false)
	case rule.That == nil:
		return expr.TruthClaim(rule.Fixed)
	}
	return rule.That.Claim(stands)
}
