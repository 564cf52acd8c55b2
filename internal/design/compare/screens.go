package compare

import (
	"fmt"
	"maps"
	"slices"
	"strings"

	"yalvo/internal/design"
)

// compareScreens finds what differs in the screens. Nothing is stored of them.
func (c *comparing) compareScreens() {
	for _, n := range c.To.Screens {
		o := c.From.Screen(n.Name)
		if o == nil {
			c.differ(Difference{Kind: "screen", Name: n.Name, How: Added})
			continue
		}
		if what := screenChanges(o, n); len(what) > 0 {
			c.differ(Difference{Kind: "screen", Name: n.Name, How: Changed, What: what})
		}
	}
	for _, o := range c.From.Screens {
		if c.To.Screen(o.Name) == nil {
			c.differ(Difference{Kind: "screen", Name: o.Name, How: Dropped})
		}
	}
}

func screenChanges(o, n *design.Screen) []string {
	var what []string
	if was, is := screenOf(o), screenOf(n); was != is {
		what = append(what, changed("of", was, is))
	}
	for _, p := range n.Parts {
		before := o.Part(p.Name)
		if before == nil {
			what = append(what, fmt.Sprintf("part %s is added", p.Name))
			continue
		}
		was, is := partInWords(before), partInWords(p)
		for i, key := range is {
			if was[i][1] != key[1] {
				what = append(what, changed(p.Name+"."+key[0], was[i][1], key[1]))
			}
		}
	}
	for _, p := range o.Parts {
		if n.Part(p.Name) == nil {
			what = append(what, fmt.Sprintf("part %s is gone", p.Name))
		}
	}
	return what
}

func screenOf(s *design.Screen) string {
	switch {
	case s.Of == nil:
		return "none"
	case s.By != nil:
		return s.Of.Name + " by " + s.By.Name
	}
	return s.Of.Name
}

// partInWords says all of a part, to tell two apart.
func partInWords(p *design.ScreenPart) [][2]string {
	what, name := p.Reads()
	var shows, given []string
	for _, s := range p.Names {
		shows = append(shows, strings.Join(s.Path, "."))
	}
	for _, name := range slices.Sorted(maps.Keys(p.Given)) {
		given = append(given, name+" "+p.Given[name])
	}
	live := "no"
	if p.Live {
		live = "yes"
	}
	whose := string(p.For)
	if whose == "" {
		whose = "none"
	}
	return [][2]string{{"reads", what + " " + name}, {"for", whose}, {"page", fmt.Sprint(p.Page)}, {"given",
		listed(given)},
		{"shows", listed(shows)}, {"marks", listed(p.Marks)}, {"with", listed(design.FieldNames(p.With))},
		{"live", live}}
}
