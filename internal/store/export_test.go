package store

import "time"

// Begin, Commit and Scan let tests hold a transaction open and look behind the store.

// Begin starts a transaction that the test ends itself.
func (s *Store) Begin() *Tx { return &Tx{s.db.Begin()} }

// Commit ends it.
func (tx *Tx) Commit() error { return tx.db.Commit().Error }

// Exec runs a statement.
func (s *Store) Exec(sql string) error { return s.db.Exec(sql).Error }

// SecondText sends two texts as an array and returns the second as it arrived.
func (s *Store) SecondText(first, second string) (string, error) {
	var got string
	err := s.db.Raw("SELECT (?::text[])[2]", texts{first, second}).Scan(&got).Error
	return got, err
}

// Pause is how long failed work still has to wait.
func (s *Store) Pause(d Due) (time.Duration, error) {
	var ms float64
	err := s.db.Raw("SELECT extract(epoch FROM not_before - clock_timestamp()) * 1000 FROM due WHERE lane = ? AND seq = ?", d.Lane, d.Seq).Scan(&ms).Error
	return time.Duration(ms * float64(time.Millisecond)), err
}
