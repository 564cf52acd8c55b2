package bring

import (
	"fmt"
	"strings"

	"yalvo/internal/design"
)

// readPairs finds pairs on the documents they join, and decides which of those that
// stand on one side only are believed.
func (b *bringing) readPairs() {
	for _, p := range b.design.Pairs {
		m := b.mapping.Pairs[p.Name]
		if m == nil {
			continue
		}
		b.pairs[p] = map[link]*pair{}
		for _, x := range b.order {
			if x.in == p.From && m.FromList != "" {
				b.readSide(p, m, x, m.FromList, true)
			}
			if x.in == p.To && m.ToList != "" {
				b.readSide(p, m, x, m.ToList, false)
			}
		}
		if m.FromList != "" && m.ToList != "" {
			b.believe(p, m)
		}
	}
}

// readSide reads the pairs that one document tells of.
func (b *bringing) readSide(p *design.Pair, m *Pair, x *doc, list string, from bool) {
	place := "pairs." + p.Name
	v, there := b.at(place, x.source, list)
	if !there {
		return
	}
	other := p.To
	if !from {
		other = p.From
	}
	seen := map[string]bool{}
	for _, item := range items(v) {
		id, found := inID(item.value), pair{of: p}
		if m.Key != "" {
			v, _ := b.at(place, item.value, m.Key)
			id = inID(v)
			if at, there := b.at(place, item.value, m.At); there && m.At != "" {
				found.at = asTime(at)
			}
			found.facts = b.pairFacts(p, m, item.value)
		} else if item.name != "" {
			id = item.name
		}
		key := keyIn(other, id)
		found.link = link{x.key, key}
		if !from {
			found.link = link{key, x.key}
		}
		if b.keep(p, x, other, key, from, &found, seen) {
			b.note(p, &found, from)
		}
	}
}

// keep tells whether a pair can be, and reports why not.
func (b *bringing) keep(p *design.Pair, x *doc, other *design.Collection, key string, from bool, found *pair,
	seen map[string]bool) bool {
	says := inPair(p, found.link)
	switch {
	case key == "":
		b.report.add(NoID, p.Name, x.path(), nil, "left out")
	case seen[key]:
		b.report.add(Twice, p.Name, says, "twice", "once")
	case b.docs[other] != nil && b.docs[other][key] == nil:
		b.report.add(Gone, p.Name, says, other.Path(key), "left out")
	case p.From == p.To && found.link.from == found.link.to && !p.Self:
		b.report.add(OtherID, p.Name, says, "with itself", "left out")
	default:
		seen[key] = true
		return true
	}
	seen[key] = true
	return false
}

func inPair(p *design.Pair, l link) string { return p.From.Path(l.from) + " → " + p.To.Path(l.to) }

func (b *bringing) note(p *design.Pair, found *pair, from bool) {
	have := b.pairs[p][found.link]
	if have == nil {
		have = found
		b.pairs[p][found.link] = have
		b.found = append(b.found, have)
	}
	have.from, have.to = have.from || from, have.to || !from
}

func (b *bringing) pairFacts(p *design.Pair, m *Pair, item any) map[string]any {
	if len(m.Facts) == 0 {
		return nil
	}
	facts := map[string]any{}
	for _, f := range p.Fields {
		if path := m.Facts[f.Name]; path != "" {
			if v, there := b.at("pairs."+p.Name, item, path); there {
				facts[f.Name] = b.value(f, v)
			}
		}
	}
	return facts
}

// item is an item of a list, or a member of an object that stands for one.
type item struct {
	name  string
	value any
}

// items are those of a list; of an object, its members, but for those that are false.
func items(v any) []item {
	var all []item
	switch v := v.(type) {
	case []any:
		for _, x := range v {
			all = append(all, item{"", x})
		}
	case map[string]any:
		for _, name := range sorted(v) {
			if v[name] != false && v[name] != nil {
				all = append(all, item{name, v[name]})
			}
		}
	}
	return all
}

// believe decides which pairs stand that one side alone tells of.
func (b *bringing) believe(p *design.Pair, m *Pair) {
	for l, x := range b.pairs[p] {
		if x.from && x.to {
			continue
		}
		side, stands := "to", m.Believe == "to"
		if x.from {
			side, stands = "from", m.Believe == "from"
		}
		if m.Believe == "" || m.Believe == "either" {
			stands = true
		}
		is := "it is not believed"
		if stands {
			is = "it is believed"
		} else {
			delete(b.pairs[p], l)
		}
		b.report.add(OneSided, p.Name, inPair(p, l), fmt.Sprintf("on the %s side only", side), is)
	}
}

// pathsAreThere sees that every path of the mapping is in some object.
func (b *bringing) pathsAreThere() error {
	var lacking []string
	for _, place := range sorted(b.paths) {
		for _, path := range sorted(b.paths[place]) {
			if path != "" && !b.paths[place][path] {
				lacking = append(lacking, fmt.Sprintf("%s: nothing in the export has %q%s", place, path,
					b.nearest(place, path)))
			}
		}
	}
	if len(lacking) == 0 {
		return nil
	}
	return fmt.Errorf("the mapping names what the export lacks:\n%s", strings.Join(lacking, "\n"))
}

// nearest is a name in the export that may be meant.
func (b *bringing) nearest(place, path string) string {
	_, name, _ := strings.Cut(place, ".")
	names := map[string]bool{}
	for _, x := range b.order {
		if x.in.Name == name {
			for member := range x.source {
				names[member] = true
			}
		}
	}
	if near := design.Nearest(path, sorted(names)); near != "" {
		return fmt.Sprintf(": did you mean %q?", near)
	}
	return ""
}
