package reading

import (
	"sync"

	"yalvo/internal/store"
)

// owners are those whose timelines were read lately. Who is
// removed and created again gets another number, so they are to be believed
// only together with a look at the document.
type owners struct {
	mu    sync.RWMutex
	known map[store.Address]store.Owner
}

// ownersKnown is how many are remembered: some 10 MB.
const ownersKnown = 100_000

// of is what an owner was, with the number 0 if that is not known.
func (o *owners) of(at store.Address) store.Owner {
	o.mu.RLock()
	defer o.mu.RUnlock()
	return o.known[at]
}

// learn remembers one. When there are too many it begins anew.
func (o *owners) learn(at store.Address, owner store.Owner) {
	o.mu.Lock()
	defer o.mu.Unlock()
	if o.known == nil || len(o.known) >= ownersKnown {
		o.known = map[store.Address]store.Owner{}
	}
	o.known[at] = owner
}
