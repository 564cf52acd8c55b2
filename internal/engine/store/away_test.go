package store_test

import (
	"net/url"
	"testing"

	"github.com/jackc/pgx/v5"

	"yalvo/internal/engine/store"
	"yalvo/tests/scratch"
)

// A database that takes no more connections is away for who wanted one: nobody is told
// to look at its disk.
func TestNoMoreConnectionsIsAwayAndNotFull(t *testing.T) {
	address, err := url.Parse(scratch.Database(t))
	if err != nil {
		t.Fatal(err)
	}
	owner, err := pgx.Connect(t.Context(), address.String())
	if err != nil {
		t.Fatal(err)
	}
	defer owner.Close(t.Context())
	if _, err := owner.Exec(t.Context(), "CREATE ROLE latecomer LOGIN PASSWORD 'late' CONNECTION LIMIT 0"); err != nil {
		t.Fatal(err)
	}
	address.User = url.UserPassword("latecomer", "late")
	_, err = pgx.Connect(t.Context(), address.String())
	if err == nil || !store.IsAway(err) || store.IsFull(err) {
		t.Errorf("away %v, full %v: %v", store.IsAway(err), store.IsFull(err), err)
	}
	if _, err := owner.Exec(t.Context(), "DROP ROLE latecomer"); err != nil {
		t.Error(err)
	}
}
