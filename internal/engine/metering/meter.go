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
	all    map[Of]*counted
	stored time.Time
}

// counted is what has been counted of one thing since the service began, and how much of that is stored.
type counted struct{ total, stored Counts }

// New begins to count.
func New() *Meter { return &Meter{all: map[Of]*counted{}, stored: time.Now()} }

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
	m.of(of).total.Add(c)
}

func (m *Meter) of(of Of) *counted {
	one := m.all[of]
	if one == nil && len(m.all) >= mostNames {
		of.Name = Others
		one = m.all[of]
	}
	if one == nil {
		one = &counted{}
		m.all[of] = one
	}
	return one
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
	all := make(map[Of]Counts, len(m.all))
	for of, one := range m.all {
		all[of] = one.total
	}
	return all
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
	fresh := map[Of]Counts{}
	for of, one := range m.all {
		if one.total != one.stored {
			fresh[of] = one.total.Minus(one.stored)
			one.stored = one.total
		}
	}
	m.stored = time.Now()
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
			one := m.of(of)
			one.stored = one.stored.Minus(c)
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
