package memory

import (
	"errors"

	"yalvo/internal/engine/store/rulesql"

	lru "github.com/hashicorp/golang-lru/v2"
)

// Pairs remembers who has lately turned out to be in many pairs of a kind. Of all others the partners are read
// once for a page, by a statement that is right for those in few alone.
type Pairs struct {
	*lru.Cache[Look, rulesql.Pairings]
}

// Look is somebody's look at a list or a timeline.
type Look struct {
	At, Me string // its name, and who looks
	Owner  int64  // of a list: the document that it is asked for
}

// Looks is of how many looks something is remembered: some MB.
const Looks = 20_000

// NewPairs makes it, for so many looks.
func NewPairs(looks int) (Pairs, error) {
	c, err := lru.New[Look, rulesql.Pairings](looks)
	return Pairs{c}, err
}

// Sparing reads for somebody with what is known of their pairs, again if that was too little.
// It ends, as more is known each time.
func Sparing[T any](p Pairs, who Look, read func(many rulesql.Pairings) (T, error)) (T, error) {
	for many, _ := p.Get(who); ; {
		got, err := read(many)
		var more *rulesql.InMany
		if !errors.As(err, &more) {
			return got, err
		}
		many |= more.In
		if !more.Unseen {
			p.Add(who, many)
		}
	}
}
