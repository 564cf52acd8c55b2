package store_test

import (
	"errors"
	"sync"
	"testing"

	"yalvo/internal/engine/store/storetest"

	"yalvo/internal/engine/store"
	"yalvo/internal/engine/store/keptsql"
)

// Who is to wait briefly fails where another holds what it wants, however long that takes;
// whoever else waits gets it.
func TestWhoWaitsBrieflyGivesUp(t *testing.T) {
	s := storetest.Open(t)
	var n int64
	storetest.Write(t, s, func(tx *store.Tx) (err error) { n, err = storetest.Put(tx, 1, "ada", "{}"); return err })
	want := func(briefly bool) error {
		return s.Upkeep(t.Context(), func(tx *store.Tx) error {
			if briefly {
				if err := tx.WaitBriefly(); err != nil {
					return err
				}
			}
			return keptsql.LockKept(tx, []int64{n})
		})
	}
	patient := make(chan error, 1)
	err := s.Write(t.Context(), func(tx *store.Tx) error {
		if err := keptsql.LockKept(tx, []int64{n}); err != nil {
			return err
		}
		go func() { patient <- want(false) }()
		return want(true)
	})
	if err == nil {
		t.Error("it was given what another holds")
	}
	if err := errors.Join(<-patient, want(true)); err != nil {
		t.Errorf("when nobody holds it: %v", err)
	}
}

func TestATransactionThatLosesADeadlockIsRunAgain(t *testing.T) {
	s := storetest.Open(t)
	lock := func(tx *store.Tx, keys ...int64) error {
		for _, k := range keys {
			if err := tx.Lock(k); err != nil {
				return err
			}
		}
		return nil
	}
	var bothHold sync.WaitGroup
	bothHold.Add(2)
	runs := make(chan int, 2)
	for _, keys := range [][]int64{{1, 2}, {2, 1}} {
		go func() {
			n := 0
			err := s.Write(t.Context(), func(tx *store.Tx) error {
				n++
				if err := lock(tx, keys[0]); err != nil {
					return err
				}
				if n == 1 { // both hold their first lock before either asks for the second
					bothHold.Done()
					bothHold.Wait()
				}
				return lock(tx, keys[1])
			})
			if err != nil {
				t.Error(err)
			}
			runs <- n
		}()
	}
	if total := <-runs + <-runs; total != 3 {
		t.Errorf("%d runs in all, want 3: one of the two once more", total)
	}
}
