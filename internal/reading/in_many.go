package reading

import (
	"errors"

	"yalvo/internal/store"

	lru "github.com/hashicorp/golang-lru/v2"
)

// inMany are those who have lately turned out to be in many pairs of a kind. Of all others the
// partners are read once for a page, by a statement that is right for those in few alone.
type inMany = lru.Cache[inManyKey, store.Pairings]

type inManyKey struct {
	of, me string // the list or the timeline, and who reads it
	owner  int64  // of a list: the document that it is asked for
}

// inManyKnown is how many are remembered: some MB.
const inManyKnown = 20_000

// sparing reads for somebody with what is known of their pairs, again if that was too little.
// It ends, as more is known each time.
func sparing[T any](m *inMany, who inManyKey, read func(many store.Pairings) (T, error)) (T, error) {
	for many, _ := m.Get(who); ; {
		got, err := read(many)
		var more *store.InMany
		if !errors.As(err, &more) {
			return got, err
		}
		many |= more.In
		if !more.Unseen {
			m.Add(who, many)
		}
	}
}
