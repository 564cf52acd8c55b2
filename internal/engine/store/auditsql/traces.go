package auditsql

import (
	"context"
	"time"

	"yalvo/internal/design/plan"
	"yalvo/internal/engine/store"
	"yalvo/internal/engine/store/factsql"
	"yalvo/internal/engine/store/keptsql"
)

// Consequences are changes of one kind that followed from another change.
type Consequences struct {
	Kind    plan.Kind
	Subject string // the collection, or the pair's name
	Many    int64
	First   time.Time
	Last    time.Time
	Example string // one of them: its path, or the pair's ends
}

// Caused are the changes that followed from one, by kind and by collection or
// pair. Index: journal_cause.
func Caused(ctx context.Context, s *store.Store, change int64) ([]Consequences, error) {
	var found []Consequences
	err := s.DB.WithContext(ctx).Raw(`
		SELECT kind, what AS subject, count(*) AS many, min(at) AS first, max(at) AS last,
		       min(CASE WHEN position('/' IN subject) > 0 THEN subject ELSE detail END) AS example
		FROM (
			SELECT j.*, CASE WHEN position('/' IN subject) > 0 THEN (string_to_array(subject,
				'/'))[cardinality(string_to_array(subject, '/')) - 1] ELSE subject END AS what
			FROM journal j WHERE cause = ?
		) w
		GROUP BY kind, what
		ORDER BY min(at)`, change).Scan(&found).Error
	return found, err
}

// Change reads one change, false if there is none at that position.
func Change(ctx context.Context, s *store.Store, position int64) (factsql.Record, bool, error) {
	var r factsql.Record
	got := s.DB.WithContext(ctx).Raw("SELECT "+factsql.RecordColumns+" FROM journal WHERE seq = ?", position).Scan(&r)
	return r, got.RowsAffected > 0, got.Error
}

// StoredEntry is an entry as it is stored.
type StoredEntry struct {
	Rank   int64
	Author int64
	Newer  int64 // how many stored entries of the timeline come before it
}

// FindEntry finds a document in an owner's timeline, false if it is not
// stored there. An owner's entries are few, they are all looked at.
func FindEntry(ctx context.Context, s *store.Store, timeline plan.Number, owner, doc int64) (StoredEntry, bool, error) {
	var e StoredEntry
	got := s.DB.WithContext(ctx).Raw(`
		SELECT e.rank, e.author, (
			SELECT count(*) FROM entries n WHERE n.timeline = e.timeline AND n.owner = e.owner
				AND (n.rank, n.doc) > (e.rank, e.doc)) AS newer
		FROM entries e WHERE e.timeline = ? AND e.owner = ? AND e.doc = ?
		LIMIT 1`, timeline, owner, doc).Scan(&e)
	return e, got.RowsAffected > 0, got.Error
}

// Below tells whether a place lies at or below the cut of a timeline.
func Below(ctx context.Context, s *store.Store, timeline plan.Number, owner, rank, doc int64) (bool, error) {
	var below bool
	err := s.DB.WithContext(ctx).Raw("SELECT EXISTS (SELECT 1 FROM cuts WHERE timeline = ? AND owner = ? AND (rank, "+
		"doc) >= (?::bigint, ?::bigint))",
		timeline, owner, rank, doc).Scan(&below).Error
	return below, err
}

// Outstanding is work that is not done yet.
type Outstanding struct {
	Step     plan.Step
	Subject  plan.Number
	Change   int64
	Since    time.Time
	Attempts int
	Parked   bool
	Error    string
}

const outstandingColumns = `step, subject, change, since, attempts`

// OutstandingForEntry is the work that will look at a document in an owner's timeline.
// Keys: due, parked.
func OutstandingForEntry(ctx context.Context, s *store.Store, t *plan.Timeline, owner, author,
	doc int64) ([]Outstanding, error) {
	which := `subject = ? AND (step IN (?, ?) AND doc = ? OR step = ? AND doc = ? AND key = ? OR step IN (?, ?)
		AND doc = ?)`
	args := []any{t.Number, plan.Deliver, plan.Withdraw, doc, plan.Subscribe, owner, author, plan.Refill,
		plan.EndTimeline, owner}
	return outstanding(ctx, s, which, args...)
}

// OutstandingForKept is the work that will look at a kept value: of that document, or
// of what it is copied or chosen from.
func OutstandingForKept(ctx context.Context, s *store.Store, kept plan.Number, doc, from int64) ([]Outstanding, error) {
	return outstanding(ctx, s, `subject = ? AND (doc = ? OR key = ? OR doc = ? AND step = ?)`, kept, doc, doc, from,
		plan.Recopy)
}

func outstanding(ctx context.Context, s *store.Store, which string, args ...any) ([]Outstanding, error) {
	var found []Outstanding
	err := s.DB.WithContext(ctx).Raw(`
		SELECT `+outstandingColumns+`, false AS parked, '' AS error FROM due WHERE `+which+`
		UNION ALL
		SELECT `+outstandingColumns+`, true, error FROM parked WHERE `+which+`
		ORDER BY since LIMIT 20`, append(append([]any{}, args...), args...)...).Scan(&found).Error
	return found, err
}

// PointsAt is where a document's reference points, 0 for nowhere.
func PointsAt(ctx context.Context, s *store.Store, reference plan.Number, source int64) (int64, error) {
	var target int64
	err := s.DB.WithContext(ctx).Raw("SELECT target FROM refs WHERE source = ? AND reference = ?", source,
		reference).Scan(&target).Error
	return target, err
}

// ManyPointing counts the documents that point at one. Index: refs_pointing.
func ManyPointing(ctx context.Context, s *store.Store, reference plan.Number, target int64) (int64, error) {
	return count(ctx, s, "SELECT count(*) FROM refs WHERE reference = ? AND target = ?", reference, target)
}

// ManyTargets counts what a source contributes to. Key: contributions.
func ManyTargets(ctx context.Context, s *store.Store, summary plan.Number, source int64) (int64, error) {
	return count(ctx, s, "SELECT count(*) FROM contributions WHERE summary = ? AND source = ?", summary, source)
}

// ManyContributions counts what contributes to a target. Index: contributions_to.
func ManyContributions(ctx context.Context, s *store.Store, summary plan.Number, target int64) (int64, error) {
	return count(ctx, s, "SELECT count(*) FROM contributions WHERE summary = ? AND target = ?", summary, target)
}

// ManyPairs counts the pairs on one side of a document.
func ManyPairs(ctx context.Context, s *store.Store, kind plan.Number, doc int64, fromSide bool) (int64, error) {
	side := "b"
	if fromSide {
		side = "a"
	}
	return count(ctx, s, "SELECT count(*) FROM pairs WHERE kind = ? AND "+side+" = ? AND "+store.Walked(""), kind, doc)
}

// ManyNested counts the documents under one.
func ManyNested(ctx context.Context, s *store.Store, collection plan.Number, parent int64) (int64, error) {
	return count(ctx, s, "SELECT count(*) FROM documents WHERE parent = ? AND collection = ?", parent, collection)
}

// ManyEntries counts the timelines that hold a post: those of its author's
// followers, and the author's own. Keys: pairs (kind, b, a), entries.
func ManyEntries(ctx context.Context, s *store.Store, t *plan.Timeline, author, rank, doc int64) (int64, error) {
	return count(ctx, s, `
		SELECT count(*) FROM (SELECT a AS owner FROM pairs WHERE kind = ? AND b = ? UNION SELECT ?) o
		JOIN entries e ON e.timeline = ? AND e.owner = o.owner AND e.rank = ? AND e.doc = ?`,
		t.Through.Number, author, author, t.Number, rank, doc)
}

func count(ctx context.Context, s *store.Store, sql string, args ...any) (int64, error) {
	var n int64
	err := s.DB.WithContext(ctx).Raw(sql, args...).Scan(&n).Error
	return n, err
}

// ContributionsTo are the greatest contributions to a target. Index: contributions_to.
func ContributionsTo(ctx context.Context, s *store.Store, summary plan.Number, target int64,
	limit int) ([]keptsql.Chosen, error) {
	var found []keptsql.Chosen
	err := s.DB.WithContext(ctx).Raw(`
		SELECT c.target, c.source, trim_scale(c.value)::text AS value, coalesce(d.key, '') AS key
		FROM contributions c LEFT JOIN documents d ON d.n = c.source
		WHERE c.summary = ? AND c.target = ?
		ORDER BY c.value DESC, c.source DESC LIMIT ?`, summary, target, limit).Scan(&found).Error
	return found, err
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
// Indexes: done_change, parked_change. Key: due (lane, change, seq).
func Trace(ctx context.Context, s *store.Store, change int64) ([]Traced, error) {
	var found []Traced
	err := s.DB.WithContext(ctx).Raw(`
		SELECT step, subject, count(*) AS works, count(*) FILTER (WHERE stage = 'due') AS left,
			count(*) FILTER (WHERE stage = 'parked') AS parked,
		       sum(chunks) AS chunks, sum(rows) AS rows, sum(attempts) AS attempts, min(since) AS since,
			max(done) AS done, coalesce(max(error), '') AS error
		FROM (
			SELECT step, subject, chunks, rows, attempts, since, done, NULL AS error, 'done' AS stage FROM done
				WHERE change = ?
			UNION ALL
			SELECT step, subject, chunks, rows, attempts, since, NULL, NULL, 'due' FROM due WHERE lane BETWEEN 1 AND 7
				AND change = ?
			UNION ALL
			SELECT step, subject, chunks, rows, attempts, since, NULL, error, 'parked' FROM parked WHERE change = ?
		) w
		GROUP BY step, subject
		ORDER BY min(since), step, subject`, change, change, change).Scan(&found).Error
	return found, err
}

// DropDone forgets what became of work that followed from old changes, a bit
// at a time. Index: done_change.
func DropDone(tx *store.Tx, keep int64, limit int) error {
	return tx.DB.Exec(`
		DELETE FROM done WHERE ctid = ANY (ARRAY(
			SELECT ctid FROM done WHERE change < (SELECT coalesce(max(seq), 0) FROM journal) - ? ORDER BY change
				LIMIT ?))`, keep, limit).Error
}
