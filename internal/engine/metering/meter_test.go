package metering_test

import (
	"context"
	"errors"
	"fmt"
	"sync"
	"testing"
	"time"

	"yalvo/internal/engine/metering"
	"yalvo/internal/engine/store"
	"yalvo/tests/scratch"
)

func opened(t *testing.T) *store.Store {
	t.Helper()
	s, err := store.Open(t.Context(), scratch.Database(t), 4)
	if err != nil {
		t.Fatal(err)
	}
	t.Cleanup(func() {
		if err := s.Close(); err != nil {
			t.Error(err)
		}
	})
	return s
}

func total(t *testing.T, m *metering.Meter, s *store.Store) map[string]int64 {
	t.Helper()
	now := time.Now()
	all, err := m.Between(t.Context(), s, now.Add(-48*time.Hour), now.Add(time.Hour), false)
	if err != nil {
		t.Fatal(err)
	}
	times := map[string]int64{}
	for _, one := range all {
		times[one.Kind+" "+one.Name] = one.Times
	}
	return times
}

// Two services count side by side; what either counts is in the sums of both, once.
func TestWhatServicesCountIsAddedUp(t *testing.T) {
	s := opened(t)
	one, two := metering.New(), metering.New()
	var group sync.WaitGroup
	for _, m := range []*metering.Meter{one, two} {
		group.Go(func() {
			for i := range 200 {
				m.Add(metering.Of{Kind: metering.Screen, Name: fmt.Sprint("s", i%7)}, metering.Counts{Times: 1,
					Bytes: 10})
				if i%20 == 0 {
					if err := m.KeepNow(context.Background(), s); err != nil {
						t.Error(err)
					}
				}
			}
		})
	}
	group.Wait()
	if err := two.KeepNow(t.Context(), s); err != nil {
		t.Fatal(err)
	}
	sum := int64(0)
	for _, times := range total(t, one, s) {
		sum += times
	}
	if sum != 400 {
		t.Errorf("%d of 400 were counted", sum)
	}
}

// What cannot be stored is not lost, and what a transaction writes counts once that has committed.
func TestNothingThatWasCountedIsLost(t *testing.T) {
	s := opened(t)
	m := metering.New()
	tally := &metering.Tally{}
	tally.Add(metering.Of{Kind: metering.Action, Name: "set like"}, metering.Counts{Times: 1, Pairs: 1})
	tally.Add(metering.Of{Kind: metering.Action, Name: "set like"}, metering.Counts{Times: 1, Pairs: 1})
	var none *metering.Tally
	none.Add(metering.Of{Kind: metering.Action, Name: "set like"}, metering.Counts{Times: 1})
	m.Heard(none)
	if len(m.Total()) != 0 {
		t.Errorf("before it was heard: %v", m.Total())
	}
	m.Heard(tally)
	cut, cancel := context.WithCancel(t.Context())
	cancel()
	if err := m.KeepNow(cut, s); !errors.Is(err, context.Canceled) {
		t.Errorf("cut off: %v", err)
	}
	if got := total(t, m, s); got["action set like"] != 2 {
		t.Errorf("stored: %v", got)
	}
}

// Names are many only if somebody makes them so: then the rest is counted together.
func TestNamesHaveAnEnd(t *testing.T) {
	m := metering.New()
	for i := range 5000 {
		m.Add(metering.Of{Kind: metering.Read, Name: fmt.Sprint("n", i)}, metering.Counts{Times: 1})
	}
	all := m.Total()
	if others := all[metering.Of{Kind: metering.Read, Name: metering.Others}].Times; len(all) > 4001 || others != 1000 {
		t.Errorf("%d names, and %d others", len(all), others)
	}
}
