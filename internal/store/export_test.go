package store

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
