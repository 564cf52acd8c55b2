package driving

import (
	"maps"
	"math/rand/v2"
	"slices"
	"sort"
	"strings"

	"yalvo/internal/design"
)

// Deed is something that somebody does: it opens a screen, or writes.
type Deed struct {
	Does  string // open, create, edit, remove, set or unset
	Of    string // a screen, a collection or a pair
	Field string // that is edited
}

// Name is what it is called, as a forecast calls it.
func (d Deed) Name() string {
	if d.Field != "" {
		return d.Does + " " + d.Of + "." + d.Field
	}
	return d.Does + " " + d.Of
}

// Script is what is done how often.
type Script struct {
	deeds []Deed
	upTo  []float64 // the sum of how often those up to here are done
}

// NewScript is the mix of a workload.
func NewScript(w *design.Workload) Script {
	var s Script
	add := func(d Deed, often float64) {
		if often <= 0 {
			return
		}
		sum := often
		if len(s.upTo) > 0 {
			sum += s.upTo[len(s.upTo)-1]
		}
		s.deeds, s.upTo = append(s.deeds, d), append(s.upTo, sum)
	}
	for _, screen := range slices.Sorted(maps.Keys(w.Opened)) {
		add(Deed{Does: "open", Of: screen}, w.Opened[screen])
	}
	for _, of := range slices.Sorted(maps.Keys(w.Done)) {
		done := w.Done[of]
		add(Deed{Does: "create", Of: of}, done.Create)
		for _, field := range slices.Sorted(maps.Keys(done.Edit)) {
			add(Deed{Does: "edit", Of: of, Field: field}, done.Edit[field])
		}
		add(Deed{Does: "remove", Of: of}, done.Remove)
		add(Deed{Does: "set", Of: of}, done.Set)
		add(Deed{Does: "unset", Of: of}, done.Unset)
	}
	return s
}

// Empty tells whether nothing is ever done.
func (s Script) Empty() bool { return len(s.deeds) == 0 }

// Next is what is done next.
func (s Script) Next(r *rand.Rand) Deed {
	at := r.Float64() * s.upTo[len(s.upTo)-1]
	return s.deeds[min(sort.SearchFloat64s(s.upTo, at), len(s.deeds)-1)]
}

// words are what made-up texts are made of.
var words = strings.Fields(`reed marsh heron willow drift early quiet north water light wind over under bank
	grass pool calm late misty second pair young old far near low high slow bright grey`)

// textOf makes up a text of about so many bytes, and no more than most characters.
func textOf(r *rand.Rand, bytes, most int) string {
	if most > 0 {
		bytes = min(bytes, most)
	}
	var b strings.Builder
	for b.Len() < bytes {
		if b.Len() > 0 {
			b.WriteByte(' ')
		}
		b.WriteString(words[r.IntN(len(words))])
	}
	text := strings.TrimSpace(b.String()[:max(1, min(bytes, b.Len()))])
	return text
}
