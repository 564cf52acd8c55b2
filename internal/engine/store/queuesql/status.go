package queuesql

import (
	"context"
	"time"

	"yalvo/internal/design/plan"
	"yalvo/internal/engine/store"
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

// ReadBehind reads it. It goes over all due work, so it is not for many times a second.
func ReadBehind(ctx context.Context, s *store.Store) (Behind, error) {
	b := Behind{Now: time.Now()}
	var rows []LaneStatus
	db := s.DB.WithContext(ctx)
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
