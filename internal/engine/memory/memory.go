package memory

import (
	"context"
	"sync"

	"yalvo/internal/design/plan"
	"yalvo/internal/engine/running"
	"yalvo/internal/engine/store/readsql"

	"github.com/hashicorp/golang-lru/v2/simplelru"
)

// Bytes is about how much is remembered; what was asked for least lately is forgotten.
const Bytes = 128 << 20

// Around is about what is around something remembered in memory, in bytes.
const Around = 350

// Key is what is remembered: what a timeline shows of a document, or the document itself.
type Key struct {
	Timeline plan.Number // 0: the document
	Doc      int64       // its row number
}

// Memory is what a service remembers of what documents show. A post stands in many timelines and lists, and is
// read out of the database once for all.
type Memory struct {
	written Written
	most    int // bytes

	mu        sync.Mutex
	era       running.Era
	things    *simplelru.LRU[Key, *thing]
	timelines map[plan.Number]bool // of which something was ever known
	bytes     int
	moments
}

// Written tells what has been written since a moment: [readsql.RewrittenSince].
type Written func(ctx context.Context, since readsql.Since) (readsql.Rewritten, error)

// thing is something remembered, with the versions of the rows it was made from.
type thing struct {
	readsql.Versions
	seen readsql.Since // what was written before it is in here; zero: not known
	what any
	size int
}

// New makes a memory of about so many bytes.
func New(bytes int, written Written) (*Memory, error) {
	m := &Memory{written: written, most: bytes, timelines: map[plan.Number]bool{}}
	var err error
	m.things, err = simplelru.NewLRU(max(1, bytes/Around), func(_ Key, t *thing) { m.bytes -= t.size })
	return m, err
}

// Asked is something that a page shows, with what the page was told of it.
type Asked struct {
	Key
	readsql.Versions      // of the rows it is made from now
	Unwritten        bool // or else: nothing has been written to these since the page's moment
}

// Known are, for each of what a page shows, what it is, nil where that is not known. since is the page's moment,
// zero for none; now is the era of the version that it is read with.
func (m *Memory) Known(now running.Era, since readsql.Since, page []Asked) []any {
	known := make([]any, len(page))
	m.mu.Lock()
	defer m.mu.Unlock()
	if m.era != now {
		m.things.Purge()
		m.era = now
	}
	for i := range page {
		if t, _ := m.things.Get(page[i].Key); t != nil && m.holds(t, &page[i], since) {
			known[i] = t.what
		}
	}
	return known
}

// holds tells whether something is still what it was when it was learned.
func (m *Memory) holds(t *thing, asked *Asked, since readsql.Since) bool {
	if asked.Unwritten {
		return m.reaches(t.seen)
	}
	if t.Versions != asked.Versions {
		return false
	}
	if m.is(since) { // it had these versions after that
		t.seen = since
	}
	return true
}

// Learned is something that was read.
type Learned struct {
	Key
	readsql.Versions               // of the rows it was made from
	Seen             readsql.Since // the moment that it was read at
	What             any           // nobody changes it
	Size             int           // about what it takes in memory, in bytes
}

// Learn remembers something that was read with the version of an era. If another has begun since, it does not.
func (m *Memory) Learn(now running.Era, l Learned) {
	m.mu.Lock()
	defer m.mu.Unlock()
	if m.era != now {
		return
	}
	t := &thing{l.Versions, l.Seen, l.What, l.Size}
	if !t.seen.Covers(m.last) { // it may lack what was written between the two
		t.seen = readsql.Since{}
	}
	m.timelines[l.Timeline] = true
	m.things.Remove(l.Key) // an older version of it
	m.things.Add(l.Key, t)
	for m.bytes += t.size; m.bytes > m.most; {
		m.things.RemoveOldest()
	}
}
