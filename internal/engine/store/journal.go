package store

import (
	"context"
	"time"

	"yalvo/internal/design/plan"
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
func (tx *Tx) Journal(records ...Record) (positions []int64, design int, err error) {
	var rows []struct {
		Seq    int64
		Design int
	}
	err = tx.db.Raw(insertRecords+`
		RETURNING seq, (SELECT max(version) FROM designs) AS design`, recordArgs(records)...).Scan(&rows).Error
	for _, r := range rows {
		positions, design = append(positions, r.Seq), r.Design
	}
	return positions, design, err
}

// JournalDue appends one record and the due work that follows from it, in one
// statement.
func (tx *Tx) JournalDue(record Record, work []plan.Work) (position int64, design int, err error) {
	var row struct {
		Seq    int64
		Design int
	}
	tx.got(work)
	args := append(recordArgs([]Record{record}), workArgs(work)...)
	err = tx.db.Raw(`
		WITH recorded AS (`+insertRecords+` RETURNING seq), followed AS (
			INSERT INTO due (lane, step, subject, key, doc, rank, amount, change)
			SELECT new.*, recorded.seq FROM `+workRows+` AS new, recorded
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
	kinds, subjects, details, actors, causes := make(texts, n), make(texts, n), make(texts, n), make(texts, n),
		make(bigints, n)
	for i, r := range records {
		kinds[i], subjects[i], details[i], actors[i], causes[i] = string(r.Kind), r.Subject, r.Detail, r.Actor, r.Cause
	}
	return []any{kinds, subjects, details, actors, causes}
}

// about is the expression of the index journal_about.
const about = `hashtextextended(CASE WHEN position('/' IN subject) > 0 THEN subject ELSE detail END, 0)`

// About are the newest changes of a document, newest first. Index: journal_about.
func (tx *Tx) About(path string, limit int) ([]Record, error) {
	return tx.about("subject = ?", path, limit, path)
}

// AboutPair are the newest changes of a pair, by its kind's name and its ends, newest first. Index: journal_about.
func (tx *Tx) AboutPair(name string, ends EndPaths, limit int) ([]Record, error) {
	return tx.about("detail = ? AND subject = ?", ends.String(), limit, ends.String(), name)
}

// About is [Tx.About] outside of a transaction.
func (s *Store) About(ctx context.Context, path string, limit int) ([]Record, error) {
	return s.Looking(ctx).About(path, limit)
}

// AboutPair is [Tx.AboutPair] outside of a transaction.
func (s *Store) AboutPair(ctx context.Context, name string, ends EndPaths, limit int) ([]Record, error) {
	return s.Looking(ctx).AboutPair(name, ends, limit)
}

func (tx *Tx) about(which, what string, limit int, args ...any) ([]Record, error) {
	var records []Record
	err := tx.db.Raw(`
		SELECT `+recordColumns+`
		FROM journal WHERE `+about+` = hashtextextended(?, 0) AND `+which+`
		ORDER BY seq DESC LIMIT ?`, append(append([]any{what}, args...), limit)...).Scan(&records).Error
	return records, err
}

const recordColumns = `seq, at, kind, subject, detail, actor, coalesce(cause, 0) AS cause`

// Recent are the newest changes, newest first. Key: journal (seq).
func (s *Store) Recent(ctx context.Context, limit int) ([]Record, error) {
	var records []Record
	err := s.db.WithContext(ctx).Raw(`
		SELECT `+recordColumns+`
		FROM journal ORDER BY seq DESC LIMIT ?`, limit).Scan(&records).Error
	return records, err
}

// LastPosition is the highest position given out so far, 0 if none.
func (s *Store) LastPosition(ctx context.Context) (int64, error) {
	return s.Looking(ctx).LastPosition()
}

// LastPosition is the same within a transaction.
func (tx *Tx) LastPosition() (int64, error) {
	var seq int64
	err := tx.db.Raw("SELECT coalesce(max(seq), 0) FROM journal").Scan(&seq).Error
	return seq, err
}

// JournalNow is a place for [Store.JournalAfter] from where all that commits from now on is
// read, and little else.
func (s *Store) JournalNow(ctx context.Context) (xid int64, err error) {
	err = s.db.WithContext(ctx).Raw("SELECT pg_snapshot_xmin(pg_current_snapshot())::text::bigint").Scan(&xid).Error
	return xid, err
}

// JournalAfter reads on from a place in the journal without missing changes
// that commit late under lower numbers: it orders by transaction and stops
// before the oldest one still running (xmin of the current snapshot).
// A place is a transaction and a seq within it; start with zeros.
func (s *Store) JournalAfter(ctx context.Context, xid, seq int64, limit int) ([]Record, int64, int64, error) {
	var rows []struct {
		Record
		Xid int64
	}
	err := s.db.WithContext(ctx).Raw(`
		SELECT `+recordColumns+`, xid
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
