package store

import (
	"context"
	"time"

	"yalvo/internal/design/plan"
)

// Behind is how far upkeep is behind.
type Behind struct {
	Now          time.Time
	Lanes        []LaneStatus
	Parked       int64
	ParkedUpkeep int64 // of them: work that brings a duplicate in line
}

// LaneStatus is the due work of one lane.
type LaneStatus struct {
	Lane   plan.Lane
	Due    int64
	Oldest time.Time // zero if nothing is due
}

// Ping asks the database whether it answers.
func (s *Store) Ping(ctx context.Context) error { return s.db.WithContext(ctx).Exec("SELECT 1").Error }

// Feel asks the same on a connection of its own, which no other work can hold up.
func (s *Store) Feel(ctx context.Context) error {
	return s.feeling.WithContext(ctx).Exec("SELECT 1").Error
}

// Behind reads it. It goes over all due work, so it is not for many times a second.
func (s *Store) Behind(ctx context.Context) (Behind, error) {
	b := Behind{Now: time.Now()}
	var rows []LaneStatus
	db := s.db.WithContext(ctx)
	if err := db.Raw("SELECT lane, count(*) AS due, min(since) AS oldest FROM due GROUP BY " +
		"lane").Scan(&rows).Error; err != nil {
		return b, err
	}
	for _, lane := range plan.Lanes {
		one := LaneStatus{Lane: lane}
		for _, r := range rows {
			if r.Lane == lane {
				one = r
			}
		}
		b.Lanes = append(b.Lanes, one)
	}
	var parked []struct {
		Lane plan.Lane
		Many int64
	}
	err := db.Raw("SELECT lane, count(*) AS many FROM parked GROUP BY lane").Scan(&parked).Error
	for _, p := range parked {
		if b.Parked += p.Many; p.Lane.Upkeep() {
			b.ParkedUpkeep += p.Many
		}
	}
	return b, err
}

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

// Counts counts. That reads whole indexes, so callers should not ask for it
// many times a second.
func (s *Store) Counts(ctx context.Context) (Counts, error) {
	var c Counts
	db := s.db.WithContext(ctx)
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
