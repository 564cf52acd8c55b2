// Package metering counts what is really read and written, for each screen, each read beside them, each action and each
// duplicate.
//
// In go what was read, as it is answered, and what a transaction wrote, when it has committed. Out come counts since a
// service began, and those of all services by the hour, kept for 30 days. What a service has counted in the last
// seconds is lost if it dies. Not done here: what it should have been (package forecast).
package metering

import (
	"cmp"
	"context"
	"maps"
	"slices"
	"sync"
	"time"

	"yalvo/internal/engine/store"
	"yalvo/internal/engine/store/metersql"
)

// Kind is the kind of what is counted.
type Kind string

// The kinds.
const (
	Screen   Kind = "screen"   // looks at a screen, by its name
	Read     Kind = "read"     // reads that belong to no screen, as in "timeline home"
	Live     Kind = "live"     // streams, as in "screen home", and what they read when something has changed
	Action   Kind = "action"   // writes that somebody asked for, as in "create posts", "edit people.name", "set like"
	Along    Kind = "along"    // facts that upkeep and triggers wrote because of others, named alike
	Kept     Kind = "kept"     // rewritten kept values, as in "posts.like_count"
	Timeline Kind = "timeline" // entries of a timeline that were written out, by its name
)

// Of is what is counted.
type Of struct {
	Kind Kind
	Name string
}

// Counts are how often something was done, and what that read or wrote.
type Counts = metersql.Counts

// mostNames is how many names are counted: those of some designs after one another. What has another name then is
// counted under Others of its kind.
const (
	mostNames = 4000
	Others    = "(others)"
)

// How long counts are kept, and how often they are stored.
const (
	Age   = 30 * 24 * time.Hour
	every = 10 * time.Second
)

// Meter counts for a service. A nil one counts nothing: so it is measured what counting costs.
type Meter struct {
	mu     sync.Mutex
	total  map[Of]Counts // since the service began
	fresh  map[Of]Counts // not stored yet
	stored time.Time
}

// New begins to count.
func New() *Meter { return &Meter{total: map[Of]Counts{}, fresh: map[Of]Counts{}, stored: time.Now()} }

// Add counts something.
func (m *Meter) Add(of Of, c Counts) {
	if m == nil {
		return
	}
	m.mu.Lock()
	defer m.mu.Unlock()
	m.add(of, c)
}

func (m *Meter) add(of Of, c Counts) {
	if _, known := m.total[of]; !known && len(m.total) >= mostNames {
		of.Name = Others
	}
	m.total[of] = m.total[of].Plus(c)
	m.fresh[of] = m.fresh[of].Plus(c)
}

// Heard counts what a transaction wrote that has committed.
func (m *Meter) Heard(t *Tally) {
	if m == nil || t == nil || len(t.all) == 0 {
		return
	}
	m.mu.Lock()
	defer m.mu.Unlock()
	for _, one := range t.all {
		m.add(one.of, one.counts)
	}
}

// Total is what has been counted since the service began.
func (m *Meter) Total() map[Of]Counts {
	if m == nil {
		return nil
	}
	m.mu.Lock()
	defer m.mu.Unlock()
	return maps.Clone(m.total)
}

// Keep stores what has been counted since it was stored last, if that was a while ago, and forgets what is old.
func (m *Meter) Keep(ctx context.Context, s *store.Store) error {
	if m == nil {
		return nil
	}
	m.mu.Lock()
	due := time.Since(m.stored) >= every
	m.mu.Unlock()
	if !due {
		return nil
	}
	return m.KeepNow(ctx, s)
}

// KeepNow stores what has been counted since it was stored last.
func (m *Meter) KeepNow(ctx context.Context, s *store.Store) error {
	if m == nil {
		return nil
	}
	m.mu.Lock()
	fresh := m.fresh
	m.fresh, m.stored = map[Of]Counts{}, time.Now()
	m.mu.Unlock()
	if len(fresh) == 0 {
		return nil
	}
	now := time.Now()
	err := s.Upkeep(ctx, func(tx *store.Tx) error {
		if err := metersql.Add(tx, now.Truncate(time.Hour), inOrder(fresh)); err != nil {
			return err
		}
		return metersql.Drop(tx, now.Add(-Age))
	})
	if err != nil { // they are not lost: the next time stores them
		m.mu.Lock()
		defer m.mu.Unlock()
		for of, c := range fresh {
			m.fresh[of] = m.fresh[of].Plus(c)
		}
	}
	return err
}

func inOrder(counts map[Of]Counts) []metersql.Metered {
	all := make([]metersql.Metered, 0, len(counts))
	for of, c := range counts {
		all = append(all, metersql.Metered{Kind: string(of.Kind), Name: of.Name, Counts: c})
	}
	slices.SortFunc(all, func(a, b metersql.Metered) int {
		return cmp.Or(cmp.Compare(a.Kind, b.Kind), cmp.Compare(a.Name, b.Name))
	})
	return all
}

// Between is what all services counted in the hours that began in a span of time, each by itself or all together.
func (m *Meter) Between(ctx context.Context, s *store.Store, from, until time.Time, byHour bool) ([]metersql.Metered,
	error) {
	if err := m.KeepNow(ctx, s); err != nil {
		return nil, err
	}
	return metersql.Between(s.Looking(ctx), from, until, byHour)
}
