package store

import (
	"context"
	"fmt"
	"time"

	"yalvo/internal/plan"
)

// Due is a row of due work.
type Due struct {
	Lane plan.Lane
	Seq  int64
	plan.Work
	Cursor   int64
	Change   int64 // 0: nobody waits for it
	Since    time.Time
	Attempts int
}

// AppendDue adds due work that follows from a change; change 0 means that no
// reader waits for it.
func (tx *Tx) AppendDue(change int64, work []plan.Work) error {
	if len(work) == 0 {
		return nil
	}
	return tx.db.Exec(`
		INSERT INTO due (change, lane, step, subject, key, doc, rank, amount)
		SELECT nullif(?::bigint, 0), new.* FROM `+workRows, append([]any{change}, workArgs(work)...)...).Error
}

const workRows = `unnest(?::smallint[], ?::smallint[], ?::smallint[], ?::bigint[], ?::bigint[], ?::bigint[], ?::bigint[]) AS new`

func workArgs(work []plan.Work) []any {
	n := len(work)
	lane, step, subject := make(bigints, n), make(bigints, n), make(bigints, n)
	key, doc, rank, amount := make(bigints, n), make(bigints, n), make(bigints, n), make(bigints, n)
	for i, w := range work {
		lane[i], step[i], subject[i] = int64(w.Step.Lane()), int64(w.Step), int64(w.Subject)
		key[i], doc[i], rank[i], amount[i] = w.Key, w.Doc, w.Rank, w.Amount
	}
	return []any{lane, step, subject, key, doc, rank, amount}
}

// ClaimDue takes the oldest work of a lane that nobody else has taken, until
// the transaction ends. Key: due (lane, seq).
func (tx *Tx) ClaimDue(lane plan.Lane, limit int) ([]Due, error) {
	var claimed []Due
	err := tx.db.Raw(`
		SELECT lane, seq, step, subject, key, doc, rank, amount, cursor, coalesce(change, 0) AS change, since, attempts
		FROM due
		WHERE lane = ? AND (not_before IS NULL OR not_before <= clock_timestamp())
		ORDER BY seq
		LIMIT ?
		FOR UPDATE SKIP LOCKED`, lane, limit).Scan(&claimed).Error
	return claimed, err
}

// ClaimOne takes one row of due work, false if it is done or taken.
func (tx *Tx) ClaimOne(lane plan.Lane, seq int64) (Due, bool, error) {
	var d Due
	got := tx.db.Raw(`
		SELECT lane, seq, step, subject, key, doc, rank, amount, cursor, coalesce(change, 0) AS change, since, attempts
		FROM due WHERE lane = ? AND seq = ?
		FOR UPDATE SKIP LOCKED`, lane, seq).Scan(&d)
	return d, got.RowsAffected > 0, got.Error
}

// FinishDue deletes work in the transaction that did it.
func (tx *Tx) FinishDue(lane plan.Lane, seqs []int64) error {
	if len(seqs) == 0 {
		return nil
	}
	return tx.db.Exec("DELETE FROM due WHERE lane = ? AND seq = ANY(?::bigint[])", lane, bigints(seqs)).Error
}

// ContinueDue records how far long steps have come and sends them to the end
// of their lane, so that short ones are not starved.
func (tx *Tx) ContinueDue(lane plan.Lane, cursors map[int64]int64) error {
	if len(cursors) == 0 {
		return nil
	}
	seqs, reached := make(bigints, 0, len(cursors)), make(bigints, 0, len(cursors))
	for seq, cursor := range cursors {
		seqs, reached = append(seqs, seq), append(reached, cursor)
	}
	return tx.db.Exec(`
		WITH old AS (
			DELETE FROM due d USING unnest(?::bigint[], ?::bigint[]) AS now (seq, cursor)
			WHERE d.lane = ? AND d.seq = now.seq
			RETURNING d.lane, d.step, d.subject, d.key, d.doc, d.rank, d.amount, now.cursor, d.change, d.since
		)
		INSERT INTO due (lane, step, subject, key, doc, rank, amount, cursor, change, since)
		SELECT lane, step, subject, key, doc, rank, amount, cursor, change, since FROM old`, seqs, reached, lane).Error
}

// PostponeDue leaves work for later without counting it as a failure.
func (tx *Tx) PostponeDue(lane plan.Lane, seq int64, pause time.Duration) error {
	return tx.db.Exec("UPDATE due SET not_before = clock_timestamp() + ?::interval WHERE lane = ? AND seq = ?",
		interval(pause), lane, seq).Error
}

// MaxAttempts is how often work is tried before it is parked.
const MaxAttempts = 8

// firstPause is the pause after a first failure; each further one doubles it.
const firstPause = 100 * time.Millisecond

// FailDue notes that work failed: it is tried again after a growing pause and
// parked when it has failed [MaxAttempts] times. It tells whether it was parked.
func (s *Store) FailDue(ctx context.Context, d Due, cause error) (bool, error) {
	parked := d.Attempts+1 >= MaxAttempts
	err := s.Write(ctx, func(tx *Tx) error {
		if !parked {
			return tx.db.Exec(`
				UPDATE due SET attempts = attempts + 1, not_before = clock_timestamp() + ?::interval
				WHERE lane = ? AND seq = ?`, interval(firstPause<<d.Attempts), d.Lane, d.Seq).Error
		}
		return tx.db.Exec(`
			WITH old AS (DELETE FROM due WHERE lane = ? AND seq = ? RETURNING *)
			INSERT INTO parked (seq, lane, step, subject, key, doc, rank, amount, cursor, change, since, attempts, error)
			SELECT seq, lane, step, subject, key, doc, rank, amount, cursor, change, since, attempts + 1, ? FROM old`,
			d.Lane, d.Seq, cause.Error()).Error
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
		SELECT lane, seq, step, subject, key, doc, rank, amount, cursor, coalesce(change, 0) AS change, since, attempts, parked, error
		FROM parked ORDER BY parked, seq LIMIT ?`, limit).Scan(&rows).Error
	return rows, err
}

// Retry makes parked work due again and returns how much there was.
func (s *Store) Retry(ctx context.Context) (int64, error) {
	got := s.db.WithContext(ctx).Exec(`
		WITH again AS (DELETE FROM parked RETURNING *)
		INSERT INTO due (lane, step, subject, key, doc, rank, amount, cursor, change, since)
		SELECT lane, step, subject, key, doc, rank, amount, cursor, change, since FROM again`)
	return got.RowsAffected, got.Error
}

// Unsettled tells whether work is due that follows from one of the changes,
// and whether some of it is parked. Indexes: due (change), parked (change).
func (s *Store) Unsettled(ctx context.Context, changes []int64) (due, parked bool, err error) {
	return s.unsettled(ctx, "change = ANY(?::bigint[])", bigints(changes))
}

// UnsettledUpTo is the same for every change up to a position.
func (s *Store) UnsettledUpTo(ctx context.Context, change int64) (due, parked bool, err error) {
	return s.unsettled(ctx, "change <= ?", change)
}

func (s *Store) unsettled(ctx context.Context, which string, arg any) (bool, bool, error) {
	var got struct{ Due, Parked bool }
	err := s.db.WithContext(ctx).Raw(`
		SELECT EXISTS (SELECT 1 FROM due WHERE `+which+`) AS due,
		       EXISTS (SELECT 1 FROM parked WHERE `+which+`) AS parked`, arg, arg).Scan(&got).Error
	return got.Due, got.Parked, err
}
