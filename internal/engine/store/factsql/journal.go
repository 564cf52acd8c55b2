package factsql

import (
	"context"
	"time"

	"yalvo/internal/design/plan"
	"yalvo/internal/engine/store"
	"yalvo/internal/engine/store/queuesql"
)

// Record is an entry of the journal: one committed change of facts.
type Record struct {
	Seq     int64
	At      time.Time
	Kind    plan.Kind
	Subject string // a document's path, or a pair's name
	Detail  string // the fields changed, or the pair's ends
	Actor   string
	Cause   int64 // the change this one follows from, 0 if a client asked for it
}

// Root is the client's change at the root of one: it, or the one it follows from.
func (r Record) Root() int64 {
	if r.Cause != 0 {
		return r.Cause
	}
	return r.Seq
}

// Journal appends records and returns their positions, in the same order, and
// the version of the design that is in force as it does.
func Journal(tx *store.Tx, records ...Record) (positions []int64, design int, err error) {
	var rows []struct {
		Seq    int64
		Design int
	}
	err = tx.DB.Raw(insertRecords+`
		RETURNING seq, (SELECT max(version) FROM designs) AS design`, recordArgs(records)...).Scan(&rows).Error
	for _, r := range rows {
		positions, design = append(positions, r.Seq), r.Design
	}
	return positions, design, err
}

// JournalDue appends one record and the due work that follows from it, in one
// statement.
func JournalDue(tx *store.Tx, record Record, work []plan.Work) (position int64, design int, err error) {
	var row struct {
		Seq    int64
		Design int
	}
	tx.Got(work)
	args := append(recordArgs([]Record{record}), queuesql.WorkArgs(work)...)
	err = tx.DB.Raw(`
		WITH recorded AS (`+insertRecords+` RETURNING seq), followed AS (
			INSERT INTO due (lane, step, subject, key, doc, rank, amount, change)
			SELECT new.*, recorded.seq FROM `+queuesql.WorkRows+` AS new, recorded
		)
		SELECT seq, (SELECT max(version) FROM designs) AS design FROM recorded`, args...).Scan(&row).Error
	return row.Seq, row.Design, err
}

const insertRecords = `
	INSERT INTO journal (kind, subject, detail, actor, cause)
	SELECT kind, subject, detail, actor, nullif(cause, 0)
	FROM unnest(?::text[], ?::text[], ?::text[], ?::text[], ?::bigint[]) WITH ORDINALITY
	     AS new (kind, subject, detail, actor, cause, place)
	ORDER BY place`

func recordArgs(records []Record) []any {
	n := len(records)
	kinds, subjects, details, actors, causes := make(store.Texts, n), make(store.Texts, n), make(store.Texts, n),
		make(store.Texts, n),
		make(store.Bigints, n)
	for i, r := range records {
		kinds[i], subjects[i], details[i], actors[i], causes[i] = string(r.Kind), r.Subject, r.Detail, r.Actor, r.Cause
	}
	return []any{kinds, subjects, details, actors, causes}
}

// about is the expression of the index journal_about.
const about = `hashtextextended(CASE WHEN position('/' IN subject) > 0 THEN subject ELSE detail END, 0)`

// About are the newest changes of a document, newest first. Index: journal_about.
func About(tx *store.Tx, path string, limit int) ([]Record, error) {
	return recordsAbout(tx, "subject = ?", path, limit, path)
}

// AboutPair are the newest changes of a pair, by its kind's name and its ends, newest first. Index: journal_about.
func AboutPair(tx *store.Tx, name string, ends EndPaths, limit int) ([]Record, error) {
	return recordsAbout(tx, "detail = ? AND subject = ?", ends.String(), limit, ends.String(), name)
}

func recordsAbout(tx *store.Tx, which, what string, limit int, args ...any) ([]Record, error) {
	var records []Record
	err := tx.DB.Raw(`
		SELECT `+RecordColumns+`
		FROM journal WHERE `+about+` = hashtextextended(?, 0) AND `+which+`
		ORDER BY seq DESC LIMIT ?`, append(append([]any{what}, args...), limit)...).Scan(&records).Error
	return records, err
}

// RecordColumns are the columns that a [Record] is read from.
const RecordColumns = `seq, at, kind, subject, detail, actor, coalesce(cause, 0) AS cause`

// Recent are the newest changes, newest first. Key: journal (seq).
func Recent(ctx context.Context, s *store.Store, limit int) ([]Record, error) {
	var records []Record
	err := s.DB.WithContext(ctx).Raw(`
		SELECT `+RecordColumns+`
		FROM journal ORDER BY seq DESC LIMIT ?`, limit).Scan(&records).Error
	return records, err
}

// LastPosition is the same within a transaction.
func LastPosition(tx *store.Tx) (int64, error) {
	var seq int64
	err := tx.DB.Raw("SELECT coalesce(max(seq), 0) FROM journal").Scan(&seq).Error
	return seq, err
}

// JournalNow is a place for [JournalAfter] from where all that commits from now on is
// read, and little else.
func JournalNow(ctx context.Context, s *store.Store) (xid int64, err error) {
	err = s.DB.WithContext(ctx).Raw("SELECT pg_snapshot_xmin(pg_current_snapshot())::text::bigint").Scan(&xid).Error
	return xid, err
}

// JournalAfter reads on from a place in the journal without missing changes
// that commit late under lower numbers: it orders by transaction and stops
// before the oldest one still running (xmin of the current snapshot).
// A place is a transaction and a seq within it; start with zeros.
func JournalAfter(ctx context.Context, s *store.Store, xid, seq int64, limit int) ([]Record, int64, int64, error) {
	var rows []struct {
		Record
		Xid int64
	}
	err := s.DB.WithContext(ctx).Raw(`
		SELECT `+RecordColumns+`, xid
		FROM journal
		WHERE xid >= ? AND (xid, seq) > (?::bigint, ?::bigint)
			AND xid < pg_snapshot_xmin(pg_current_snapshot())::text::bigint
		ORDER BY xid, seq
		LIMIT ?`, xid, xid, seq, limit).Scan(&rows).Error
	records := make([]Record, len(rows))
	for i, r := range rows {
		records[i], xid, seq = r.Record, r.Xid, r.Seq
	}
	return records, xid, seq, err
}
