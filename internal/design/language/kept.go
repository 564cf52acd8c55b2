package language

import (
	"fmt"
	"slices"
	"strings"

	"yalvo/internal/design"
	"yalvo/internal/design/expr"
)

// How many sources a latest or gather may hold: what grows without end is
// read page by page.
const (
	DefaultMany = 10
	MaxMany     = 100
)

func (r *reader) readKept(n *node, c *design.Collection) {
	r.named(n, "kept", func(name string, at design.Pos, value *node) {
		if slices.Contains(systemValues, name) || c.Field(name) != nil {
			r.problem(at, design.CodeNameTaken, fmt.Sprintf("collection %q has a %q already", c.Name, name),
				"choose another name")
		}
		k := &design.Kept{Name: name, Pos: at, In: c}
		c.Kept = append(c.Kept, k)
		if value.shape != mapping {
			r.problem(value.pos, design.CodeShape,
				fmt.Sprintf("kept value %q must say how it is derived, as in `{count: "+
					"follow.to}`", name), "")
			return
		}
		r.readKeptKind(k, value)
	})
}

// keptKeys says which keys each kind takes besides its own.
var keptKeys = map[design.KeptKind]struct{ needs, allows []string }{
	design.Copy:   {[]string{"fields"}, []string{"frozen"}},
	design.Count:  {nil, []string{"where"}},
	design.Sum:    {[]string{"of"}, []string{"where"}},
	design.Min:    {[]string{"of"}, []string{"where"}},
	design.Max:    {[]string{"of"}, []string{"where"}},
	design.Latest: {[]string{"fields"}, []string{"where", "how_many"}},
	design.Gather: {nil, []string{"where", "how_many"}},
}

func (r *reader) readKeptKind(k *design.Kept, n *node) {
	what := fmt.Sprintf("kept value %q", k.Name)
	given := map[string]*node{}
	note := func(key string) func(*node) { return func(n *node) { given[key] = n } }
	known := keys{"was": r.was(&k.Was, k.Name)}
	for _, key := range []string{"fields", "frozen", "where", "how_many", "of"} {
		known[key] = note(key)
	}
	var source *node
	for kind := range keptKeys {
		known[string(kind)] = func(n *node) {
			if k.Kind != "" {
				r.problem(n.pos, design.CodeContradicted, what+" is derived in two ways", "make two kept values of it")
			}
			k.Kind, source = kind, n
		}
	}
	before := len(r.problems)
	r.mapping(n, what, known)
	if len(r.problems) > before {
		return
	}
	if k.Kind == "" {
		r.problem(n.pos, design.CodeMissingKey, what+" does not say how it is derived",
			"add copy, count, sum, min, max, latest or gather")
		return
	}
	r.checkKeptKeys(k, n.pos, given)
	if len(r.problems) == before {
		r.readKeptParts(k, source, given)
	}
}

func (r *reader) checkKeptKeys(k *design.Kept, at design.Pos, given map[string]*node) {
	takes := keptKeys[k.Kind]
	for _, key := range takes.needs {
		if given[key] == nil {
			r.problem(at, design.CodeMissingKey,
				fmt.Sprintf("kept value %q is a %s and needs the key %q", k.Name, k.Kind,
					key), "add "+keptRemedy[key])
		}
	}
	for key, n := range given {
		if !slices.Contains(takes.needs, key) && !slices.Contains(takes.allows, key) {
			r.problem(n.pos, design.CodeContradicted, fmt.Sprintf("a %s has no %s", k.Kind, key), "leave "+key+" out")
		}
	}
}

var keptRemedy = map[string]string{"fields": "fields: [name, ...]", "of": "of: the value of each source"}

func (r *reader) readKeptParts(k *design.Kept, source *node, given map[string]*node) {
	name := r.word(source, string(k.Kind))
	if n := given["frozen"]; n != nil {
		r.boolean(&k.Frozen)(n)
	}
	if n := given["how_many"]; n != nil {
		k.HowMany = r.howMany(n)
	} else if k.Kind == design.Latest || k.Kind == design.Gather {
		k.HowMany = DefaultMany
	}
	if k.Kind == design.Copy {
		r.later = append(r.later, func() { k.Via = r.reference(source.pos, k.In, name) })
	} else {
		r.last = append(r.last, func() { r.resolveSource(source.pos, k, name) })
	}
	var words []*node
	if given["fields"] != nil {
		words = r.words(given["fields"], "fields")
	}
	r.last = append(r.last, func() { r.resolveParts(k, words, given["of"], given["where"]) })
}

func (r *reader) howMany(n *node) int {
	many, ok := n.scalar.(int64)
	if !ok || many < 1 || many > MaxMany {
		r.problem(n.pos, design.CodeBadValue,
			fmt.Sprintf("how_many must be a whole number from 1 to %d, this is %s", MaxMany,
				describe(n)), "")
		return 1
	}
	return int(many)
}

// reference resolves the name of a reference field of a collection.
func (r *reader) reference(at design.Pos, c *design.Collection, name string) *design.Field {
	f := c.Field(name)
	if f == nil {
		r.unknown(at, design.CodeUnknownName, fmt.Sprintf("collection %q has no field %q", c.Name, name), name,
			design.FieldNames(c.References()))
		return nil
	}
	if f.Type != design.Reference && f.Type != "" { // none: that is a problem already
		r.problem(at, design.CodeContradicted,
			fmt.Sprintf("field %q of %q is no reference but of type %s", name, c.Name,
				f.Type), "")
		return nil
	}
	return f
}

// resolveSource reads what is summed up: `pair.side`, `collection.field`, or a nested collection.
func (r *reader) resolveSource(at design.Pos, k *design.Kept, source string) {
	name, part, dotted := strings.Cut(source, ".")
	p, c := r.design.Pair(name), r.design.Collection(name)
	switch {
	case p == nil && c == nil:
		known := append(design.NamesOf(r.design.Pairs, func(p *design.Pair) string { return p.Name }),
			design.NamesOf(r.design.Collections, func(c *design.Collection) string { return c.Name })...)
		r.unknown(at, design.CodeUnknownName,
			fmt.Sprintf("there is no pair or collection %q to %s", name, k.Kind), name,
			known)
	case p != nil && dotted:
		r.resolvePairs(at, k, p, part)
	case p != nil:
		r.problem(at, design.CodeBadValue, fmt.Sprintf("%s of pair %q does not say which side", k.Kind, name),
			fmt.Sprintf("write %s.from or %s.to: the side this document stands on", name, name))
	case dotted:
		if k.Via = r.reference(at, c, part); k.Via != nil && k.Via.To != nil && k.Via.To != k.In {
			r.problem(at, design.CodeContradicted, fmt.Sprintf("%s points at %q, not at %q", source, k.Via.To.Name,
				k.In.Name), "")
			k.Via = nil
		}
	case c.Under != k.In:
		r.problem(at, design.CodeContradicted, fmt.Sprintf("collection %q does not lie under %q", name, k.In.Name),
			fmt.Sprintf("write %s.field with the reference that points here", name))
	default:
		k.Nested = c
	}
}

func (r *reader) resolvePairs(at design.Pos, k *design.Kept, p *design.Pair, side string) {
	end := p.From
	switch design.Side(side) {
	case design.From:
	case design.To:
		end = p.To
	default:
		r.unknown(at, design.CodeUnknownName, fmt.Sprintf("pair %q has no side %q", p.Name, side), side,
			[]string{"from", "to"})
		return
	}
	if end != nil && end != k.In {
		r.problem(at, design.CodeContradicted,
			fmt.Sprintf("the %s side of %q is a document of %q, not of %q", side, p.Name,
				end.Name, k.In.Name), "")
		return
	}
	k.Pair, k.Side = p, design.Side(side)
}

// resolveParts runs after the source itself has been resolved.
func (r *reader) resolveParts(k *design.Kept, words []*node, of, where *node) {
	var from *design.Collection
	switch {
	case k.Kind == design.Copy && k.Via != nil:
		from = k.Via.To
	case k.Kind != design.Copy && (k.Via != nil || k.Nested != nil || k.Pair != nil):
		from = k.Sources()
	}
	if from == nil {
		return // already a problem
	}
	verb := "show"
	if k.Kind == design.Copy {
		verb = "copy"
	}
	k.Parts = r.parts(words, from, verb)
	if of != nil {
		r.resolveOf(k, of, from)
	}
	if where != nil {
		k.Where = r.condition(where, "where", conditionShapes(k, from))
	}
}

// resolveOf finds the value that is summed up: of documents a field or a kept
// value, of pairs one of the pair's own fields.
func (r *reader) resolveOf(k *design.Kept, of *node, from *design.Collection) {
	if r.word(of, "of") == "" {
		return
	}
	if k.Pair != nil {
		name := of.scalar.(string)
		if k.Of.Field = design.FieldNamed(k.Pair.Fields, name); k.Of.Field == nil {
			r.unknown(of.pos, design.CodeUnknownName,
				fmt.Sprintf("pair %q has no field %q to %s", k.Pair.Name, name, k.Kind),
				name, design.FieldNames(k.Pair.Fields))
			return
		}
	} else if p, ok := r.part(of, from, string(k.Kind)); ok {
		k.Of = p
	} else {
		return
	}
	if t := k.Of.Numeric(); t == "" || t == design.Timestamp && k.Kind == design.Sum {
		r.problem(of.pos, design.CodeContradicted,
			fmt.Sprintf("%q cannot go into a %s: it is no %s", k.Of.Name(), k.Kind,
				map[bool]string{true: "number", false: "number or timestamp"}[k.Kind == design.Sum]), "")
	}
}

// conditionShapes: of documents the condition is over `doc`, of pairs over `pair`.
func conditionShapes(k *design.Kept, from *design.Collection) map[string]expr.Shape {
	if k.Pair != nil {
		return map[string]expr.Shape{"pair": design.ShapeOf(k.Pair.Fields)}
	}
	return map[string]expr.Shape{"doc": design.ShapeOf(from.Fields)}
}
