package reading

import (
	"context"
	"encoding/json"
	"sync"

	"yalvo/internal/design"
	"yalvo/internal/design/plan"
	"yalvo/internal/engine/running"
	"yalvo/internal/engine/store"
	"yalvo/internal/engine/store/listsql"
	"yalvo/internal/engine/store/readsql"
	"yalvo/internal/engine/store/timelinesql"

	"github.com/hashicorp/golang-lru/v2/simplelru"
)

// shown remembers what the entries of timelines show, and the documents of lists. A post
// stands in many of them, and is read out of the database once for all: a page asks for the
// versions of its documents' rows, unless these are known not to have been written, and only
// for those documents that it does not know in these versions.
type shown struct {
	mu        sync.Mutex
	era       running.Era
	known     *simplelru.LRU[shownKey, *remembered]
	timelines map[plan.Number]bool // of which something was ever known
	bytes     int
	certain   certain
}

type shownKey struct {
	timeline plan.Number // 0: the document itself
	doc      int64
}

// remembered is an entry or a document, with the versions of the rows it was made from.
type remembered struct {
	readsql.Versions
	seen readsql.Since // what was written before it is in here; zero: not known
	what any           // an *[Entry] or a [store.Document]
	size int           // about what it takes in memory
}

// shownBytes is about how much is remembered; what was asked for least lately is forgotten.
const shownBytes = 128 << 20

// What is around something remembered in memory, and around a value of it that rules ask for.
const (
	around      = 350
	aroundValue = 64
)

// sizeOf is about what an entry takes in memory.
func sizeOf(e *Entry) int {
	return around + len(e.ID) + len(e.Path) + len(e.Author) + len(e.Facts) + len(e.Kept) + aroundValue*len(e.values)
}

func newShown() (*shown, error) {
	s := &shown{timelines: map[plan.Number]bool{}}
	var err error
	s.known, err = simplelru.NewLRU(shownBytes/around, func(_ shownKey, r *remembered) { s.bytes -= r.size })
	return s, err
}

// ofPage is what is known of the entries at some places of a timeline, nil where nothing is.
func (s *shown) ofPage(now running.Era, t *plan.Timeline, since readsql.Since, places []timelinesql.Place) []*Entry {
	entries := make([]*Entry, len(places))
	s.mu.Lock()
	defer s.mu.Unlock()
	for i := range places {
		switch p, k := &places[i], (shownKey{t.Number, places[i].Doc}); {
		case p.Certain:
			entries[i], _ = s.surely(now, k).(*Entry)
		case p.Document.Valid:
			entries[i], _ = s.in(now, k, p.Versions, since).(*Entry)
		}
	}
	return entries
}

// ofRows puts in what is known of the documents of some rows of a list, and returns the places of
// the others.
func (s *shown) ofRows(now running.Era, rows []listsql.Listed) (unknown []int) {
	s.mu.Lock()
	defer s.mu.Unlock()
	for i := range rows {
		row := &rows[i]
		if known, is := s.in(now, shownKey{doc: row.N}, row.Versions, readsql.Since{}).(store.Document); is {
			row.Document = known
		} else {
			unknown = append(unknown, i)
		}
	}
	return unknown
}

// in is what is known of a document or an entry in some versions, nil if nothing is. since is a
// moment after which it still had these.
func (s *shown) in(now running.Era, k shownKey, v readsql.Versions, since readsql.Since) any {
	r := s.get(now, k)
	if r == nil || r.Versions != v {
		return nil
	}
	if s.certain.holds(since) {
		r.seen = since
	}
	return r.what
}

// surely is what is known of what was not written after the last moment, nil if nothing is.
func (s *shown) surely(now running.Era, k shownKey) any {
	if r := s.get(now, k); r != nil && s.certain.knows(r.seen) {
		return r.what
	}
	return nil
}

func (s *shown) get(now running.Era, k shownKey) *remembered {
	if s.era != now {
		s.known.Purge()
		s.era = now
	}
	r, _ := s.known.Get(k)
	return r
}

func (s *shown) learn(now running.Era, k shownKey, r remembered) {
	s.mu.Lock()
	defer s.mu.Unlock()
	if s.era != now {
		return
	}
	if !r.seen.Covers(s.certain.since) { // it may lack what was written between the two
		r.seen = readsql.Since{}
	}
	s.timelines[k.timeline] = true
	s.known.Remove(k) // an older version of it
	s.known.Add(k, &r)
	for s.bytes += r.size; s.bytes > shownBytes; {
		s.known.RemoveOldest()
	}
}

// show is what the entries at some places show, nil for those whose documents
// have just been removed. There are fewer than places if they are large: see
// [store.PageBytes].
func (r *Reader) show(ctx context.Context, v *running.Version, t *plan.Timeline, since readsql.Since,
	places []timelinesql.Place) ([]*Entry, error) {
	now := r.Era(v)
	entries := r.shown.ofPage(now, t, since, places)
	var unknown map[int64][]int
	var docs []int64
	for i, p := range places {
		if entries[i] == nil && (p.Certain || p.Document.Valid) {
			if unknown == nil {
				unknown = map[int64][]int{}
			}
			unknown[p.Doc] = append(unknown[p.Doc], i)
			docs = append(docs, p.Doc)
		}
	}
	if len(docs) == 0 {
		return entries, nil
	}
	found, all, err := timelinesql.Shown(ctx, r.Store, docs)
	if err != nil {
		return nil, err
	}
	covered := len(places)
	if !all {
		covered = unknown[found[len(found)-1].Doc][0] + 1
	}
	for _, row := range found {
		e, err := carried(t, row)
		e.key = row.Key
		if err == nil && v.Law.Guards() {
			e.values, err = v.RuleValues(t.Entries, row.Stored())
		}
		if err == nil && obeying(v, t) {
			e.links, err = linksOf(t.Entries, row.Stored())
		}
		if err != nil {
			return nil, err
		}
		for _, i := range unknown[row.Doc] {
			entries[i] = &e
		}
		r.shown.learn(now, shownKey{t.Number, row.Doc}, remembered{row.Versions, row.Seen, &e, sizeOf(&e)})
	}
	return entries[:covered], nil
}

// linksOf are the references of a document.
func linksOf(c *plan.Collection, d store.Document) (map[string]json.RawMessage, error) {
	links := map[string]json.RawMessage{}
	names := design.NamesOf(c.References, func(r *plan.Reference) string { return r.Name })
	return links, running.Pick(links, running.See(c, d).Facts, names)
}
