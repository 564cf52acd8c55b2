package bring

import (
	"fmt"
	"slices"
	"strings"
)

// Kind is a kind of finding.
type Kind string

// The kinds.
const (
	Lies     Kind = "count that lies"
	Stale    Kind = "stale copy"
	OneSided Kind = "one side only"
	Gone     Kind = "points at what is gone"
	Twice    Kind = "there twice"
	OtherID  Kind = "id that cannot be"
	NoID     Kind = "no id"
)

// Kinds are all kinds, in the order in which they are told.
var Kinds = []Kind{Lies, Stale, OneSided, Gone, Twice, OtherID, NoID}

// Finding is something that was wrong with an export.
type Finding struct {
	Kind  Kind   `json:"kind"`
	Where string `json:"where"` // the duplicate, pair or field: members.followerCount
	What  string `json:"what"`  // the document's path, or the pair
	Had   string `json:"had,omitempty"`
	Is    string `json:"is,omitempty"` // what it is by the facts, or what was made of it
}

// Report is what bringing an export along came to.
type Report struct {
	Documents int       `json:"documents"`
	Pairs     int       `json:"pairs"`
	Checked   int       `json:"checked"` // old duplicates that were compared
	Findings  []Finding `json:"findings"`
}

func (r *Report) add(kind Kind, where, what string, had, is any) {
	r.Findings = append(r.Findings, Finding{kind, where, what, inWords(had), inWords(is)})
}

func inWords(v any) string {
	if v == nil {
		return ""
	}
	s := fmt.Sprint(v)
	if runes := []rune(s); len(runes) > 80 {
		return string(runes[:80]) + "…"
	}
	return s
}

// sort puts findings in an order that does not depend on chance.
func (r *Report) sort() {
	slices.SortStableFunc(r.Findings, func(a, b Finding) int {
		if x := slices.Index(Kinds, a.Kind) - slices.Index(Kinds, b.Kind); x != 0 {
			return x
		}
		return strings.Compare(a.Where+" "+a.What, b.Where+" "+b.What)
	})
}
