package auditsql

import (
	"context"

	"yalvo/internal/design/plan"
	"yalvo/internal/engine/store"
)

// Counts is how much there is.
type Counts struct {
	Documents []Amount // by collection
	Pairs     []Amount // by kind
	Entries   []Amount // by timeline
}

// Amount is how many there are of something that has a number.
type Amount struct {
	What plan.Number
	Many int64
}

// ReadCounts counts. That reads whole indexes, so callers should not ask for it
// many times a second.
func ReadCounts(ctx context.Context, s *store.Store) (Counts, error) {
	var c Counts
	db := s.DB.WithContext(ctx)
	for _, q := range []struct {
		sql  string
		into *[]Amount
	}{
		{"SELECT collection AS what, count(*) AS many FROM documents GROUP BY 1", &c.Documents},
		{"SELECT kind AS what, count(*) AS many FROM pairs GROUP BY 1", &c.Pairs},
		{"SELECT timeline AS what, count(*) AS many FROM entries GROUP BY 1", &c.Entries},
	} {
		if err := db.Raw(q.sql).Scan(q.into).Error; err != nil {
			return c, err
		}
	}
	return c, nil
}
