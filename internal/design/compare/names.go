package compare

import (
	"cmp"
	"slices"
	"strings"

	"yalvo/internal/design"
)

// Back has a design that was in force before go on with what is stored now: what
// later versions call otherwise, as their differences say, was called that.
func Back(d *design.Design, later [][]Difference) {
	names := namesOf(d)
	for _, did := range later {
		names.follow(did)
	}
	names.note()
}

// Tell has a design say under which names what is stored of it was found, as the
// differences say that led to it.
func Tell(d *design.Design, did []Difference) {
	for _, f := range namesOf(d) {
		for _, x := range did {
			if x.Was != "" && f.kind == x.Kind && f.path() == x.Name {
				*f.was = lastOf(x.Was)
			}
		}
	}
}

// followed is a thing of a design with the name that it has in later versions.
type followed struct {
	kind, in string // in is the path of what it stands in, as differences write it
	own      string // the name in the design itself
	name     string // the name in a later version
	was      *string
}

func (f *followed) path() string {
	if f.in == "" {
		return f.name
	}
	return f.in + "." + f.name
}

func lastOf(path string) string { return path[strings.LastIndexByte(path, '.')+1:] }

type allFollowed []*followed

// namesOf are the things of a design whose names can change.
func namesOf(d *design.Design) allFollowed {
	var all allFollowed
	for _, c := range d.Collections {
		all = append(all, &followed{"collection", "", c.Name, c.Name, &c.Was})
		all.fields(c.Name, c.Fields)
		for _, kept := range c.Kept {
			all = append(all, &followed{"kept value", c.Name, kept.Name, kept.Name, &kept.Was})
		}
	}
	for _, p := range d.Pairs {
		all = append(all, &followed{"pair", "", p.Name, p.Name, &p.Was})
		all.fields(p.Name, p.Fields)
	}
	for _, t := range d.Timelines {
		all = append(all, &followed{"timeline", "", t.Name, t.Name, &t.Was})
	}
	for _, t := range d.Triggers {
		all = append(all, &followed{"trigger", "", t.Name, t.Name, &t.Was})
	}
	for _, f := range all {
		*f.was = "" // what it says was seen to when the version came into force for the first time
	}
	return all
}

// fields adds fields, and those inside them.
func (all *allFollowed) fields(in string, fields []*design.Field) {
	for _, f := range fields {
		*all = append(*all, &followed{"field", in, f.Name, f.Name, &f.Was})
		path := in + "." + f.Name
		for f.Of != nil {
			f, path = f.Of, path+"[]"
		}
		all.fields(path, f.Fields)
	}
}

// follow goes one version on, from the outside in: what stands around a name has its
// new name already in what a difference says was there.
func (all allFollowed) follow(did []Difference) {
	did = slices.Clone(did)
	slices.SortStableFunc(did, func(a, b Difference) int {
		return cmp.Compare(strings.Count(a.Name, "."), strings.Count(b.Name, "."))
	})
	moved := map[*followed]bool{}
	for _, d := range did {
		if d.Was == "" {
			continue
		}
		for _, f := range all {
			if f.kind == d.Kind && f.path() == d.Was && !moved[f] {
				f.name, moved[f] = lastOf(d.Name), true
			}
			if d.Kind != "timeline" && d.Kind != "trigger" && d.Kind != "kept value" {
				f.in = moveInto(f.in, d.Was, d.Name)
			}
		}
	}
}

// moveInto is a path in which what stands at was stands at is.
func moveInto(path, was, is string) string {
	rest, inside := strings.CutPrefix(path, was)
	if inside && (rest == "" || rest[0] == '.' || rest[0] == '[') {
		return is + rest
	}
	return path
}

// note tells the design what each thing is called now.
func (all allFollowed) note() {
	for _, f := range all {
		if f.name != f.own {
			*f.was = f.name
		}
	}
}
