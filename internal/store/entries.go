package store

import (
	"math"

	"gorm.io/gorm"

	"yalvo/internal/plan"
)

// Post notes that documents entered a kind of timeline, and shows each to its
// own author at once if own is set.
func (tx *Tx) Post(timeline plan.Number, author, rank, doc int64, own bool) error {
	err := tx.db.Exec("INSERT INTO posted (timeline, author, rank, doc) VALUES (?, ?, ?, ?)", timeline, author, rank, doc).Error
	if err != nil || !own {
		return err
	}
	return tx.db.Exec(`
		INSERT INTO entries (timeline, owner, rank, doc, author) VALUES (?, ?, ?, ?, ?)
		ON CONFLICT DO NOTHING`, timeline, author, rank, doc, author).Error
}

// Unpost notes that a document left a kind of timeline.
func (tx *Tx) Unpost(timeline plan.Number, author, rank, doc int64) error {
	return tx.db.Exec("DELETE FROM posted WHERE timeline = ? AND author = ? AND rank = ? AND doc = ?", timeline, author, rank, doc).Error
}

// Spread is an entry on its way into or out of its author's followers'
// timelines: the owners after Cursor and up to Last are this turn's.
type Spread struct {
	Seq      int64
	Change   int64
	Timeline plan.Number
	Pair     plan.Number
	Author   int64
	Doc      int64
	Rank     int64
	Own      bool // the author's own timeline too
	Cursor   int64
	Last     int64
	Done     bool // nobody comes after Last
}

// Bound finds how far each spread may go this turn: width followers.
// Key: pairs (kind, b, a).
func (tx *Tx) Bound(spreads []Spread, width int) error {
	seqs, pairs, authors, cursors := make(bigints, len(spreads)), make(bigints, len(spreads)), make(bigints, len(spreads)), make(bigints, len(spreads))
	for i, s := range spreads {
		seqs[i], pairs[i], authors[i], cursors[i] = int64(i), int64(s.Pair), s.Author, s.Cursor
	}
	var rows []struct {
		I    int
		Last int64
		Many int
	}
	err := tx.db.Raw(`
		SELECT s.i, coalesce(turn.last, 0) AS last, turn.many
		FROM unnest(?::bigint[], ?::smallint[], ?::bigint[], ?::bigint[]) AS s (i, pair, author, cursor)
		CROSS JOIN LATERAL (
			SELECT max(a) AS last, count(*) AS many
			FROM (SELECT a FROM pairs WHERE kind = s.pair AND b = s.author AND a > s.cursor ORDER BY a LIMIT ?) f
		) turn`, seqs, pairs, authors, cursors, width).Scan(&rows).Error
	for _, r := range rows {
		spreads[r.I].Last, spreads[r.I].Done = r.Last, r.Many < width
		if spreads[r.I].Done {
			spreads[r.I].Last = math.MaxInt64
		}
	}
	return err
}

// spreadRows is the FROM item for spreads, for the columns s.
const spreadRows = `unnest(?::smallint[], ?::smallint[], ?::bigint[], ?::bigint[], ?::bigint[], ?::boolean[], ?::bigint[], ?::bigint[])
	AS s (timeline, pair, author, doc, rank, own, cursor, last)`

func spreadArgs(spreads []Spread) []any {
	n := len(spreads)
	timeline, pair, author, doc := make(bigints, n), make(bigints, n), make(bigints, n), make(bigints, n)
	rank, own, cursor, last := make(bigints, n), make(texts, n), make(bigints, n), make(bigints, n)
	for i, s := range spreads {
		timeline[i], pair[i], author[i], doc[i] = int64(s.Timeline), int64(s.Pair), s.Author, s.Doc
		rank[i], cursor[i], last[i], own[i] = s.Rank, s.Cursor, s.Last, "false"
		if s.Own && s.Cursor == 0 {
			own[i] = "true"
		}
	}
	return []any{timeline, pair, author, doc, rank, own, cursor, last}
}

// Deliver writes this turn's entries and returns how many. It inserts plainly,
// at twice the speed, and only after meeting an entry that is there already
// (delivered twice, or brought in by a follow) in the form that bears it.
// Keys: posted, pairs (kind, b, a), entries.
func (tx *Tx) Deliver(spreads []Spread) (int64, error) {
	insert := `
		INSERT INTO entries (timeline, owner, rank, doc, author)
		SELECT s.timeline, p.a, s.rank, s.doc, s.author
		FROM ` + spreadRows + `
		JOIN posted x ON x.timeline = s.timeline AND x.author = s.author AND x.rank = s.rank AND x.doc = s.doc
		JOIN pairs p ON p.kind = s.pair AND p.b = s.author AND p.a > s.cursor AND p.a <= s.last`
	tolerant := `
		INSERT INTO entries (timeline, owner, rank, doc, author)
		SELECT s.timeline, p.a, s.rank, s.doc, s.author
		FROM ` + spreadRows + `
		JOIN posted x ON x.timeline = s.timeline AND x.author = s.author AND x.rank = s.rank AND x.doc = s.doc
		CROSS JOIN LATERAL (
			SELECT a FROM pairs WHERE kind = s.pair AND b = s.author AND a > s.cursor AND a <= s.last
			UNION
			SELECT s.author WHERE s.own
		) p
		ON CONFLICT (timeline, owner, rank, doc) DO UPDATE SET author = excluded.author WHERE entries.author <> excluded.author`
	for _, s := range spreads {
		if s.Own {
			insert = tolerant
		}
	}
	return tx.insertPlainly(insert, tolerant, spreadArgs(spreads)...)
}

// insertPlainly runs the fast statement, and the tolerant one if the fast one
// met a duplicate.
func (tx *Tx) insertPlainly(fast, tolerant string, args ...any) (int64, error) {
	var rows int64
	err := tx.db.Transaction(func(savepoint *gorm.DB) error {
		got := savepoint.Exec(fast, args...)
		rows = got.RowsAffected
		return got.Error
	})
	if !isDuplicate(err) {
		return rows, err
	}
	got := tx.db.Exec(tolerant, args...)
	return got.RowsAffected, got.Error
}

// Withdraw takes this turn's entries out of the timelines, unless the facts
// say by now that they belong there, and returns how many.
// Keys: pairs (kind, b, a), entries, posted.
func (tx *Tx) Withdraw(spreads []Spread) (int64, []Shortened, error) {
	return tx.remove(`
		DELETE FROM entries e
		USING (
			SELECT s.timeline, s.author, s.doc, s.rank, p.a AS owner
			FROM `+spreadRows+`
			JOIN pairs p ON p.kind = s.pair AND p.b = s.author AND p.a > s.cursor AND p.a <= s.last
			UNION ALL
			SELECT s.timeline, s.author, s.doc, s.rank, s.author
			FROM `+spreadRows+`
			WHERE s.own
		) w
		WHERE e.timeline = w.timeline AND e.owner = w.owner AND e.rank = w.rank AND e.doc = w.doc AND e.author = w.author
		  AND NOT EXISTS (
			SELECT 1 FROM posted x
			WHERE x.timeline = w.timeline AND x.author = w.author AND x.rank = w.rank AND x.doc = w.doc)`,
		append(spreadArgs(spreads), spreadArgs(spreads)...)...)
}

// Shortened is a timeline that was cut to its length and lost entries since.
type Shortened struct {
	Timeline plan.Number
	Owner    int64
	Lost     int64
}

// remove runs a DELETE on entries e and returns how many went, and from which
// timelines that had been cut. The cuts are looked up in a statement of their
// own: it sees a cut that was committed while the DELETE ran.
func (tx *Tx) remove(deletion string, args ...any) (int64, []Shortened, error) {
	var lost []Shortened
	err := tx.db.Raw(`
		WITH gone AS (`+deletion+` RETURNING e.timeline, e.owner)
		SELECT timeline, owner, count(*) AS lost FROM gone GROUP BY timeline, owner`, args...).Scan(&lost).Error
	if err != nil || len(lost) == 0 {
		return 0, nil, err
	}
	var total int64
	timelines, owners, counts := make(bigints, len(lost)), make(bigints, len(lost)), make(bigints, len(lost))
	for i, l := range lost {
		total += l.Lost
		timelines[i], owners[i], counts[i] = int64(l.Timeline), l.Owner, l.Lost
	}
	var cut []Shortened
	err = tx.db.Raw(`
		SELECT f.timeline, f.owner, l.lost
		FROM unnest(?::smallint[], ?::bigint[], ?::bigint[]) AS l (timeline, owner, lost)
		JOIN floors f ON f.timeline = l.timeline AND f.owner = l.owner
		ORDER BY f.timeline, f.owner
		FOR UPDATE OF f`, timelines, owners, counts).Scan(&cut).Error
	return total, cut, err
}

// Spend lowers the spare entries of cut timelines, whose floors are locked,
// and returns those that now hold too few.
func (tx *Tx) Spend(cut []Shortened) ([]Shortened, error) {
	if len(cut) == 0 {
		return nil, nil
	}
	timelines, owners, counts := make(bigints, len(cut)), make(bigints, len(cut)), make(bigints, len(cut))
	for i, l := range cut {
		timelines[i], owners[i], counts[i] = int64(l.Timeline), l.Owner, l.Lost
	}
	var short []Shortened
	err := tx.db.Raw(`
		WITH spent AS (
			UPDATE floors f SET spare = f.spare - l.lost
			FROM unnest(?::smallint[], ?::bigint[], ?::bigint[]) AS l (timeline, owner, lost)
			WHERE f.timeline = l.timeline AND f.owner = l.owner
			RETURNING f.timeline, f.owner, f.spare
		)
		SELECT timeline, owner FROM spent WHERE spare < 0`, timelines, owners, counts).Scan(&short).Error
	return short, err
}

// DropTimeline drops up to limit entries of an owner who is gone, and tells how many.
func (tx *Tx) DropTimeline(timeline plan.Number, owner int64, limit int) (int64, error) {
	got := tx.db.Exec(`
		DELETE FROM entries e USING (SELECT rank, doc FROM entries WHERE timeline = ? AND owner = ? LIMIT ?) w
		WHERE e.timeline = ? AND e.owner = ? AND e.rank = w.rank AND e.doc = w.doc`, timeline, owner, limit, timeline, owner)
	if got.Error != nil {
		return 0, got.Error
	}
	return got.RowsAffected, tx.db.Exec("DELETE FROM floors WHERE timeline = ? AND owner = ?", timeline, owner).Error
}
