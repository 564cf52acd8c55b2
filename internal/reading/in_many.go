package reading

import (
	"errors"
	"sync"

	"yalvo/internal/store"
)

// inMany are those who have lately turned out to be in many pairs of a kind. Of all others the
// partners are read once for a page, by a statement that is right for those in few alone.
type inMany struct {
	mu  sync.RWMutex
	who map[inManyKey]store.Pairings
}

type inManyKey struct {
	of, me string // the list or the timeline, and who reads it
	owner  int64  // of a list: the document that it is asked for
}

// inManyKnown is how many are remembered: some MB.
const inManyKnown = 20_000

func (m *inMany) of(k inManyKey) store.Pairings {
	m.mu.RLock()
	defer m.mu.RUnlock()
	return m.who[k]
}

// learn remembers some. When there are too many it begins anew.
func (m *inMany) learn(k inManyKey, in store.Pairings) {
	m.mu.Lock()
	defer m.mu.Unlock()
	if m.who == nil || len(m.who) >= inManyKnown {
		m.who = map[inManyKey]store.Pairings{}
	}
	m.who[k] = in
}

// sparing reads for somebody with what is known of their pairs, again if that was too little.
// It ends, as more is known each time.
func sparing[T any](m *inMany, who inManyKey, read func(many store.Pairings) (T, error)) (T, error) {
	for many := m.of(who); ; {
		got, err := read(many)
		var more *store.InMany
		if !errors.As(err, &more) {
			return got, err
		}
		many |= more.In
		if !more.Unseen {
			m.learn(who, many)
		}
	}
}
