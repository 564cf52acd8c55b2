package loadsql

import (
	"context"
	"time"

	"yalvo/internal/engine/store"
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
func AddBrought(ctx context.Context, s *store.Store, report []byte) error {
	return s.Write(ctx, func(tx *store.Tx) error {
		if err := tx.DB.Exec("INSERT INTO brought (report) VALUES (?::jsonb)", string(report)).Error; err != nil {
			return err
		}
		return tx.DB.Exec("DELETE FROM brought WHERE id NOT IN (SELECT id FROM brought ORDER BY id DESC LIMIT ?)",
			broughtKept).Error
	})
}

// ReadBrought are the reports, newest first.
func ReadBrought(ctx context.Context, s *store.Store) ([]Brought, error) {
	var all []Brought
	err := s.DB.WithContext(ctx).Raw("SELECT * FROM brought ORDER BY id DESC").Scan(&all).Error
	return all, err
}
