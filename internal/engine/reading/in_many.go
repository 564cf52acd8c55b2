package reading

import (
	"errors"

	"yalvo/internal/engine/store/rulesql"

	lru "github.com/hashicorp/golang-lru/v2"
)

// inMany are those who have lately turned out to be in many pairs of a kind. Of all others the
// partners are read once for a page, by a statement that is right for those in few alone.
type inMany = lru.Cache[look, rulesql.Pairings]

// shares are how many entries of a list have to be read for those of whom much is left out: see
// [store.ListQuery.Needs].
type shares = lru.Cache[look, int]

// look is somebody's look at a list or a timeline.
type look struct {
	at, me string // its name, and who looks
	owner  int64  // of a list: the document that it is asked for
}

// looksKnown is of how many looks such things are remembered: some MB each.
const looksKnown = 20_000

// sparing reads for somebody with what is known of their pairs, again if that was too little.
// It ends, as more is known each time.
func sparing[T any](m *inMany, who look, read func(many rulesql.Pairings) (T, error)) (T, error) {
	for many, _ := m.Get(who); ; {
		got, err := read(many)
		var more *rulesql.InMany
		if !errors.As(err, &more) {
			return got, err
		}
		many |= more.In
		if !more.Unseen {
			m.Add(who, many)
		}
	}
}
