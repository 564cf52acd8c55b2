package store

import (
	"context"
	"time"

	"yalvo/internal/plan"
)

// Status is how far upkeep is behind and how much there is.
type Status struct {
	Now       time.Time
	Lanes     []LaneStatus
	Parked    int64
	Documents []Amount // by collection
	Pairs     []Amount // by kind
	Entries   []Amount // by timeline
}

// LaneStatus is the due work of one lane.
type LaneStatus struct {
	Lane   plan.Lane
	Due    int64
	Oldest time.Time // zero if nothing is due
}

// Amount is how many there are of something that has a number.
type Amount struct {
	What plan.Number
	Many int64
}

// Status looks at the due work exactly and counts the rest. Counting reads
// whole indexes, so callers should not ask for it many times a second.
func (s *Store) Status(ctx context.Context) (Status, error) {
	st, err := s.Behind(ctx)
	if err != nil {
		return st, err
	}
	db := s.db.WithContext(ctx)
	for _, q := range []struct {
		sql  string
		into *[]Amount
	}{
		{"SELECT collection AS what, count(*) AS many FROM documents GROUP BY 1", &st.Documents},
		{"SELECT kind AS what, count(*) AS many FROM pairs GROUP BY 1", &st.Pairs},
		{"SELECT timeline AS what, count(*) AS many FROM entries GROUP BY 1", &st.Entries},
	} {
		if err := db.Raw(q.sql).Scan(q.into).Error; err != nil {
			return st, err
		}
	}
	return st, nil
}

// Behind is the part of the status that is cheap: due and parked work.
// Work that nobody waits for does not count as behind.
func (s *Store) Behind(ctx context.Context) (Status, error) {
	st := Status{Now: time.Now()}
	var rows []struct {
		Lane   plan.Lane
		Due    int64
		Oldest time.Time
	}
	db := s.db.WithContext(ctx)
	if err := db.Raw("SELECT lane, count(*) AS due, min(since) AS oldest FROM due GROUP BY lane").Scan(&rows).Error; err != nil {
		return st, err
	}
	for _, lane := range plan.Lanes {
		one := LaneStatus{Lane: lane}
		for _, r := range rows {
			if r.Lane == lane {
				one.Due, one.Oldest = r.Due, r.Oldest
			}
		}
		st.Lanes = append(st.Lanes, one)
	}
	err := db.Raw("SELECT count(*) FROM parked").Scan(&st.Parked).Error
	return st, err
}
