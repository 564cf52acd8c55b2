package compare

import (
	"slices"

	"yalvo/internal/design"
)

// compareAccess finds what differs in who may do what. Nothing that is stored changes.
func (c *comparing) compareAccess() {
	if c.From.Guarded != c.To.Guarded {
		how := Added
		if c.From.Guarded {
			how = Dropped
		}
		c.differ(Difference{Kind: "design", Name: "access", How: how})
	}
	before, after := c.From.AccessRules(), c.To.AccessRules()
	named := func(all []*design.Rule, name string) *design.Rule {
		i := slices.IndexFunc(all, func(r *design.Rule) bool { return r.Name == name })
		if i < 0 {
			return nil
		}
		return all[i]
	}
	for _, r := range after {
		switch o := named(before, r.Name); {
		case o == nil:
			c.differ(Difference{Kind: "rule", Name: r.Name, How: Added, What: []string{r.Text()}})
		case o.Text() != r.Text():
			c.differ(Difference{Kind: "rule", Name: r.Name, How: Changed,
				What: []string{changed("if", o.Text(), r.Text())}})
		case o.Otherwise != r.Otherwise:
			c.differ(Difference{Kind: "rule", Name: r.Name, How: Changed, What: []string{"otherwise"}})
		}
	}
	for _, o := range before {
		if named(after, o.Name) == nil {
			c.differ(Difference{Kind: "rule", Name: o.Name, How: Dropped, What: []string{o.Text()}})
		}
	}
}
