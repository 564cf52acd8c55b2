package bring

import (
	"encoding/json"
	"fmt"
	"reflect"
	"strings"

	"yalvo/internal/design"
)

// compare holds the old duplicates against the facts that were taken along.
func (b *bringing) compare() {
	tallies := map[string]map[string]int{} // by what is counted, by key
	for _, c := range b.design.Collections {
		m := b.mapping.Collections[c.Name]
		if m == nil {
			continue
		}
		for _, path := range sorted(m.Counts) {
			of := m.Counts[path]
			if tallies[of] == nil {
				tallies[of] = b.tally(of)
			}
			b.compareCount(c, path, tallies[of])
		}
		for _, path := range sorted(m.Copies) {
			b.compareCopy(c, path, m.Copies[path])
		}
	}
}

// tally is how often each document is counted.
func (b *bringing) tally(of string) map[string]int {
	name, part, _ := strings.Cut(of, ".")
	many := map[string]int{}
	if p := b.design.Pair(name); p != nil {
		for l := range b.pairs[p] {
			if part == "from" {
				many[l.from]++
			} else {
				many[l.to]++
			}
		}
		return many
	}
	for _, x := range b.order {
		switch {
		case x.in.Name != name:
		case part == "":
			many[x.key[:strings.LastIndexByte(x.key, '/')]]++
		default:
			if key, points := x.facts[part].(string); points {
				many[key]++
			}
		}
	}
	return many
}

func (b *bringing) compareCount(c *design.Collection, path string, is map[string]int) {
	for _, x := range b.order {
		if x.in != c {
			continue
		}
		had, there := b.at("collections."+c.Name, x.source, path)
		if !there {
			had = json.Number("0")
		}
		b.report.Checked++
		if n := fmt.Sprint(had); n != fmt.Sprint(is[x.key]) {
			b.report.add(Lies, c.Name+"."+path, x.path(), n, is[x.key])
		}
	}
}

// compareCopy compares a copy with the value it was made of.
func (b *bringing) compareCopy(c *design.Collection, path, of string) {
	ref, field, _ := strings.Cut(of, ".")
	to := c.Field(ref).To
	for _, x := range b.order {
		key, points := x.facts[ref].(string)
		if x.in != c || !points {
			continue
		}
		target := b.docs[to][key]
		if target == nil {
			continue
		}
		b.report.Checked++
		had, _ := b.at("collections."+c.Name, x.source, path)
		if to.Field(field).Type == design.Timestamp && had != nil {
			had = b.value(to.Field(field), had)
		}
		if is := target.facts[field]; !reflect.DeepEqual(had, is) {
			b.report.add(Stale, c.Name+"."+path, x.path(), had, is)
		}
	}
}
