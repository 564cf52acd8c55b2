package plan

import (
	"fmt"
	"maps"
	"slices"
	"strings"

	"yalvo/internal/design"
)

// Rule is one derived rule in words: what would otherwise be written by hand.
type Rule struct {
	When string `json:"when"`
	Then string `json:"then"`
}

// Rules lists every rule the plan follows, in the order of the design.
func (p *Plan) Rules() []Rule {
	var all []Rule
	add := func(when, then string, args ...any) { all = append(all, Rule{when, fmt.Sprintf(then, args...)}) }
	for _, c := range p.Collections {
		for _, kept := range c.Copies {
			if kept.Frozen {
				add(fmt.Sprintf("%s.%s is first set", c.Name, kept.Via.Name), "copy %s into its %s, for good",
					strings.Join(kept.Copied(), ", "), kept.Name)
				continue
			}
			add(fmt.Sprintf("%s.%s is set", c.Name, kept.Via.Name), "copy %s into its %s",
				strings.Join(kept.Copied(), ", "), kept.Name)
			add(fmt.Sprintf("%s.%s changes", kept.Via.To.Name, strings.Join(kept.Copied(), "/")),
				"bring it to the %s of all %s whose %s it is", kept.Name, c.Name, kept.Via.Name)
		}
		for _, count := range c.Counts {
			add(sourceInWords(count.Kept), "count it in %s.%s", c.Name, count.Name)
		}
		for _, s := range c.Summaries {
			add(sourceInWords(s.Kept), "%s %s.%s", summing[s.Kind], c.Name, s.Name)
		}
	}
	for _, pair := range p.Pairs {
		for _, other := range pair.Dissolves {
			add(pair.Name+" set", "unset %s between the two, either way", other.Name)
		}
	}
	for _, t := range p.Timelines {
		add(t.Entries.Name+" created"+meeting(t.Where), "deliver to the %s timeline of all who %s its %s", t.Name,
			t.Through.Name, t.By.Name)
		if t.Where != nil {
			add(t.Entries.Name+" changed", "deliver it to the %s timelines when it comes to meet %s, withdraw it when "+
				"it no longer does", t.Name, t.Where.Text())
		}
		add(t.Entries.Name+" removed", "withdraw it from every %s timeline", t.Name)
		add(t.Through.Name+" set"+meeting(t.While), "bring the newest %d %s into the follower's %s timeline",
			t.Length, t.Entries.Name, t.Name)
		add(t.Through.Name+" unset", "take the %s out of the follower's %s timeline", t.Entries.Name, t.Name)
		for _, exclusion := range t.Exclusions {
			add(exclusion.Name+" set", "take the %s out of the %s timeline%s", t.Entries.Name, t.Name,
				bothWays(exclusion))
			add(exclusion.Name+" unset", "give back to the %s timeline%s what %s still justifies", t.Name,
				bothWays(exclusion),
				t.Through.Name)
		}
	}
	for _, r := range p.Triggers {
		subject := ""
		if r.Collection != nil {
			subject = r.Collection.Name
		} else {
			subject = r.Pair.Name
		}
		when := fmt.Sprintf("%s %s", subject, r.On)
		if r.Trigger.When != nil {
			when += " and " + r.Trigger.When.Text
		}
		for _, s := range r.Steps {
			add(when, "%s (trigger %s)", s.inWords(), r.Name)
		}
	}
	for _, c := range p.Collections {
		for _, end := range endingsInWords(c) {
			add(c.Name+" removed", "%s", end)
		}
	}
	return all
}

// summing says what each kind of summary does with a source.
var summing = map[design.KeptKind]string{
	design.Count: "count it, if the condition holds, in", design.Sum: "add it to", design.Min: "look for the least for",
	design.Max: "look for the greatest for", design.Latest: "show it in", design.Gather: "name it in",
}

// sourceInWords is when a summary has to look at a source.
func sourceInWords(k *design.Kept) string {
	what := func() string {
		var names []string
		if k.Of.Field != nil || k.Of.Kept != nil {
			names = append(names, k.Of.Name())
		}
		for _, part := range k.Parts {
			names = append(names, part.Name())
		}
		if len(names) == 0 {
			return ""
		}
		return fmt.Sprintf(", or its %s changes", strings.Join(names, "/"))
	}
	switch {
	case k.Nested != nil:
		return k.Nested.Name + " created or removed" + what()
	case k.Via != nil:
		return fmt.Sprintf("%s.%s set, changed or gone", k.Via.In.Name, k.Via.Name) + what()
	}
	return k.Pair.Name + " set or unset" + what()
}

// meeting is what something has to meet besides.
func meeting(condition *design.Rule) string {
	if condition == nil {
		return ""
	}
	return " and meets " + condition.Text()
}

func bothWays(exclusion Exclusion) string {
	if exclusion.EitherWay {
		return " of both"
	}
	return ""
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

func (s TriggerStep) inWords() string {
	switch s.Do {
	case design.DoEdit:
		return "edit it: " + strings.Join(sortedNames(s.Step.Fields), ", ")
	case design.DoSend:
		return "send it to " + s.URL
	case design.DoCreate, design.DoRemove:
		return fmt.Sprintf("%s one of %s", s.Do, s.Collection.Name)
	}
	return fmt.Sprintf("%s %s", s.Do, s.Pair.Name)
}

func sortedNames[V any](m map[string]V) []string { return slices.Sorted(maps.Keys(m)) }
