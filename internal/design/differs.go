package design

import (
	"fmt"
	"maps"
	"slices"
	"strings"
)

// StoredDifferently names what two designs would store differently, sorted:
// "people.name", "follow", "home". Where it is empty, documents written under
// the one can be served under the other as they stand: only triggers, what
// timelines carry, and the file's wording differ.
func StoredDifferently(a, b *Design) []string {
	was, is := a.stored(), b.stored()
	differ := map[string]bool{}
	for thing, meaning := range was {
		if is[thing] != meaning {
			differ[thing.name] = true
		}
	}
	for thing := range is {
		if _, there := was[thing]; !there {
			differ[thing.name] = true
		}
	}
	return slices.Sorted(maps.Keys(differ))
}

// thing is something of a design. A pair and a timeline may have one name.
type thing struct{ kind, name string }

// stored says what is stored of everything in a design.
func (d *Design) stored() map[thing]string {
	all := map[thing]string{{"design", "accounts"}: nameOf(d.Accounts), {"design", "app"}: d.App}
	for _, c := range d.Collections {
		all[thing{"collection", c.Name}] = "collection under " + nameOf(c.Under)
		for _, f := range c.Fields {
			all[thing{"field", c.Name + "." + f.Name}] = f.stored()
		}
		for _, k := range c.Kept {
			all[thing{"kept", c.Name + "." + k.Name}] = k.stored()
		}
	}
	for _, p := range d.Pairs {
		all[thing{"pair", p.Name}] = fmt.Sprint("pair ", nameOf(p.From), nameOf(p.To), " ", p.FromCalls, p.ToCalls,
			p.Self,
			namesOf(p.Dissolves, func(p *Pair) string { return p.Name }), storedFields(p.Fields))
	}
	for _, t := range d.Timelines {
		all[thing{"timeline", t.Name}] = t.stored()
	}
	return all
}

func (t *Timeline) stored() string {
	s := fmt.Sprint("timeline ", nameOf(t.Owner), nameOf(t.Entries), t.By.Name, t.Through.Name, t.Own, t.Length,
		t.Deliver,
		t.Above)
	if t.Order != nil {
		s += " by " + t.Order.Name
	}
	if t.Unless != nil {
		s += fmt.Sprint(" unless ", t.Unless.Paired.Name, t.Unless.EitherWay)
	}
	return s
}

func (f *Field) stored() string {
	s := fmt.Sprint("field ", f.Type, f.Required, f.Pattern, f.OneOf, f.Unique, f.Fixed, " ", nameOf(f.To), f.WhenGone,
		" ", f.Inverse)
	if f.Default != nil {
		s += fmt.Sprint(" default ", *f.Default)
	}
	for _, bound := range []*float64{f.Min, f.Max} {
		if s += " to "; bound != nil {
			s += fmt.Sprint(*bound)
		}
	}
	if f.Of != nil {
		s += " of " + f.Of.stored()
	}
	return s + storedFields(f.Fields)
}

func storedFields(fields []*Field) string {
	var all []string
	for _, f := range fields {
		all = append(all, f.Name+": "+f.stored())
	}
	return " {" + strings.Join(all, ", ") + "}"
}

func (k *Kept) stored() string {
	s := fmt.Sprint("kept ", k.Kind, " ", k.Source(), " ", k.Frozen, k.HowMany)
	for _, part := range k.Parts {
		s += " " + part.Name()
	}
	if k.Of.Field != nil || k.Of.Kept != nil {
		s += " of " + k.Of.Name()
	}
	if k.Where != nil {
		s += " where " + k.Where.Text
	}
	return s
}

func nameOf(c *Collection) string {
	if c == nil {
		return "none"
	}
	return c.Name + " "
}
