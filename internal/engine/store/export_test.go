package store

import (
	"context"
	"time"
)

// Begin, Commit and Scan let tests hold a transaction open and look behind the store.

// Begin starts a transaction that the test ends itself.
func (s *Store) Begin() *Tx { return &Tx{DB: s.DB.Begin()} }

// Commit ends it.
func (tx *Tx) Commit() error { return tx.DB.Commit().Error }

// Exec runs a statement.
func (s *Store) Exec(sql string) error { return s.DB.Exec(sql).Error }

// SecondText sends two texts as an array and returns the second as it arrived.
func (s *Store) SecondText(first, second string) (string, error) {
	var got string
	err := s.DB.Raw("SELECT (?::text[])[2]", Texts{first, second}).Scan(&got).Error
	return got, err
}

// Pause is how long failed work still has to wait.
func (s *Store) Pause(lane int, seq int64) (time.Duration, error) {
	var ms float64
	err := s.DB.Raw("SELECT extract(epoch FROM not_before - clock_timestamp()) * 1000 FROM due WHERE lane = ? AND "+
		"seq = ?", lane, seq).Scan(&ms).Error
	return time.Duration(ms * float64(time.Millisecond)), err
}

// Put writes a document as it is given, without anything beside it but its kept
// values, and returns its number.
func (tx *Tx) Put(collection int, key, kept string) (int64, error) {
	var n int64
	err := tx.DB.Raw("INSERT INTO documents (collection, key, fields) VALUES (?, ?, '{}') RETURNING n", collection,
		key).Scan(&n).Error
	if err == nil {
		err = tx.DB.Exec(`INSERT INTO kept (doc, "values") VALUES (?, ?::jsonb)`, n, kept).Error
	}
	return n, err
}

// Tie writes a pair and nothing that follows from it.
func (tx *Tx) Tie(kind, a, b int64) error {
	return tx.DB.Exec("INSERT INTO pairs (kind, a, b) VALUES (?, ?, ?)", kind, a, b).Error
}

// Untie takes it away.
func (tx *Tx) Untie(kind, a, b int64) error {
	return tx.DB.Exec("DELETE FROM pairs WHERE kind = ? AND a = ? AND b = ?", kind, a, b).Error
}

// Texts are the rows of a query of one column.
func (s *Store) Texts(sql string) (all []string, err error) {
	return all, s.DB.Raw(sql).Scan(&all).Error
}

// Hold locks a document as one who removes it does.
func (tx *Tx) Hold(n int64) error {
	return tx.DB.Exec("SELECT FROM documents WHERE n = ? FOR UPDATE", n).Error
}

// Touch writes a document anew.
func (tx *Tx) Touch(key string) error {
	return tx.DB.Exec("UPDATE documents SET fields = '{}' WHERE key = ?", key).Error
}

// Configured is what a setting is on a connection for clients.
func (s *Store) Configured(ctx context.Context, name string) (string, error) {
	var is string
	err := s.DB.WithContext(ctx).Raw("SELECT current_setting(?)", name).Scan(&is).Error
	return is, err
}
