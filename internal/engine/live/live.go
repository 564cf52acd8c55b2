package live

import (
	"bytes"
	"crypto/sha256"
	"encoding/binary"
	"encoding/hex"
	"encoding/json"
	"hash/maphash"
	"slices"
)

// Item is one thing on a page: a document, or an entry of a timeline.
type Item struct {
	Path string          // which tells it from the others
	Text json.RawMessage // as a read answers with it
	Kept json.RawMessage // its kept values: what changes without the item being written
}

// Page is what is shown: items in their order, and whether more follow.
type Page struct {
	Items []Item
	More  bool
}

// Kind is what has happened to an item.
type Kind string

// The kinds.
const (
	Removed Kind = "removed"
	Added   Kind = "added"
	Moved   Kind = "moved"
	Changed Kind = "changed"
	Counts  Kind = "counts" // of its kept values alone
)

// Event is one thing that has happened. Events are meant to be followed in their order.
type Event struct {
	Kind   Kind
	Path   string
	Beyond bool   // removed: more follow, and it may stand among them
	After  string // added, moved: the path of the item before it, empty for none
	Item   *Item  // added, changed, counts: as it is now
}

// Shown is what remains of a page that has been sent.
type Shown struct {
	items []shownItem
	id    string
}

type shownItem struct {
	path        string
	whole, rest uint64 // hashes of the item, and of it without its kept values
}

// seed makes the hashes of one process. They are not compared with those of others.
var seed = maphash.MakeSeed()

// Remember is what remains of a page.
func Remember(p Page) Shown {
	s := Shown{items: make([]shownItem, len(p.Items))}
	sum := sha256.New()
	var size [8]byte
	for i, item := range p.Items {
		s.items[i] = shownItem{item.Path, maphash.Bytes(seed, item.Text), restOf(item)}
		for _, part := range [][]byte{[]byte(item.Path), item.Text} {
			binary.BigEndian.PutUint64(size[:], uint64(len(part)))
			sum.Write(size[:]) // never fails
			sum.Write(part)
		}
	}
	if p.More {
		sum.Write([]byte("more"))
	}
	s.id = hex.EncodeToString(sum.Sum(nil)[:10])
	return s
}

// ID stands for all that is shown, the same in every process: whoever was shown it knows by it
// whether they have missed anything.
func (s Shown) ID() string { return s.id }

// restOf is a hash of an item without its kept values, which stand in its text as they are.
func restOf(item Item) uint64 {
	var h maphash.Hash
	h.SetSeed(seed)
	at := len(item.Text)
	if len(item.Kept) > 0 {
		if i := bytes.LastIndex(item.Text, item.Kept); i >= 0 {
			at = i
		}
	}
	h.Write(item.Text[:at]) // never fails
	if at < len(item.Text) {
		h.Write(item.Text[at+len(item.Kept):])
	}
	return h.Sum64()
}

// Since says how what was shown became a page: events that make one out of the other, none if
// nothing has happened.
func Since(was Shown, is Page) []Event {
	before := make(map[string]int, len(was.items))
	for i, item := range was.items {
		before[item.path] = i
	}
	now := make(map[string]bool, len(is.Items))
	for _, item := range is.Items {
		now[item.Path] = true
	}
	events := gone(was, now, is.More)
	stay := staying(is, before)
	last := ""
	for i := range is.Items {
		item := &is.Items[i]
		at, there := before[item.Path]
		switch {
		case !there:
			events = append(events, Event{Kind: Added, Path: item.Path, After: last, Item: item})
		case !stay[item.Path]:
			events = append(events, Event{Kind: Moved, Path: item.Path, After: last})
		}
		if there && was.items[at].whole != maphash.Bytes(seed, item.Text) {
			kind := Changed
			if was.items[at].rest == restOf(*item) {
				kind = Counts
			}
			events = append(events, Event{Kind: kind, Path: item.Path, Item: item})
		}
		last = item.Path
	}
	return events
}

// gone are the items that are no longer shown. Those at the end of a page that more follow
// may have been pushed off it by others.
func gone(was Shown, now map[string]bool, more bool) []Event {
	var events []Event
	tail := more
	for i := len(was.items) - 1; i >= 0; i-- {
		path := was.items[i].path
		if now[path] {
			tail = false
			continue
		}
		events = append(events, Event{Kind: Removed, Path: path, Beyond: tail})
	}
	return events
}

// staying are the items that need not move: as many as can be, in the order that they had
// (longest increasing subsequence, by patience sorting).
func staying(is Page, before map[string]int) map[string]bool {
	type card struct {
		path     string
		at, left int // where it stood; the card to its left when it was laid
	}
	var cards []card
	var tops []int // of the piles: cards
	for _, item := range is.Items {
		at, there := before[item.Path]
		if !there {
			continue
		}
		pile, _ := slices.BinarySearchFunc(tops, at, func(top, at int) int { return cards[top].at - at })
		left := -1
		if pile > 0 {
			left = tops[pile-1]
		}
		cards = append(cards, card{item.Path, at, left})
		if pile == len(tops) {
			tops = append(tops, 0)
		}
		tops[pile] = len(cards) - 1
	}
	stay := make(map[string]bool, len(tops))
	if len(tops) > 0 {
		for c := tops[len(tops)-1]; c >= 0; c = cards[c].left {
			stay[cards[c].path] = true
		}
	}
	return stay
}
