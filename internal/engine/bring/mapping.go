package bring

import (
	"bytes"
	"fmt"
	"slices"
	"strings"

	"github.com/goccy/go-yaml"

	"yalvo/internal/design"
)

// Mapping says where in an export the facts of an app are.
type Mapping struct {
	Bring       int                    `yaml:"bring"` // the version of the mapping's language: 1
	Collections map[string]*Collection `yaml:"collections"`
	Pairs       map[string]*Pair       `yaml:"pairs"`
}

// Collection says where the documents of a collection are. Paths within an object
// have dots, as in author.name.
type Collection struct {
	From    string            `yaml:"from"`    // a file; or
	List    string            `yaml:"list"`    // of a nested collection: a list in each document it lies under
	ID      string            `yaml:"id"`      // the path of the id; without it the name in an object of objects
	Created string            `yaml:"created"` // the path of the time of creation
	Facts   map[string]string `yaml:"facts"`   // by field: the path of its value
	Copies  map[string]string `yaml:"copies"`  // by path: what it is a copy of, as in author.name
	Counts  map[string]string `yaml:"counts"`  // by path: what it counts, as in follow.to, sightings.author or remarks
}

// Pair says where pairs are: in a list of ids on one of their documents, or on both.
type Pair struct {
	FromList string            `yaml:"from_list"` // on the from document: the ids of the others
	ToList   string            `yaml:"to_list"`   // on the to document
	Key      string            `yaml:"key"`       // the path of the id, where the items are objects
	At       string            `yaml:"at"`        // of the time, where the items are objects
	Facts    map[string]string `yaml:"facts"`     // of the pair's own fields, where the items are objects
	Believe  string            `yaml:"believe"`   // where only one side has it: either (the usual), both, from or to
}

// ways to believe one side of a pair.
var beliefs = []string{"", "either", "both", "from", "to"}

// ReadMapping reads a mapping and sees that it goes with a design. The name is only
// used in messages.
func ReadMapping(name string, source []byte, d *design.Design) (*Mapping, error) {
	var m Mapping
	dec := yaml.NewDecoder(bytes.NewReader(source), yaml.Strict())
	if err := dec.Decode(&m); err != nil {
		return nil, fmt.Errorf("%s: %s", name, yaml.FormatError(err, false, false))
	}
	var wrong []string
	say := func(format string, args ...any) { wrong = append(wrong, name+": "+fmt.Sprintf(format, args...)) }
	if m.Bring != 1 {
		say("begin with `bring: 1`")
	}
	for _, c := range sorted(m.Collections) {
		m.checkCollection(d, c, say)
	}
	for _, p := range sorted(m.Pairs) {
		m.checkPair(d, p, say)
	}
	if len(wrong) > 0 {
		return nil, fmt.Errorf("%s", strings.Join(wrong, "\n"))
	}
	return &m, nil
}

func (m *Mapping) checkCollection(d *design.Design, name string, say func(string, ...any)) {
	c, is := m.Collections[name], d.Collection(name)
	switch {
	case is == nil:
		say("%s", d.NoSuch("collection", name))
		return
	case c == nil || c.From == "" && c.List == "":
		say("collections.%s says neither from which file nor in which list its documents are", name)
		return
	case c.List != "" && is.Under == nil:
		say("collections.%s: %q lies under nothing in the design, so its documents are in a file: say from", name, name)
	case c.List != "" && m.Collections[is.Under.Name] == nil:
		say("collections.%s lies in documents of %q, and the mapping does not say where these are", name, is.Under.Name)
	case c.From != "" && is.Under != nil:
		say("collections.%s: %q lies under %q in the design, so its documents are in a list of these: say list",
			name, name,
			is.Under.Name)
	}
	for _, field := range sorted(c.Facts) {
		if is.Field(field) == nil {
			say("collections.%s.facts: %s has no field %q: %s", name, name, field,
				design.Meant(field, design.FieldNames(is.Fields)))
		}
	}
	for path, of := range c.Copies {
		ref, field, _ := strings.Cut(of, ".")
		if f := is.Field(ref); f == nil || f.Type != design.Reference || f.To.Field(field) == nil {
			say("collections.%s.copies.%s: %q is no reference of %s and a field of what it points at, "+
				"as in author.name", name,
				path, of, name)
		}
	}
	for path, of := range c.Counts {
		if !counts(d, is, of) {
			say("collections.%s.counts.%s: %q is nothing that can be counted in %s: pair.from, pair.to, "+
				"collection.reference, or a nested collection", name, path, of, name)
		}
	}
}

// counts tells whether something can be counted in a collection's documents.
func counts(d *design.Design, in *design.Collection, of string) bool {
	name, part, _ := strings.Cut(of, ".")
	if p := d.Pair(name); p != nil {
		return part == "from" && p.From == in || part == "to" && p.To == in
	}
	c := d.Collection(name)
	if c == nil {
		return false
	}
	if part == "" {
		return c.Under == in
	}
	f := c.Field(part)
	return f != nil && f.Type == design.Reference && f.To == in
}

func (m *Mapping) checkPair(d *design.Design, name string, say func(string, ...any)) {
	p, is := m.Pairs[name], d.Pair(name)
	switch {
	case is == nil:
		say("%s", d.NoSuch("pair", name))
	case p == nil || p.FromList == "" && p.ToList == "":
		say("pairs.%s says neither from_list nor to_list", name)
	case !slices.Contains(beliefs, p.Believe):
		say("pairs.%s.believe is %q: write either, both, from or to", name, p.Believe)
	case p.FromList != "" && m.Collections[is.From.Name] == nil:
		say("pairs.%s lies in documents of %q, and the mapping does not say where these are", name, is.From.Name)
	case p.ToList != "" && m.Collections[is.To.Name] == nil:
		say("pairs.%s lies in documents of %q, and the mapping does not say where these are", name, is.To.Name)
	case p.Key == "" && (p.At != "" || len(p.Facts) > 0):
		say("pairs.%s: at and facts are for items that are objects: say key", name)
	}
}

func sorted[V any](m map[string]V) []string {
	var names []string
	for name := range m {
		names = append(names, name)
	}
	slices.Sort(names)
	return names
}
