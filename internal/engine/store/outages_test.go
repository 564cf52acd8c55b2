package store_test

import (
	"net"
	"net/url"
	"testing"
	"time"

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

// A server that takes a connection and says nothing, as one does whose process is stopped, is away before whoever
// waits for it has to be answered.
func TestAServerThatSaysNothingIsAway(t *testing.T) {
	t.Parallel()
	silent, err := net.Listen("tcp", "127.0.0.1:0")
	if err != nil {
		t.Fatal(err)
	}
	defer silent.Close()
	began := time.Now()
	s, err := store.Open(t.Context(), "postgres://me@"+silent.Addr().String()+"/app?sslmode=disable", 2)
	if err == nil {
		s.Close()
	}
	if took := time.Since(began); err == nil || !store.IsAway(err) || took > 4*time.Second {
		t.Errorf("after %v: away %v: %v", took, store.IsAway(err), err)
	}
}
