package queuesql

import (
	"context"
	"math"
	"time"

	"yalvo/internal/design/plan"
	"yalvo/internal/engine/store"
)

// Due is a row of due work.
type Due struct {
	Row  string // where it lies, for as long as it is claimed
	Lane plan.Lane
	Seq  int64
	plan.Work
	Cursor   int64
	Until    int64 // where a long step ends, if it was split among workers
	Change   int64 // 0: nobody waits for it; below 0: it follows from no change of facts, and is waited for
	Since    time.Time
	Attempts int
	Rows     int64 // what this turn went over; not read from the database
}

// Whole tells whether the work goes to its end: it was not split, or this is
// the last part.
func (d Due) Whole() bool { return d.Until == math.MaxInt64 }

// AppendDue adds due work that follows from a change; change 0 means that no
// reader waits for it.
func AppendDue(tx *store.Tx, change int64, work []plan.Work) error {
	follows := make([]Follow, len(work))
	for i, w := range work {
		follows[i] = Follow{change, w}
	}
	return AppendFollows(tx, follows)
}

// Follow is due work with the change that it follows from.
type Follow struct {
	Change int64
	plan.Work
}

// AppendFollows is [AppendDue] for work that follows from many changes.
func AppendFollows(tx *store.Tx, follows []Follow) error {
	if len(follows) == 0 {
		return nil
	}
	work, changes := make([]plan.Work, len(follows)), make(store.Bigints, len(follows))
	for i, f := range follows {
		work[i], changes[i] = f.Work, f.Change
	}
	tx.Got(work)
	return tx.DB.Exec(`
		INSERT INTO due (change, lane, step, subject, key, doc, rank, amount)
		SELECT * FROM unnest(?::bigint[], ?::smallint[], ?::smallint[], ?::smallint[], ?::bigint[], ?::bigint[],
			?::bigint[], ?::bigint[])`, append([]any{changes}, WorkArgs(work)...)...).Error
}

// WorkRows are rows of work that is to become due, from [WorkArgs].
const WorkRows = `unnest(?::smallint[], ?::smallint[], ?::smallint[], ?::bigint[], ?::bigint[], ?::bigint[],
	?::bigint[])`

// WorkArgs are the columns of work as arrays.
func WorkArgs(work []plan.Work) []any {
	n := len(work)
	lane, step, subject := make(store.Bigints, n), make(store.Bigints, n), make(store.Bigints, n)
	key, doc, rank, amount := make(store.Bigints, n), make(store.Bigints, n), make(store.Bigints, n),
		make(store.Bigints, n)
	for i, w := range work {
		lane[i], step[i], subject[i] = int64(w.Step.Lane()), int64(w.Step), int64(w.Subject)
		key[i], doc[i], rank[i], amount[i] = w.Key, w.Doc, w.Rank, w.Amount
	}
	return []any{lane, step, subject, key, doc, rank, amount}
}

// Progress is how far a turn has brought a row of due work.
type Progress struct {
	Due          // the row
	Next   int64 // where to go on, for work that is not finished
	Passed int64 // what the turn went over: entries, copies, documents
}

func progressArgs(progress []Progress) (rows store.Texts, next, until, passed store.Bigints) {
	for _, p := range progress {
		rows, next = append(rows, p.Row), append(next, p.Next)
		until, passed = append(until, p.Until), append(passed, p.Passed)
	}
	return rows, next, until, passed
}

// FinishDue deletes claimed work in the transaction that did it, and notes what
// became of it if it followed from a change. Rows are found where they lie: they
// are locked since they were claimed.
func FinishDue(tx *store.Tx, finished []Progress) error {
	if len(finished) == 0 {
		return nil
	}
	rows, _, _, passed := progressArgs(finished)
	return tx.DB.Exec(`
		WITH gone AS (
			DELETE FROM due WHERE ctid = ANY(?::tid[])
			RETURNING ctid AS spot, change, step, subject, chunks, rows, attempts, since
		)
		INSERT INTO done (change, step, subject, chunks, rows, attempts, since)
		SELECT g.change, g.step, g.subject, g.chunks + 1, g.rows + f.rows, g.attempts, g.since
		FROM gone g JOIN unnest(?::tid[], ?::bigint[]) AS f (spot, rows) USING (spot)
		WHERE g.change > 0`, rows, rows, passed).Error
}

// DeleteDue is [FinishDue] for work of which the journal says enough: what is
// no longer due is done.
func DeleteDue(tx *store.Tx, finished []Progress) error {
	if len(finished) == 0 {
		return nil
	}
	rows, _, _, _ := progressArgs(finished)
	return tx.DB.Exec("DELETE FROM due WHERE ctid = ANY(?::tid[])", rows).Error
}

// ContinueDue records how far long steps have come and sends them to the end
// of their lane, so that short ones are not starved.
func ContinueDue(tx *store.Tx, reached []Progress) error {
	if len(reached) == 0 {
		return nil
	}
	rows, next, until, passed := progressArgs(reached)
	return tx.DB.Exec(`
		WITH old AS (DELETE FROM due d WHERE d.ctid = ANY(?::tid[]) RETURNING d.ctid AS spot, d.*)
		INSERT INTO due (lane, step, subject, key, doc, rank, amount, cursor, until, change, chunks, rows, since)
		SELECT o.lane, o.step, o.subject, o.key, o.doc, o.rank, o.amount, now.cursor, now.until, o.change,
			o.chunks + 1, o.rows + now.rows, o.since
		FROM old o JOIN unnest(?::tid[], ?::bigint[], ?::bigint[], ?::bigint[]) AS now (spot, cursor, until, rows)
			USING (spot)`,
		rows, rows, next, until, passed).Error
}

// SplitDue has another worker do the part of a claimed long step that lies
// between a place and its end. The rest goes on with a nearer end.
func SplitDue(tx *store.Tx, d Due, after int64) error {
	return tx.DB.Exec(`
		INSERT INTO due (lane, step, subject, key, doc, rank, amount, cursor, until, change, since)
		SELECT lane, step, subject, key, doc, rank, amount, ?, ?, change, since FROM due WHERE ctid = ?::tid`, after,
		d.Until, d.Row).Error
}

// PostponeDue leaves claimed work for later without counting it as a failure.
func PostponeDue(tx *store.Tx, pause time.Duration, due ...Due) error {
	rows := make(store.Texts, len(due))
	for i, d := range due {
		rows[i] = d.Row
	}
	return tx.DB.Exec("UPDATE due SET not_before = clock_timestamp() + ?::interval WHERE ctid = ANY(?::tid[])",
		store.Interval(pause), rows).Error
}

// IsDue tells whether work of some steps is due for a document that follows from
// a change. Key: due (lane, change, seq).
func IsDue(tx *store.Tx, lane plan.Lane, change, doc int64, steps ...plan.Step) (bool, error) {
	some := make(store.Bigints, len(steps))
	for i, s := range steps {
		some[i] = int64(s)
	}
	var is bool
	err := tx.DB.Raw(`
		SELECT EXISTS (SELECT 1 FROM due WHERE change = ? AND lane = ? AND doc = ? AND step = ANY(?::smallint[]))`,
		change, lane, doc, some).Scan(&is).Error
	return is, err
}

// VacuumDue clears away what is left of work that was done. The queue is small
// and changes all the time: who claims work would pass over thousands of dead
// rows before PostgreSQL thinks of it by itself. It leaves a table alone that
// another service is at.
func VacuumDue(ctx context.Context, s *store.Store) error {
	return s.UpkeepDB.WithContext(ctx).Exec("VACUUM (SKIP_LOCKED, TRUNCATE false) due").Error
}
