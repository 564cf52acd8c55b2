package store

import (
	"context"
	"fmt"
	"time"
)

// MaxAttempts is how often work is tried before it is parked.
const MaxAttempts = 8

// FailDue notes that work failed: it is tried again after a growing pause and
// parked when it has failed [MaxAttempts] times, or at once if there is no
// hope. firstPause is the pause after a first failure; each further one doubles
// it. It tells whether it was parked.
func (s *Store) FailDue(ctx context.Context, d Due, cause error, hopeless bool, firstPause time.Duration) (bool,
	error) {
	parked := hopeless || d.Attempts+1 >= MaxAttempts
	err := s.Write(ctx, func(tx *Tx) error {
		if !parked {
			return tx.db.Exec(`
				UPDATE due SET attempts = attempts + 1, not_before = clock_timestamp() + ?::interval
				WHERE lane = ? AND change = ? AND seq = ?`, interval(firstPause<<d.Attempts), d.Lane, d.Change,
				d.Seq).Error
		}
		return tx.db.Exec(`
			WITH old AS (DELETE FROM due WHERE lane = ? AND change = ? AND seq = ? RETURNING *)
			INSERT INTO parked (seq, lane, step, subject, key, doc, rank, amount, cursor, until, change, chunks, rows,
				since, attempts, error)
			SELECT seq, lane, step, subject, key, doc, rank, amount, cursor, until, change, chunks, rows, since,
				attempts + 1, ? FROM old`,
			d.Lane, d.Change, d.Seq, cause.Error()).Error
	})
	return parked, err
}

func interval(d time.Duration) string { return fmt.Sprintf("%d microseconds", d.Microseconds()) }

// Parked is work that failed too often.
type Parked struct {
	Due
	Parked time.Time
	Error  string
}

// ParkedWork lists parked work, oldest first.
func (s *Store) ParkedWork(ctx context.Context, limit int) ([]Parked, error) {
	var rows []Parked
	err := s.db.WithContext(ctx).Raw(`
		SELECT lane, seq, step, subject, key, doc, rank, amount, cursor, until, change, since, attempts, parked, error
		FROM parked ORDER BY parked, seq LIMIT ?`, limit).Scan(&rows).Error
	return rows, err
}

// Retry makes parked work due again, one piece by its number or, of 0, all, and
// returns how much there was. Key: parked (seq).
func (s *Store) Retry(ctx context.Context, seq int64) (int64, error) {
	got := s.db.WithContext(ctx).Exec(`
		WITH again AS (DELETE FROM parked WHERE ?::bigint IN (0, seq) RETURNING *)
		INSERT INTO due (lane, step, subject, key, doc, rank, amount, cursor, until, change, chunks, rows, since)
		SELECT lane, step, subject, key, doc, rank, amount, cursor, until, change, chunks, rows, since FROM again`, seq)
	return got.RowsAffected, got.Error
}

// DropParked gives up one piece of parked work, by its number, and tells how
// many that were. Key: parked (seq).
func (s *Store) DropParked(ctx context.Context, seq int64) (int64, error) {
	got := s.db.WithContext(ctx).Exec("DELETE FROM parked WHERE seq = ?", seq)
	return got.RowsAffected, got.Error
}
