package queuesql

import (
	"context"
	"slices"
	"strings"
	"time"

	"yalvo/internal/design/plan"
	"yalvo/internal/engine/store"
)

// Whoever claims work holds its rows until the transaction ends, and is told
// which version of the design is in force: reading that holds off everyone who
// would apply another one (see [versionsql.LockDesign]).

const dueColumns = `d.ctid::text AS "row", d.lane, d.seq, d.step, d.subject, d.key, d.doc, d.rank, d.amount, d.cursor,
	d.until,
	d.change, d.since, d.attempts`

const designInForce = `(SELECT max(version) FROM designs) AS design`

const ready = `(d.not_before IS NULL OR d.not_before <= clock_timestamp())`

// claimed are rows with the version in force beside each.
type claimedRow struct {
	Due
	Design int
}

func claim(tx *store.Tx, sql string, args ...any) ([]Due, int, error) {
	var rows []claimedRow
	if err := tx.DB.Raw(sql, args...).Scan(&rows).Error; err != nil || len(rows) == 0 {
		return nil, 0, err
	}
	due := make([]Due, len(rows))
	for i, r := range rows {
		due[i] = r.Due
	}
	return due, rows[0].Design, nil
}

// ClaimDue takes the oldest work of a lane that nobody else has taken. The oldest
// is what follows from the oldest change. Key: due (lane, change, seq).
func ClaimDue(tx *store.Tx, lane plan.Lane, limit int) ([]Due, int, error) {
	return claim(tx, `
		SELECT `+dueColumns+`, `+designInForce+`
		FROM due d
		WHERE d.lane = ? AND `+ready+`
		ORDER BY d.change, d.seq
		LIMIT ?
		FOR UPDATE SKIP LOCKED`, lane, limit)
}

// ClaimAlike takes the oldest work of a lane, and what differs from it in the
// document alone. Key: due (lane, change, seq).
func ClaimAlike(tx *store.Tx, lane plan.Lane, limit int) ([]Due, int, error) {
	first, design, err := ClaimDue(tx, lane, 1)
	if err != nil || len(first) == 0 || first[0].Change == 0 {
		return first, design, err
	}
	f := first[0]
	alike, _, err := claim(tx, `
		SELECT `+dueColumns+`, `+designInForce+`
		FROM due d
		WHERE d.change = ? AND d.lane = ? AND d.seq > ? AND d.step = ? AND d.subject = ? AND d.amount = ? AND `+ready+`
		ORDER BY d.seq
		LIMIT ?
		FOR UPDATE SKIP LOCKED`, f.Change, lane, f.Seq, f.Step, f.Subject, f.Amount, limit-1)
	return append(first, alike...), design, err
}

// ClaimLong takes one fan-out that is on its way. The lane stands in the statement: a plan
// for any lane could not use the index. Index: due_long.
func ClaimLong(tx *store.Tx, lane plan.Lane) ([]Due, int, error) {
	return claim(tx, `
		SELECT `+dueColumns+`, `+designInForce+`
		FROM due d
		WHERE d.lane = `+store.Number(lane)+` AND d.cursor > 0 AND d.step IN (3, 4) AND `+ready+`
		ORDER BY d.seq
		LIMIT 1
		FOR UPDATE SKIP LOCKED`)
}

// TimelineWork is a kind of work on timelines, for [ClaimFairly].
type TimelineWork struct {
	steps []plan.Step
	which string // of the rows of these, in SQL about due d
}

// Among tells whether it is of one of some steps.
func (kind TimelineWork) Among(steps []plan.Step) bool {
	return slices.ContainsFunc(steps, func(s plan.Step) bool { return slices.Contains(kind.steps, s) })
}

// onTimelines are the steps of work on timelines.
var onTimelines = []plan.Step{plan.Deliver, plan.Withdraw, plan.Subscribe, plan.Refill, plan.ChooseDelivery, plan.Clear,
	plan.Fill}

// among is a list of numbers in SQL.
func among[N ~int16](numbers []N) string {
	texts := make([]string, len(numbers))
	for i, n := range numbers {
		texts[i] = store.Number(n)
	}
	return strings.Join(texts, ", ")
}

// delivering is the lane of work on timelines, in SQL.
var delivering = store.Number(plan.Delivering)

// Steps are those of which there is work on timelines, due now or later: one look in the place of
// a claim of each kind. Index: due_by_author (step, ...).
func Steps(tx *store.Tx) ([]plan.Step, error) {
	var steps []plan.Step
	return steps, tx.DB.Raw(`
		SELECT s.step FROM unnest('{` + among(onTimelines) + `}'::smallint[]) AS s (step)
		WHERE EXISTS (SELECT FROM due d WHERE d.lane = ` + delivering + ` AND d.step = s.step)`).Scan(&steps).Error
}

// The kinds. A transaction does work of one kind only: see package upkeep on locks.
var (
	FreshEntries     = TimelineWork{[]plan.Step{plan.Deliver}, "d.cursor = 0"}
	FreshWithdrawals = TimelineWork{[]plan.Step{plan.Withdraw}, "d.cursor = 0"}
	Subscriptions    = TimelineWork{[]plan.Step{plan.Subscribe}, "true"}
	Refills          = TimelineWork{[]plan.Step{plan.Refill}, "(d.amount = 0 OR d.cursor > 0)"}
	Recounts         = TimelineWork{[]plan.Step{plan.Refill}, "d.amount <> 0 AND d.cursor = 0"}
	DeliveryChanges  = TimelineWork{[]plan.Step{plan.ChooseDelivery, plan.Clear, plan.Fill}, "true"}
)

// Turns is where a worker goes on among the authors who have work.
type Turns struct {
	Subject plan.Number
	Key     int64
}

// How many authors a claim looks at, and how many rows of each.
const (
	authorsAtOnce = 32
	rowsOfAuthor  = 64
)

// ClaimFairly takes work on timelines, of each author the same share at most:
// who has much due does not hold up who has little. It goes on after the author
// it took from last, and begins anew after the last one, or if the others are being
// worked on. Index: due_by_author.
func ClaimFairly(tx *store.Tx, kind TimelineWork, turns *Turns, limit int) ([]Due, int, error) {
	due, design, err := claimAfter(tx, kind, *turns, limit)
	if err == nil && len(due) == 0 && *turns != (Turns{}) {
		*turns = Turns{}
		due, design, err = claimAfter(tx, kind, *turns, limit)
	}
	if n := len(due); n > 0 {
		*turns = Turns{due[n-1].Subject, due[n-1].Key}
	}
	return due, design, err
}

func claimAfter(tx *store.Tx, kind TimelineWork, after Turns, limit int) ([]Due, int, error) {
	these := `d.lane = ` + delivering + ` AND d.step IN (` + among(kind.steps) + `)`
	next := `SELECT d.subject, d.key FROM due d WHERE ` + these
	return claim(tx, `
		WITH RECURSIVE author (subject, key) AS (
			(SELECT * FROM (
				(`+next+` AND (d.subject, d.key) > (?::smallint, ?::bigint)
					ORDER BY d.subject, d.key LIMIT 1)
				UNION ALL (`+next+` ORDER BY d.subject, d.key LIMIT 1)) first LIMIT 1)
			UNION ALL
			SELECT n.subject, n.key FROM author a CROSS JOIN LATERAL (
				`+next+` AND (d.subject, d.key) > (a.subject, a.key) ORDER BY d.subject, d.key LIMIT 1) n
		)
		SELECT d.*, `+designInForce+`
		FROM (SELECT subject, key FROM author LIMIT ?) a
		CROSS JOIN LATERAL (
			SELECT `+dueColumns+`
			FROM due d
			WHERE `+these+` AND d.subject = a.subject AND d.key = a.key
				AND `+kind.which+` AND `+ready+`
			ORDER BY d.seq
			LIMIT ?
			FOR UPDATE SKIP LOCKED
		) d
		LIMIT ?`, after.Subject, after.Key, authorsAtOnce, min(rowsOfAuthor, limit), limit)
}

// ClaimOne takes one row of due work, false if it is done or taken.
func ClaimOne(tx *store.Tx, d Due) (Due, bool, int, error) {
	due, design, err := claim(tx, `
		SELECT `+dueColumns+`, `+designInForce+`
		FROM due d WHERE d.lane = ? AND d.change = ? AND d.seq = ?
		FOR UPDATE SKIP LOCKED`, d.Lane, d.Change, d.Seq)
	if err != nil || len(due) == 0 {
		return Due{}, false, 0, err
	}
	return due[0], true, design, nil
}

// SendStep is a step of a trigger that sends.
type SendStep struct {
	Trigger plan.Number
	Nth     int64
}

// Lease takes one piece of work of a lane for some time, but for that of some
// steps: whoever crashes with it leaves it to be done again.
// Key: due (lane, change, seq).
func Lease(tx *store.Tx, lane plan.Lane, hold time.Duration, except ...SendStep) (Due, bool, error) {
	triggers, nths := make(store.Bigints, len(except)), make(store.Bigints, len(except))
	for i, s := range except {
		triggers[i], nths[i] = int64(s.Trigger), s.Nth
	}
	claimed, _, err := claim(tx, `
		SELECT `+dueColumns+`, `+designInForce+`
		FROM due d
		WHERE d.lane = ? AND `+ready+` AND NOT EXISTS (
			SELECT FROM unnest(?::smallint[], ?::bigint[]) AS x (trigger, nth)
			WHERE x.trigger = d.subject AND x.nth = d.amount)
		ORDER BY d.change, d.seq
		LIMIT 1
		FOR UPDATE OF d SKIP LOCKED`, lane, triggers, nths)
	if err != nil || len(claimed) == 0 {
		return Due{}, false, err
	}
	return claimed[0], true, PostponeDue(tx, hold, claimed[0])
}

// FinishLeased deletes leased work that was done, and notes that.
// Key: due (lane, change, seq).
func FinishLeased(ctx context.Context, s *store.Store, d Due) error {
	return s.Write(ctx, func(tx *store.Tx) error {
		mine, there, _, err := ClaimOne(tx, d)
		if err != nil || !there {
			return err
		}
		return FinishDue(tx, []Progress{{Due: mine, Passed: 1}})
	})
}

// Look is what a service finds that looks for work.
type Look struct {
	Lanes   []plan.Lane // those with work whose time has come, taken or not
	Design  int         // the version in force, 0 if there is none
	Steps   int         // that are left of what it or a load asks for
	Session int         // of the database, that was asked in
}

// DesignNow is the version in force, 0 if there is none, and how many steps are left of what it or a load asks for.
// Index: builds_left.
func DesignNow(ctx context.Context, s *store.Store) (version, steps int, err error) {
	var row struct{ Version, Steps int }
	err = s.DB.WithContext(ctx).Raw(`
		SELECT coalesce(max(version), 0) AS version, (SELECT count(*) FROM builds WHERE ended IS NULL) AS steps
		FROM designs`).Scan(&row).Error
	return row.Version, row.Steps, err
}

// LookForWork looks, always in one session. Key: due (lane, ...). Index: builds_left.
func LookForWork(ctx context.Context, s *store.Store) (Look, error) {
	var rows []struct {
		Lane                   plan.Lane
		Design, Steps, Session int
	}
	err := s.LookingDB.WithContext(ctx).Raw(`
		SELECT coalesce(l.lane, 0) AS lane, coalesce(now.version, 0) AS design,
			(SELECT count(*) FROM builds WHERE ended IS NULL) AS steps, pg_backend_pid() AS session
		FROM (SELECT max(version) AS version FROM designs) now
		LEFT JOIN LATERAL (
			SELECT lane FROM generate_series(?::int, ?::int) lane
			WHERE EXISTS (SELECT FROM due d WHERE d.lane = lane.lane AND `+ready+`)
		) l ON true`, plan.Counting, plan.Sending).Scan(&rows).Error
	var look Look
	for _, r := range rows {
		look.Design, look.Steps, look.Session = r.Design, r.Steps, r.Session
		if r.Lane != 0 {
			look.Lanes = append(look.Lanes, r.Lane)
		}
	}
	return look, err
}
