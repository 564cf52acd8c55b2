package queuesql

import (
	"context"
	"strings"
	"time"
	"unicode"
	"unicode/utf8"

	"yalvo/internal/engine/store"
)

// MaxAttempts is how often work is tried before it is parked.
const MaxAttempts = 8

// FailDue notes that work failed: it is tried again after a growing pause and
// parked when it has failed [MaxAttempts] times, or at once if there is no
// hope. firstPause is the pause after a first failure; each further one doubles
// it. It tells whether it was parked.
func FailDue(ctx context.Context, s *store.Store, d Due, cause error, hopeless bool, firstPause time.Duration) (bool,
	error) {
	parked := hopeless || d.Attempts+1 >= MaxAttempts
	err := s.Write(ctx, func(tx *store.Tx) error {
		if !parked {
			return tx.DB.Exec(`
				UPDATE due SET attempts = ?, not_before = clock_timestamp() + ?::interval
				WHERE lane = ? AND change = ? AND seq = ?`,
				d.Attempts+1, store.Interval(firstPause<<d.Attempts), d.Lane, d.Change, d.Seq).Error
		}
		return tx.DB.Exec(`
			WITH old AS (DELETE FROM due WHERE lane = ? AND change = ? AND seq = ? RETURNING *)
			INSERT INTO parked (seq, lane, step, subject, key, doc, rank, amount, cursor, until, change, chunks, rows,
				since, attempts, error)
			SELECT seq, lane, step, subject, key, doc, rank, amount, cursor, until, change, chunks, rows, since,
				?, ? FROM old`,
			d.Lane, d.Change, d.Seq, d.Attempts+1, InWords(cause)).Error
	})
	return parked, err
}

// mostWords is how much of an error's text is kept, in characters.
const mostWords = 500

// InWords is the text of an error as it can be stored and shown: others may have
// put what they like into it.
func InWords(err error) string {
	text := strings.Map(func(r rune) rune {
		if r == utf8.RuneError || unicode.IsControl(r) && r != '\n' {
			return -1
		}
		return r
	}, strings.ToValidUTF8(err.Error(), ""))
	if runes := []rune(text); len(runes) > mostWords {
		return string(runes[:mostWords]) + "…"
	}
	return text
}

// CountAttempt notes that claimed work is about to be tried, before it is: work
// that ends the service with it would be tried again for ever.
func CountAttempt(tx *store.Tx, d Due) error {
	return tx.DB.Exec("UPDATE due SET attempts = attempts + 1 WHERE ctid = ?::tid", d.Row).Error
}

// CountBack takes back that an attempt was counted which was not made.
// Key: due (lane, change, seq).
func CountBack(ctx context.Context, s *store.Store, d Due) error {
	return s.UpkeepDB.WithContext(ctx).Exec(`
		UPDATE due SET attempts = greatest(attempts - 1, 0)
		WHERE lane = ? AND change = ? AND seq = ?`, d.Lane, d.Change, d.Seq).Error
}

// Parked is work that failed too often.
type Parked struct {
	Due
	Parked time.Time
	Error  string
}

// ParkedWork lists parked work, oldest first.
func ParkedWork(ctx context.Context, s *store.Store, limit int) ([]Parked, error) {
	var rows []Parked
	err := s.DB.WithContext(ctx).Raw(`
		SELECT lane, seq, step, subject, key, doc, rank, amount, cursor, until, change, since, attempts, parked, error
		FROM parked ORDER BY parked, seq LIMIT ?`, limit).Scan(&rows).Error
	return rows, err
}

// Retry makes parked work due again, one piece by its number or, of 0, all, and
// returns how much there was. Key: parked (seq).
func Retry(ctx context.Context, s *store.Store, seq int64) (int64, error) {
	got := s.DB.WithContext(ctx).Exec(`
		WITH again AS (DELETE FROM parked WHERE ?::bigint IN (0, seq) RETURNING *)
		INSERT INTO due (lane, step, subject, key, doc, rank, amount, cursor, until, change, chunks, rows, since)
		SELECT lane, step, subject, key, doc, rank, amount, cursor, until, change, chunks, rows, since FROM again`, seq)
	return got.RowsAffected, got.Error
}

// DropParked gives up one piece of parked work, by its number, and tells how
// many that were. Key: parked (seq).
func DropParked(ctx context.Context, s *store.Store, seq int64) (int64, error) {
	got := s.DB.WithContext(ctx).Exec("DELETE FROM parked WHERE seq = ?", seq)
	return got.RowsAffected, got.Error
}
