package compare

import (
	"fmt"
	"slices"
	"strings"

	"yalvo/internal/design"
)

// compareLists finds what differs in the lists. All that is stored of one is its index.
func (c *comparing) compareLists() {
	for _, n := range c.To.Lists {
		o := c.From.List(n.Name)
		if o == nil {
			c.differ(Difference{Kind: "list", Name: n.Name, How: Added, Effects: []Effect{NewIndex}})
			c.lists = append(c.lists, n.Name)
			continue
		}
		was, is := listInWords(o), listInWords(n)
		var what []string
		for i, part := range is {
			if was[i][1] != part[1] {
				what = append(what, changed(part[0], was[i][1], part[1]))
			}
		}
		another := indexInWords(o) != indexInWords(n)
		if len(what) > 0 {
			d := Difference{Kind: "list", Name: n.Name, How: Changed, What: what}
			if another {
				d.Effects = []Effect{NewIndex}
			}
			c.differ(d)
		}
		if another {
			c.lists = append(c.lists, n.Name)
		}
	}
	for _, o := range c.From.Lists {
		if c.To.List(o.Name) == nil {
			c.differ(Difference{Kind: "list", Name: o.Name, How: Dropped})
			c.unlisted = true
		}
	}
}

// indexSteps has the lists that cannot be read meanwhile wait for what they are read by.
func (c *comparing) indexSteps() {
	for _, l := range c.To.Lists {
		if slices.Contains(c.lists, l.Name) || c.moved(l) {
			c.Steps = append(c.Steps, Step{Do: Index, Name: l.Name, Shows: Refused})
		}
	}
	if len(c.lists) > 0 || c.unlisted {
		c.Steps = append(c.Steps, Step{Do: Unindex, Name: "lists"})
	}
}

// moved tells whether values that a list is read by are stored otherwise until its
// collection is rewritten, or are derived anew.
func (c *comparing) moved(l *design.Listing) bool {
	if r := c.Rewrites[l.Entries.Name]; r != nil && r.Needed {
		return true
	}
	return slices.ContainsFunc(l.Order, func(o design.Order) bool {
		if o.Part.Kept == nil {
			return false
		}
		for d := range c.dirty {
			if d.name == l.Entries.Name+"."+o.Part.Kept.Name {
				return true
			}
		}
		return false
	})
}

// indexInWords says what decides the index of a list.
func indexInWords(l *design.Listing) string {
	s := fmt.Sprint(l.Entries.Name, " ", l.Under, " ", l.By != nil, " ", l.Through != nil, " ", l.Serving().Index)
	for _, o := range l.Order {
		s += fmt.Sprint(" ", typeOf(o.Part))
	}
	return s
}

func typeOf(p design.Part) design.Type {
	switch {
	case p.Kept != nil && p.Kept.Timed():
		return design.Timestamp
	case p.Kept != nil:
		return p.Numeric()
	case p.Field != nil:
		return p.Field.Type
	}
	return ""
}

// listInWords says all of a list, to tell two apart.
func listInWords(l *design.Listing) [][2]string {
	of, through, where, top, starts := "none", "none", "none", "none", "none"
	switch {
	case l.Under:
		of = "parent"
	case l.By != nil:
		of = l.By.Name
	case l.Through != nil:
		of, through = string(l.Side), l.Through.Name
	}
	if l.Where != nil {
		where = l.Where.Text()
	}
	if l.Top != nil {
		top = l.Top.Name
	}
	if l.Starts != nil {
		starts = l.Starts.Name
	}
	var params, apart, order []string
	for _, p := range l.Params {
		params = append(params, fmt.Sprintf("%s (%s)", p.Name, paramInWords(p)))
	}
	for _, u := range l.Unless {
		text := u.Paired.Name
		if u.EitherWay {
			text += " either way"
		}
		if u.With != nil {
			text += " with " + u.With.Name
		}
		apart = append(apart, text)
	}
	for _, o := range l.Order {
		order = append(order, o.String())
	}
	return [][2]string{{"entries", l.Entries.Name}, {"of", of}, {"through", through}, {"where", where},
		{"params", listed(params)}, {"unless", listed(apart)}, {"order", listed(order)}, {"top", top},
		{"starts", starts},
		{"words", listed(design.FieldNames(l.Words))}}
}

func paramInWords(f *design.Field) string {
	s := string(f.Type)
	if f.Default != nil {
		s += fmt.Sprintf(", default %v", f.Default.Literal)
		if f.Default.Now {
			s = string(f.Type) + ", default now"
		}
	}
	if f.Min != nil {
		s += fmt.Sprintf(", min %v", *f.Min)
	}
	if f.Max != nil {
		s += fmt.Sprintf(", max %v", *f.Max)
	}
	if f.Pattern != nil {
		s += ", pattern " + f.Pattern.Text
	}
	if f.OneOf != nil {
		s += fmt.Sprintf(", one of %v", f.OneOf)
	}
	return s
}

func listed(names []string) string {
	if len(names) == 0 {
		return "none"
	}
	return strings.Join(names, ", ")
}
