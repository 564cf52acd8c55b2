// Package storetest is for the tests of the store's rooms: a store on a database of their own, transactions that are
// held open, and rows that no statement of the store would write or read alone. The service does not import it.
package storetest

import (
	"context"
	"testing"
	"time"

	"yalvo/internal/engine/store"
	"yalvo/tests/scratch"
)

// Open is a store on a new database, closed as the test ends.
func Open(t *testing.T) *store.Store {
	t.Helper()
	s, err := store.Open(t.Context(), scratch.Database(t), 10)
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

// Write does something in a transaction of a client.
func Write(t *testing.T, s *store.Store, run func(tx *store.Tx) error) {
	t.Helper()
	if err := s.Write(t.Context(), run); err != nil {
		t.Fatal(err)
	}
}

// Begin starts a transaction that the test ends itself: see [Commit].
func Begin(s *store.Store) *store.Tx { return &store.Tx{DB: s.DB.Begin()} }

// Commit ends it.
func Commit(tx *store.Tx) error { return tx.DB.Commit().Error }

// Exec runs a statement.
func Exec(s *store.Store, sql string) error { return s.DB.Exec(sql).Error }

// Texts are the rows of a query of one column.
func Texts(s *store.Store, sql string, args ...any) (all []string, err error) {
	return all, s.DB.Raw(sql, args...).Scan(&all).Error
}

// Configured is what a setting is on a connection for clients.
func Configured(ctx context.Context, s *store.Store, name string) (string, error) {
	var is string
	err := s.DB.WithContext(ctx).Raw("SELECT current_setting(?)", name).Scan(&is).Error
	return is, err
}

// Pause is how long failed work still has to wait.
func Pause(s *store.Store, lane int, seq int64) (time.Duration, error) {
	var ms float64
	err := s.DB.Raw("SELECT extract(epoch FROM not_before - clock_timestamp()) * 1000 FROM due WHERE lane = ? AND "+
		"seq = ?", lane, seq).Scan(&ms).Error
	return time.Duration(ms * float64(time.Millisecond)), err
}

// Put writes a document as it is given, without anything beside it but its kept values, and returns its number.
func Put(tx *store.Tx, collection int, key, kept string) (int64, error) {
	var n int64
	err := tx.DB.Raw("INSERT INTO documents (collection, key, fields) VALUES (?, ?, '{}') RETURNING n", collection,
		key).Scan(&n).Error
	if err == nil {
		err = tx.DB.Exec(`INSERT INTO kept (doc, "values") VALUES (?, ?::jsonb)`, n, kept).Error
	}
	return n, err
}

// Touch writes a document anew.
func Touch(tx *store.Tx, key string) error {
	return tx.DB.Exec("UPDATE documents SET fields = '{}' WHERE key = ?", key).Error
}

// Hold locks a document as one who removes it does.
func Hold(tx *store.Tx, n int64) error {
	return tx.DB.Exec("SELECT FROM documents WHERE n = ? FOR UPDATE", n).Error
}

// Tie writes a pair and nothing that follows from it.
func Tie(tx *store.Tx, kind, a, b int64) error {
	return tx.DB.Exec("INSERT INTO pairs (kind, a, b) VALUES (?, ?, ?)", kind, a, b).Error
}

// Untie takes it away.
func Untie(tx *store.Tx, kind, a, b int64) error {
	return tx.DB.Exec("DELETE FROM pairs WHERE kind = ? AND a = ? AND b = ?", kind, a, b).Error
}
