package plan

import (
	"fmt"
	"strings"
)

// Trigger is one derived rule in words: what would otherwise be written by hand.
type Trigger struct {
	When string `json:"when"`
	Then string `json:"then"`
}

// Triggers lists every rule the plan follows, in the order of the design.
func (p *Plan) Triggers() []Trigger {
	var all []Trigger
	add := func(when, then string, args ...any) { all = append(all, Trigger{when, fmt.Sprintf(then, args...)}) }
	for _, c := range p.Collections {
		for _, kept := range c.Copies {
			if kept.Frozen {
				add(fmt.Sprintf("%s.%s is first set", c.Name, kept.Via.Name), "copy %s into its %s, for good", strings.Join(kept.Copied(), ", "), kept.Name)
				continue
			}
			add(fmt.Sprintf("%s.%s is set", c.Name, kept.Via.Name), "copy %s into its %s", strings.Join(kept.Copied(), ", "), kept.Name)
			add(fmt.Sprintf("%s.%s changes", kept.Via.To.Name, strings.Join(kept.Copied(), "/")), "bring it to the %s of all %s whose %s it is", kept.Name, c.Name, kept.Via.Name)
		}
		for _, count := range c.Counts {
			add(countSource(count), "count it in %s.%s", c.Name, count.Name)
		}
	}
	for _, pair := range p.Pairs {
		for _, other := range pair.Dissolves {
			add(pair.Name+" set", "unset %s between the two, either way", other.Name)
		}
	}
	for _, t := range p.Timelines {
		add(t.Entries.Name+" created", "deliver to the %s timeline of all who %s its %s", t.Name, t.Through.Name, t.By.Name)
		add(t.Entries.Name+" removed", "withdraw it from every %s timeline", t.Name)
		add(t.Through.Name+" set", "bring the newest %d %s into the follower's %s timeline", t.Length, t.Entries.Name, t.Name)
		add(t.Through.Name+" unset", "take the %s out of the follower's %s timeline", t.Entries.Name, t.Name)
	}
	for _, c := range p.Collections {
		for _, end := range endingsInWords(c) {
			add(c.Name+" removed", "%s", end)
		}
	}
	return all
}

func countSource(count *Count) string {
	switch {
	case count.Nested != nil:
		return count.Nested.Name + " created or removed"
	case count.Via != nil:
		return fmt.Sprintf("%s.%s set, changed or gone", count.Via.In.Name, count.Via.Name)
	}
	return count.Kept.Pair.Name + " set or unset"
}

func endingsInWords(c *Collection) []string {
	var ends []string
	for _, ref := range c.PointedAt {
		what := fmt.Sprintf("%s whose %s it was", ref.In.Name, ref.Name)
		switch ref.WhenGone {
		case "remove":
			ends = append(ends, "remove the "+what)
		case "clear":
			ends = append(ends, fmt.Sprintf("clear %s in the %s", ref.Name, what))
		case "refuse":
			ends = append(ends, "refuse while there are "+what)
		case "leave":
			ends = append(ends, "leave the "+what)
		}
	}
	for _, pair := range c.From {
		ends = append(ends, "unset every "+pair.Name+" it is in")
	}
	for _, pair := range c.To {
		if pair.From != pair.To { // else it was named above
			ends = append(ends, "unset every "+pair.Name+" it is in")
		}
	}
	for _, nested := range c.Nested {
		ends = append(ends, "remove its "+nested.Name)
	}
	for _, t := range c.Owned {
		ends = append(ends, fmt.Sprintf("drop its %s timeline", t.Name))
	}
	return ends
}
