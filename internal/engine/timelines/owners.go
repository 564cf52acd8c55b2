package timelines

import (
	"yalvo/internal/engine/store"
	"yalvo/internal/engine/store/factsql"

	lru "github.com/hashicorp/golang-lru/v2"
)

// owners are those whose timelines were read lately. Who is
// removed and created again gets another number, so they are to be believed
// only together with a look at the document.
type owners = lru.Cache[store.Address, factsql.Owner]

// ownersKnown is how many are remembered: some 20 MB.
const ownersKnown = 100_000

// OwnerOf is the owner of timelines that were read lately, false if they are not remembered.
func (r *Reader) OwnerOf(at store.Address) (factsql.Owner, bool) { return r.owners.Get(at) }
