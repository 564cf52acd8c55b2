package compare

import (
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
			in, name, nested := strings.Cut(x.Name, ".")
			was := x.Was
			if !nested || f.in == "" {
				in, name = "", x.Name
			} else {
				_, was, _ = strings.Cut(was, ".")
			}
			if x.Was != "" && f.kind == x.Kind && f.in == in && f.name == name {
				*f.was = was
			}
		}
	}
}

// followed is a thing of a design with the name that it has in later versions.
type followed struct {
	kind, in string
	own      string // the name in the design itself
	name     string // the name in a later version
	was      *string
}

type allFollowed []*followed

// namesOf are the things of a design whose names can change.
func namesOf(d *design.Design) allFollowed {
	var all allFollowed
	fields := func(in string, fields []*design.Field) {
		for _, f := range fields {
			all = append(all, &followed{"field", in, f.Name, f.Name, &f.Was})
		}
	}
	for _, c := range d.Collections {
		all = append(all, &followed{"collection", "", c.Name, c.Name, &c.Was})
		fields(c.Name, c.Fields)
		for _, kept := range c.Kept {
			all = append(all, &followed{"kept value", c.Name, kept.Name, kept.Name, &kept.Was})
		}
	}
	for _, p := range d.Pairs {
		all = append(all, &followed{"pair", "", p.Name, p.Name, &p.Was})
		fields(p.Name, p.Fields)
	}
	for _, t := range d.Timelines {
		all = append(all, &followed{"timeline", "", t.Name, t.Name, &t.Was})
	}
	for _, f := range all {
		*f.was = "" // what it says was seen to when the version came into force for the first time
	}
	return all
}

// follow goes one version on: first the collections and pairs, whose new names
// stand before those of what is in them.
func (all allFollowed) follow(did []Difference) {
	for _, d := range did {
		if d.Was == "" || d.Kind != "collection" && d.Kind != "pair" {
			continue
		}
		for _, f := range all {
			if f.kind == d.Kind && f.name == d.Was {
				f.name = d.Name
			}
			if f.in == d.Was {
				f.in = d.Name
			}
		}
	}
	var moved []*followed
	for _, d := range did {
		in, name, nested := strings.Cut(d.Name, ".")
		_, was, _ := strings.Cut(d.Was, ".")
		if d.Kind == "timeline" {
			in, name, was = "", d.Name, d.Was
		} else if !nested || strings.Contains(name, ".") {
			continue
		}
		for _, f := range all {
			if was != "" && f.kind == d.Kind && f.in == in && f.name == was && !slices.Contains(moved, f) {
				f.name = name
				moved = append(moved, f)
			}
		}
	}
}

// note tells the design what each thing is called now.
func (all allFollowed) note() {
	for _, f := range all {
		if f.name != f.own {
			*f.was = f.name
		}
	}
}
