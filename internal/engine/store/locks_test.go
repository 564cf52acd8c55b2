package store_test

import (
	"errors"
	"testing"

	"yalvo/internal/engine/store"
	"yalvo/internal/engine/store/keptsql"
)

// Who is to wait briefly fails where another holds what it wants, however long that takes;
// whoever else waits gets it.
func TestWhoWaitsBrieflyGivesUp(t *testing.T) {
	s := open(t)
	var n int64
	write(t, s, func(tx *store.Tx) (err error) { n, err = tx.Put(1, "ada", "{}"); return err })
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
