package store

import (
	"context"
	"time"
)

// Brought is a report on an app that was brought along.
type Brought struct {
	ID     int64
	At     time.Time
	Report []byte // JSON
}

// broughtKept is how many reports are remembered.
const broughtKept = 10

// AddBrought remembers a report.
func (s *Store) AddBrought(ctx context.Context, report []byte) error {
	return s.Write(ctx, func(tx *Tx) error {
		if err := tx.db.Exec("INSERT INTO brought (report) VALUES (?::jsonb)", string(report)).Error; err != nil {
			return err
		}
		return tx.db.Exec("DELETE FROM brought WHERE id NOT IN (SELECT id FROM brought ORDER BY id DESC LIMIT ?)",
			broughtKept).Error
	})
}

// Brought are the reports, newest first.
func (s *Store) Brought(ctx context.Context) ([]Brought, error) {
	var all []Brought
	err := s.db.WithContext(ctx).Raw("SELECT * FROM brought ORDER BY id DESC").Scan(&all).Error
	return all, err
}
