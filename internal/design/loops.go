package design

import (
	"fmt"
	"slices"
	"strings"
)

// MaxDepth is how many times in a row triggers may set one another off.
const MaxDepth = 8

// checkLoops refuses triggers that set one another off for ever: a circle in
// which none has a condition and something grows each time round. Where a
// condition could end it, the service stops it at [MaxDepth].
func (r *reader) checkLoops() {
	if len(r.problems) > 0 {
		return
	}
	next := map[*Trigger][]*Trigger{}
	for _, t := range r.design.Triggers {
		for _, s := range t.Steps {
			for _, other := range r.design.Triggers {
				if t.When == nil && other.When == nil && s.setsOff(other) {
					next[t] = append(next[t], other)
				}
			}
		}
	}
	for _, t := range r.design.Triggers {
		for _, s := range t.Steps {
			for _, other := range next[t] {
				if !s.grows() || !s.setsOff(other) {
					continue
				}
				if back := wayBetween(next, other, t); back != nil {
					r.loop(append([]*Trigger{t}, back...))
					return
				}
			}
		}
	}
}

// wayBetween is a shortest way from a trigger to another along what they set
// off, both included; nil if there is none. Each trigger is visited once.
func wayBetween(next map[*Trigger][]*Trigger, from, to *Trigger) []*Trigger {
	cameFrom := map[*Trigger]*Trigger{from: from}
	for queue := []*Trigger{from}; len(queue) > 0; queue = queue[1:] {
		at := queue[0]
		if at == to {
			way := []*Trigger{at}
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

func (r *reader) loop(circle []*Trigger) {
	var path []string
	for _, t := range circle {
		path = append(path, t.Name)
	}
	r.problem(circle[0].Pos, CodeContradicted,
		fmt.Sprintf("trigger %q would set itself off for ever: %s", circle[0].Name, strings.Join(path, " → ")),
		"give one of them a `when` that ends it")
}

func (s *Step) setsOff(t *Trigger) bool {
	switch s.Do {
	case DoEdit:
		return t.On == OnChanged && t.Collection == s.Collection
	case DoCreate:
		return t.On == OnCreated && t.Collection == s.Collection
	case DoRemove:
		return t.On == OnRemoved && t.Collection == s.Collection
	case DoPair:
		return t.On == OnSet && t.Pair == s.Pair
	case DoUnpair:
		return t.On == OnUnset && t.Pair == s.Pair
	}
	return false
}

// grows tells whether a step makes something new each time: a document without
// an id of its own, or a field that is worked out from itself.
func (s *Step) grows() bool {
	if s.Do == DoCreate {
		return s.ID == nil
	}
	for name, v := range s.Fields {
		if s.Do == DoEdit && v != nil && strings.Contains(v.Text, "doc."+name) {
			return true
		}
	}
	return false
}
