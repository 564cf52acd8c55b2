package reading

import (
	"context"
	"sync"

	"yalvo/internal/plan"
	"yalvo/internal/running"
	"yalvo/internal/store"
)

// shown remembers what the entries of timelines show, and the documents of lists. A post
// stands in many of them, and is read out of the database once for all: a page asks for the
// versions of its documents' rows, and only for those documents that it does not know in
// these versions.
type shown struct {
	mu         sync.Mutex
	era        era
	young, old map[shownKey]*remembered // what is not asked for in a while is forgotten with the old ones
	bytes      int                      // of the young ones
}

// era is the time in which what is remembered holds.
type era struct{ design, builds, outages int }

type shownKey struct {
	timeline plan.Number // 0: the document itself
	doc      int64
}

// remembered is an entry or a document, with the versions of the rows it was made from.
type remembered struct {
	store.Versions
	what any // an *[Entry] or a [store.Document]
	size int // about what it takes in memory
}

// youngBytes is how much is remembered before the older half is forgotten.
const youngBytes = 64 << 20

// around is about what the structures and keys of something remembered take in memory.
const around = 300

// sizeOf is about what an entry takes in memory.
func sizeOf(e *Entry) int {
	return around + len(e.ID) + len(e.Path) + len(e.Author) + len(e.Facts) + len(e.Kept)
}

// ofPage is what is known of the entries at some places of a timeline, nil where nothing is.
func (s *shown) ofPage(now era, t *plan.Timeline, places []store.Place) []*Entry {
	entries := make([]*Entry, len(places))
	s.mu.Lock()
	defer s.mu.Unlock()
	for i := range places {
		if p := &places[i]; p.Document.Valid {
			entries[i], _ = s.known(now, shownKey{t.Number, p.Doc}, p.Versions).(*Entry)
		}
	}
	return entries
}

// ofRows puts in what is known of the documents of some rows of a list, and returns the places of
// the others.
func (s *shown) ofRows(now era, rows []store.Listed) (unknown []int) {
	s.mu.Lock()
	defer s.mu.Unlock()
	for i := range rows {
		row := &rows[i]
		if known, is := s.known(now, shownKey{doc: row.N}, row.Versions).(store.Document); is {
			row.Document = known
		} else {
			unknown = append(unknown, i)
		}
	}
	return unknown
}

// known is what is known of a document or an entry in some versions, nil if nothing is.
func (s *shown) known(now era, k shownKey, v store.Versions) any {
	if s.era != now {
		s.era, s.young, s.old, s.bytes = now, nil, nil, 0
	}
	r := s.young[k]
	if r == nil {
		if r = s.old[k]; r == nil {
			return nil
		}
		s.keep(k, r)
	}
	if r.Versions != v {
		return nil
	}
	return r.what
}

func (s *shown) learn(now era, k shownKey, r remembered) {
	s.mu.Lock()
	defer s.mu.Unlock()
	if s.era == now {
		s.keep(k, &r)
	}
}

func (s *shown) keep(k shownKey, r *remembered) {
	if s.young == nil || s.bytes > youngBytes {
		s.old, s.young, s.bytes = s.young, map[shownKey]*remembered{}, 0
	}
	s.young[k] = r
	s.bytes += r.size
}

func (r *Reader) eraOf(v *running.Version) era { return era{v.Number, len(v.Builds), r.Outages()} }

// show is what the entries at some places show, nil for those whose documents
// have just been removed. There are fewer than places if they are large: see
// [store.PageBytes].
func (r *Reader) show(ctx context.Context, v *running.Version, t *plan.Timeline, places []store.Place) ([]*Entry,
	error) {
	now := r.eraOf(v)
	entries := r.shown.ofPage(now, t, places)
	var unknown map[int64][]int
	var docs []int64
	for i, p := range places {
		if entries[i] == nil && p.Document.Valid {
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
	found, all, err := r.Store.Shown(ctx, docs)
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
		if err != nil {
			return nil, err
		}
		for _, i := range unknown[row.Doc] {
			entries[i] = &e
		}
		r.shown.learn(now, shownKey{t.Number, row.Doc}, remembered{row.Versions, &e, sizeOf(&e)})
	}
	return entries[:covered], nil
}
