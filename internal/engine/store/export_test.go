package store

// SecondText sends two texts as an array and returns the second as it arrived.
func (s *Store) SecondText(first, second string) (string, error) {
	var got string
	err := s.DB.Raw("SELECT (?::text[])[2]", Texts{first, second}).Scan(&got).Error
	return got, err
}
