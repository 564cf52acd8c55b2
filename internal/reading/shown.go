package reading

import (
	"context"
	"sync"

	"github.com/jackc/pgx/v5/pgtype"

	"yalvo/internal/plan"
	"yalvo/internal/running"
	"yalvo/internal/store"
)

// shown remembers what entries show. A post stands in many timelines, and is
// read out of the database once for all of them: a page asks for the versions of
// its documents' rows, and only for those documents that it does not know in
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
	timeline plan.Number
	doc      int64
}

// remembered is an entry with the versions of the rows it was made from.
type remembered struct {
	document, kept pgtype.Uint32
	entry          *Entry
}

// youngBytes is how much is remembered before the older half is forgotten.
const youngBytes = 64 << 20

// sizeOf is about what an entry takes in memory.
func sizeOf(e *Entry) int {
	const around = 300 // the structures and their keys
	return around + len(e.ID) + len(e.Path) + len(e.Author) + len(e.Facts) + len(e.Kept)
}

// of is what an entry at a place shows, nil if that is not known.
func (s *shown) of(now era, t plan.Number, p store.Place) *Entry {
	s.mu.Lock()
	defer s.mu.Unlock()
	if s.era != now {
		s.era, s.young, s.old, s.bytes = now, nil, nil, 0
	}
	k := shownKey{t, p.Doc}
	r := s.young[k]
	if r == nil {
		if r = s.old[k]; r == nil {
			return nil
		}
		s.keep(k, r)
	}
	if r.document != p.Document || r.kept != p.Kept {
		return nil
	}
	return r.entry
}

func (s *shown) learn(now era, t plan.Number, p store.Place, e *Entry) {
	s.mu.Lock()
	defer s.mu.Unlock()
	if s.era == now {
		s.keep(shownKey{t, p.Doc}, &remembered{p.Document, p.Kept, e})
	}
}

func (s *shown) keep(k shownKey, r *remembered) {
	if s.young == nil || s.bytes > youngBytes {
		s.old, s.young, s.bytes = s.young, map[shownKey]*remembered{}, 0
	}
	s.young[k] = r
	s.bytes += sizeOf(r.entry)
}

// show is what the entries at some places show, nil for those whose documents
// have just been removed. There are fewer than places if they are large: see
// [store.PageBytes].
func (r *Reader) show(ctx context.Context, v *running.Version, t *plan.Timeline, places []store.Place) ([]*Entry,
	error) {
	now := era{v.Number, len(v.Builds), r.Outages()}
	entries := make([]*Entry, len(places))
	unknown := map[int64][]int{}
	var docs []int64
	for i, p := range places {
		if !p.Document.Valid {
			continue
		}
		if entries[i] = r.shown.of(now, t.Number, p); entries[i] == nil {
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
		r.shown.learn(now, t.Number, row.Place, &e)
	}
	return entries[:covered], nil
}
