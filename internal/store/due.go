package store

import (
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
	tx.got(work)
	return tx.db.Exec(`
		INSERT INTO due (change, lane, step, subject, key, doc, rank, amount)
		SELECT nullif(?::bigint, 0), new.* FROM `+workRows+` AS new`, append([]any{change}, workArgs(work)...)...).Error
}

const workRows = `unnest(?::smallint[], ?::smallint[], ?::smallint[], ?::bigint[], ?::bigint[], ?::bigint[], ?::bigint[])`

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

// IsDue tells whether work of some steps is due for a document that follows from
// a change. Index: due_change (change, lane, seq).
func (tx *Tx) IsDue(lane plan.Lane, change, doc int64, steps ...plan.Step) (bool, error) {
	some := make(bigints, len(steps))
	for i, s := range steps {
		some[i] = int64(s)
	}
	var is bool
	err := tx.db.Raw(`
		SELECT EXISTS (SELECT 1 FROM due WHERE change = ? AND lane = ? AND doc = ? AND step = ANY(?::smallint[]))`, change, lane, doc, some).Scan(&is).Error
	return is, err
}
