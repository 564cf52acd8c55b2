package soundness

import (
	"fmt"
	"slices"
	"strings"

	"yalvo/internal/design"
)

// checkLoops refuses triggers that set one another off for ever: a circle in
// which none has a condition and something grows each time round. Where a
// condition could end it, the service stops it at [design.MaxDepth].
func (r *review) checkLoops() {
	if len(r.problems) > 0 {
		return
	}
	next := map[*design.Trigger][]*design.Trigger{}
	for _, t := range r.design.Triggers {
		for _, s := range t.Steps {
			for _, other := range r.design.Triggers {
				if t.When == nil && other.When == nil && setsOff(s, other) {
					next[t] = append(next[t], other)
				}
			}
		}
	}
	for _, t := range r.design.Triggers {
		for _, s := range t.Steps {
			for _, other := range next[t] {
				if !grows(s) || !setsOff(s, other) {
					continue
				}
				if back := wayBetween(next, other, t); back != nil {
					r.loop(append([]*design.Trigger{t}, back...))
					return
				}
			}
		}
	}
}

// wayBetween is a shortest way from a trigger to another along what they set
// off, both included; nil if there is none. Each trigger is visited once.
func wayBetween(next map[*design.Trigger][]*design.Trigger, from, to *design.Trigger) []*design.Trigger {
	cameFrom := map[*design.Trigger]*design.Trigger{from: from}
	for queue := []*design.Trigger{from}; len(queue) > 0; queue = queue[1:] {
		at := queue[0]
		if at == to {
			way := []*design.Trigger{at}
			for ; at != from; at = cameFrom[at] {
				way = append(way, cameFrom[at])
			}
			slices.Reverse(way)
			return way
		}
		for _, n := range next[at] {
			if cameFrom[n] == nil {
				cameFrom[n] = at
				queue = append(queue, n)
			}
		}
	}
	return nil
}

func (r *review) loop(circle []*design.Trigger) {
	var path []string
	for _, t := range circle {
		path = append(path, t.Name)
	}
	r.problem(circle[0].Pos, design.CodeContradicted,
		fmt.Sprintf("trigger %q would set itself off for ever: %s", circle[0].Name, strings.Join(path, " → ")),
		"give one of them a `when` that ends it")
}

func setsOff(s *design.Step, t *design.Trigger) bool {
	switch s.Do {
	case design.DoEdit:
		return t.On == design.OnChanged && t.Collection == s.Collection
	case design.DoCreate:
		return t.On == design.OnCreated && t.Collection == s.Collection
	case design.DoRemove:
		return t.On == design.OnRemoved && t.Collection == s.Collection
	case design.DoPair:
		return t.On == design.OnSet && t.Pair == s.Pair
	case design.DoUnpair:
		return t.On == design.OnUnset && t.Pair == s.Pair
	}
	return false
}

// grows tells whether a step makes something new each time: a document without
// an id of its own, or a field that is worked out from itself.
func grows(s *design.Step) bool {
	if s.Do == design.DoCreate {
		return s.ID == nil
	}
	for name, v := range s.Fields {
		if s.Do == design.DoEdit && v != nil && strings.Contains(v.Text, "doc."+name) {
			return true
		}
	}
	return false
}
