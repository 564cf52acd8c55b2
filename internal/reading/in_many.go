package reading

import (
	"errors"
	"sync"

	"yalvo/internal/store"
)

// inMany are those who have lately turned out to be in more pairs of a kind than the shorter
// statement of a list or a timeline can do with.
type inMany struct {
	mu  sync.RWMutex
	who map[inManyKey]bool
}

type inManyKey struct {
	of, me string // the list or the timeline, and who reads it
	owner  int64  // of a list: the document that it is asked for
}

// inManyKnown is how many are remembered: some MB.
const inManyKnown = 20_000

func (m *inMany) has(k inManyKey) bool {
	m.mu.RLock()
	defer m.mu.RUnlock()
	return m.who[k]
}

// learn remembers one. When there are too many it begins anew.
func (m *inMany) learn(k inManyKey) {
	m.mu.Lock()
	defer m.mu.Unlock()
	if m.who == nil || len(m.who) >= inManyKnown {
		m.who = map[inManyKey]bool{}
	}
	m.who[k] = true
}

// sparing reads for somebody by the shorter statement, unless they are known to be in many
// pairs, or turn out to be.
func sparing[T any](m *inMany, who inManyKey, read func(few bool) (T, error)) (T, error) {
	if m.has(who) {
		return read(false)
	}
	got, err := read(true)
	if errors.Is(err, store.ErrInMany) {
		m.learn(who)
		return read(false)
	}
	return got, err
}
