package factsql

import (
	"strings"

	"yalvo/internal/design/plan"
	"yalvo/internal/engine/store"
)

// EndPaths are the two documents that a pair stands between, by their paths.
type EndPaths struct{ From, To string }

// between stands between the paths of two ends in the journal. No path has it.
const between = " → "

// String is how the journal writes them.
func (e EndPaths) String() string { return e.From + between + e.To }

// Ends are those of the pair that was set or unset, none of another change.
func (r Record) Ends() EndPaths {
	if r.Kind != plan.Set && r.Kind != plan.Unset {
		return EndPaths{}
	}
	from, to, _ := strings.Cut(r.Detail, between)
	return EndPaths{from, to}
}

// EndOf is the path of an end in a line of the journal: the first or the second.
func EndOf(nth int) string {
	return "split_part(detail, '" + between + "', " + store.Number(nth) + ")"
}
