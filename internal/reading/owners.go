package reading

import (
	"sync"

	"yalvo/internal/store"
)

// owners are the row numbers of those whose timelines were read lately. Who is
// removed and created again gets another number, so they are to be believed
// only together with a look at the document.
type owners struct {
	mu    sync.RWMutex
	known map[store.Address]int64
}

// ownersKnown is how many are remembered: some 10 MB.
const ownersKnown = 100_000

// of is the number an owner had, 0 if that is not known.
func (o *owners) of(at store.Address) int64 {
	o.mu.RLock()
	defer o.mu.RUnlock()
	return o.known[at]
}

// learn remembers a number. When there are too many it begins anew.
func (o *owners) learn(at store.Address, n int64) {
	o.mu.Lock()
	defer o.mu.Unlock()
	if o.known == nil || len(o.known) >= ownersKnown {
		o.known = map[store.Address]int64{}
	}
	o.known[at] = n
}
