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
	Until    int64 // where a long step ends, if it was split among workers
	Change   int64 // 0: nobody waits for it
	Since    time.Time
	Attempts int
	Rows     int64 // what this turn went over; not read from the database
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
// the transaction ends, but for that of some subjects. Key: due (lane, seq).
func (tx *Tx) ClaimDue(lane plan.Lane, limit int, except ...plan.Number) ([]Due, error) {
	not := make(bigints, len(except))
	for i, subject := range except {
		not[i] = int64(subject)
	}
	return tx.claim("subject <> ALL(?::smallint[])", lane, limit, not)
}

// ClaimShort is ClaimDue without fan-outs that are on their way.
func (tx *Tx) ClaimShort(lane plan.Lane, limit int) ([]Due, error) {
	return tx.claim("(cursor = 0 OR step NOT IN (?, ?))", lane, limit, plan.Deliver, plan.Withdraw)
}

// ClaimLong is ClaimDue for one fan-out that is on its way.
func (tx *Tx) ClaimLong(lane plan.Lane) ([]Due, error) {
	return tx.claim("cursor > 0 AND step IN (?, ?)", lane, 1, plan.Deliver, plan.Withdraw)
}

func (tx *Tx) claim(which string, lane plan.Lane, limit int, args ...any) ([]Due, error) {
	var claimed []Due
	err := tx.db.Raw(`
		SELECT lane, seq, step, subject, key, doc, rank, amount, cursor, until, coalesce(change, 0) AS change, since, attempts
		FROM due
		WHERE lane = ? AND (not_before IS NULL OR not_before <= clock_timestamp()) AND `+which+`
		ORDER BY seq
		LIMIT ?
		FOR UPDATE SKIP LOCKED`, append(append([]any{lane}, args...), limit)...).Scan(&claimed).Error
	return claimed, err
}

// LanesDue are the lanes that have work whose time has come, taken or not.
// Key: due (lane, seq).
func (s *Store) LanesDue(ctx context.Context) ([]plan.Lane, error) {
	var lanes []plan.Lane
	err := s.db.WithContext(ctx).Raw(`
		SELECT lane FROM generate_series(?::int, ?::int) lane
		WHERE EXISTS (SELECT FROM due WHERE due.lane = lane.lane AND (not_before IS NULL OR not_before <= clock_timestamp()))`,
		plan.Counting, plan.Sending).Scan(&lanes).Error
	return lanes, err
}

// ClaimOne takes one row of due work, false if it is done or taken.
func (tx *Tx) ClaimOne(lane plan.Lane, seq int64) (Due, bool, error) {
	var d Due
	got := tx.db.Raw(`
		SELECT lane, seq, step, subject, key, doc, rank, amount, cursor, until, coalesce(change, 0) AS change, since, attempts
		FROM due WHERE lane = ? AND seq = ?
		FOR UPDATE SKIP LOCKED`, lane, seq).Scan(&d)
	return d, got.RowsAffected > 0, got.Error
}

// Progress is how far a turn has brought a row of due work.
type Progress struct {
	Seq    int64
	Cursor int64 // where to go on, for work that is not finished
	Rows   int64 // what the turn went over: entries, copies, documents
}

func progressArgs(progress []Progress) (seqs, cursors, rows bigints) {
	for _, p := range progress {
		seqs, cursors, rows = append(seqs, p.Seq), append(cursors, p.Cursor), append(rows, p.Rows)
	}
	return seqs, cursors, rows
}

// FinishDue deletes work in the transaction that did it, and notes what became
// of it if it followed from a change.
func (tx *Tx) FinishDue(lane plan.Lane, finished []Progress) error {
	if len(finished) == 0 {
		return nil
	}
	seqs, _, rows := progressArgs(finished)
	return tx.db.Exec(`
		WITH gone AS (
			DELETE FROM due d USING unnest(?::bigint[], ?::bigint[]) AS f (seq, rows)
			WHERE d.lane = ? AND d.seq = f.seq
			RETURNING d.change, d.step, d.subject, d.chunks + 1 AS chunks, d.rows + f.rows AS rows, d.attempts, d.since
		)
		INSERT INTO done (change, step, subject, chunks, rows, attempts, since)
		SELECT change, step, subject, chunks, rows, attempts, since FROM gone WHERE change IS NOT NULL`, seqs, rows, lane).Error
}

// ContinueDue records how far long steps have come and sends them to the end
// of their lane, so that short ones are not starved.
func (tx *Tx) ContinueDue(lane plan.Lane, reached []Progress) error {
	if len(reached) == 0 {
		return nil
	}
	seqs, cursors, rows := progressArgs(reached)
	return tx.db.Exec(`
		WITH old AS (
			DELETE FROM due d USING unnest(?::bigint[], ?::bigint[], ?::bigint[]) AS now (seq, cursor, rows)
			WHERE d.lane = ? AND d.seq = now.seq
			RETURNING d.lane, d.step, d.subject, d.key, d.doc, d.rank, d.amount, now.cursor, d.until, d.change, d.chunks + 1 AS chunks, d.rows + now.rows AS rows, d.since
		)
		INSERT INTO due (lane, step, subject, key, doc, rank, amount, cursor, until, change, chunks, rows, since)
		SELECT lane, step, subject, key, doc, rank, amount, cursor, until, change, chunks, rows, since FROM old`, seqs, cursors, rows, lane).Error
}

// SplitDue has another worker do the part of a long step that lies after a
// place.
func (tx *Tx) SplitDue(lane plan.Lane, seq, after int64) error {
	return tx.db.Exec(`
		WITH whole AS (SELECT * FROM due WHERE lane = ? AND seq = ?),
		first AS (UPDATE due SET until = ? WHERE lane = ? AND seq = ?)
		INSERT INTO due (lane, step, subject, key, doc, rank, amount, cursor, until, change, since)
		SELECT lane, step, subject, key, doc, rank, amount, ?, until, change, since FROM whole`, lane, seq, after, lane, seq, after).Error
}

// PostponeDue leaves work for later without counting it as a failure.
func (tx *Tx) PostponeDue(lane plan.Lane, seq int64, pause time.Duration) error {
	return tx.db.Exec("UPDATE due SET not_before = clock_timestamp() + ?::interval WHERE lane = ? AND seq = ?",
		interval(pause), lane, seq).Error
}

// IsDue tells whether work of some steps is due for a document. It reads the
// whole lane.
func (tx *Tx) IsDue(lane plan.Lane, doc int64, steps ...plan.Step) (bool, error) {
	some := make(bigints, len(steps))
	for i, s := range steps {
		some[i] = int64(s)
	}
	var is bool
	err := tx.db.Raw("SELECT EXISTS (SELECT 1 FROM due WHERE lane = ? AND doc = ? AND step = ANY(?::smallint[]))", lane, doc, some).Scan(&is).Error
	return is, err
}

// MaxAttempts is how often work is tried before it is parked.
const MaxAttempts = 8

// FailDue notes that work failed: it is tried again after a growing pause and
// parked when it has failed [MaxAttempts] times, or at once if there is no
// hope. firstPause is the pause after a first failure; each further one doubles
// it. It tells whether it was parked.
func (s *Store) FailDue(ctx context.Context, d Due, cause error, hopeless bool, firstPause time.Duration) (bool, error) {
	parked := hopeless || d.Attempts+1 >= MaxAttempts
	err := s.Write(ctx, func(tx *Tx) error {
		if !parked {
			return tx.db.Exec(`
				UPDATE due SET attempts = attempts + 1, not_before = clock_timestamp() + ?::interval
				WHERE lane = ? AND seq = ?`, interval(firstPause<<d.Attempts), d.Lane, d.Seq).Error
		}
		return tx.db.Exec(`
			WITH old AS (DELETE FROM due WHERE lane = ? AND seq = ? RETURNING *)
			INSERT INTO parked (seq, lane, step, subject, key, doc, rank, amount, cursor, until, change, chunks, rows, since, attempts, error)
			SELECT seq, lane, step, subject, key, doc, rank, amount, cursor, until, change, chunks, rows, since, attempts + 1, ? FROM old`,
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
		SELECT lane, seq, step, subject, key, doc, rank, amount, cursor, until, coalesce(change, 0) AS change, since, attempts, parked, error
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

// Traced is work of one kind that a change has caused.
type Traced struct {
	Step     plan.Step
	Subject  plan.Number
	Works    int64 // rows of due work
	Left     int64 // of them not done yet
	Parked   int64
	Chunks   int64
	Rows     int64
	Attempts int64 // beyond the first of each
	Since    time.Time
	Done     *time.Time
	Error    string
}

// Trace is the work that a change has caused, done or not, by step and subject.
// Indexes: done_change, due_change, parked_change.
func (s *Store) Trace(ctx context.Context, change int64) ([]Traced, error) {
	var found []Traced
	err := s.db.WithContext(ctx).Raw(`
		SELECT step, subject, count(*) AS works, count(*) FILTER (WHERE stage = 'due') AS left, count(*) FILTER (WHERE stage = 'parked') AS parked,
		       sum(chunks) AS chunks, sum(rows) AS rows, sum(attempts) AS attempts, min(since) AS since, max(done) AS done, coalesce(max(error), '') AS error
		FROM (
			SELECT step, subject, chunks, rows, attempts, since, done, NULL AS error, 'done' AS stage FROM done WHERE change = ?
			UNION ALL
			SELECT step, subject, chunks, rows, attempts, since, NULL, NULL, 'due' FROM due WHERE change = ?
			UNION ALL
			SELECT step, subject, chunks, rows, attempts, since, NULL, error, 'parked' FROM parked WHERE change = ?
		) w
		GROUP BY step, subject
		ORDER BY min(since), step, subject`, change, change, change).Scan(&found).Error
	return found, err
}

// DropDone forgets what became of work that followed from old changes, a bit
// at a time. Index: done_change.
func (tx *Tx) DropDone(keep int64, limit int) error {
	return tx.db.Exec(`
		DELETE FROM done WHERE ctid = ANY (ARRAY(
			SELECT ctid FROM done WHERE change < (SELECT coalesce(max(seq), 0) FROM journal) - ? ORDER BY change LIMIT ?))`, keep, limit).Error
}
