package timelinesql

import (
	"fmt"
	"slices"
	"strconv"
	"strings"

	"yalvo/internal/design/plan"
	"yalvo/internal/engine/store"
	"yalvo/internal/engine/store/queuesql"
	"yalvo/internal/engine/store/rulesql"

	"gorm.io/gorm"
)

// FanOut is an entry on its way into or out of its author's followers'
// timelines: the owners after Cursor and up to Last are this turn's.
type FanOut struct {
	Due      queuesql.Due // its Cursor is where this turn begins, its Until where it ends if others do the rest
	Timeline plan.Number
	Pair     plan.Number
	Author   int64
	Doc      int64
	Rank     int64
	Own      bool // the author's own timeline too
	Last     int64
	Many     int  // how many followers those are
	Done     bool // nobody comes after Last who is this one's
}

// Bound finds how far each spread may go this turn: width followers.
// Key: pairs (kind, b, a).
func Bound(tx *store.Tx, fanOuts []FanOut, width int) error {
	n := len(fanOuts)
	seqs, pairs, authors, cursors, untils := make(store.Bigints, n), make(store.Bigints, n), make(store.Bigints, n),
		make(store.Bigints, n),
		make(store.Bigints, n)
	for i, s := range fanOuts {
		seqs[i], pairs[i], authors[i], cursors[i], untils[i] = int64(i), int64(s.Pair), s.Author, s.Due.Cursor,
			s.Due.Until
	}
	var rows []struct {
		I    int
		Last int64
		Many int
	}
	err := tx.DB.Raw(`
		SELECT s.i, coalesce(nth.a, s.until) AS last, CASE WHEN nth.a IS NOT NULL THEN ? ELSE (
			SELECT count(*) FROM pairs WHERE kind = s.pair AND b = s.author AND a > s.cursor
				AND a <= s.until) END AS many
		FROM unnest(?::bigint[], ?::smallint[], ?::bigint[], ?::bigint[], ?::bigint[]) AS s (i, pair, author, cursor,
			until)
		LEFT JOIN LATERAL (
			SELECT a FROM pairs WHERE kind = s.pair AND b = s.author AND a > s.cursor AND a <= s.until
				ORDER BY a OFFSET ? LIMIT 1
		) nth ON true`, width, seqs, pairs, authors, cursors, untils, width-1).Scan(&rows).Error
	for _, r := range rows {
		fanOuts[r.I].Last, fanOuts[r.I].Many, fanOuts[r.I].Done = r.Last, r.Many, r.Many < width
	}
	return err
}

// LastFollower is the greatest row number among an author's followers, 0 if
// there are none. Key: pairs (kind, b, a).
func LastFollower(tx *store.Tx, pair plan.Number, author int64) (int64, error) {
	var last int64
	err := tx.DB.Raw("SELECT coalesce(max(a), 0) FROM pairs WHERE kind = ? AND b = ?", pair, author).Scan(&last).Error
	return last, err
}

// fanOutRows is the FROM item for fanOuts, for the columns s.
const fanOutRows = `unnest(?::smallint[], ?::smallint[], ?::bigint[], ?::bigint[], ?::bigint[], ?::boolean[],
	?::bigint[], ?::bigint[])
	AS s (timeline, pair, author, doc, rank, own, cursor, last)`

func fanOutArgs(fanOuts []FanOut) []any {
	n := len(fanOuts)
	timeline, pair := make(store.Bigints, n), make(store.Bigints, n)
	author, doc, rank, own := make(store.Bigints, n), make(store.Bigints, n), make(store.Bigints, n), make(store.Texts,
		n)
	cursor, last := make(store.Bigints, n), make(store.Bigints, n)
	for i, s := range fanOuts {
		timeline[i], pair[i] = int64(s.Timeline), int64(s.Pair)
		author[i], doc[i], rank[i], own[i] = s.Author, s.Doc, s.Rank, strconv.FormatBool(s.Own && s.Due.Cursor == 0)
		cursor[i], last[i] = s.Due.Cursor, s.Last
	}
	return []any{timeline, pair, author, doc, rank, own, cursor, last}
}

// excludedOwners are the owners who are kept from an author by a pair of theirs, within
// one author's chunk: PostgreSQL hashes them once.
// Keys: pairs (kind, b, a), pairs_from (kind, a, ...).
func excludedOwners(exclusions []plan.Exclusion, s FanOut) store.Statement {
	var parts []string
	var args []any
	for _, exclusion := range exclusions {
		parts = append(parts, "SELECT a FROM pairs WHERE kind = ? AND b = ? AND a > ? AND a <= ?")
		args = append(args, exclusion.Number, s.Author, s.Due.Cursor, s.Last)
		if exclusion.EitherWay {
			parts = append(parts,
				"SELECT b FROM pairs WHERE kind = ? AND a = ? AND b > ? AND b <= ? AND "+store.Walked(""))
			args = append(args, exclusion.Number, s.Author, s.Due.Cursor, s.Last)
		}
	}
	return store.SQL(strings.Join(parts, " UNION ALL "), args...)
}

// deliverOne is the plain statement for one entry on its way: like a bare
// INSERT ... SELECT, but for the question whether it is posted still, which is
// asked once, and for those who are kept from its author.
func deliverOne(t *plan.Timeline, s FanOut) store.Statement {
	sql := `
		INSERT INTO entries (timeline, owner, rank, doc, author)
		SELECT ?::smallint, p.a, ?::bigint, ?::bigint, ?::bigint
		FROM pairs p
		WHERE p.kind = ? AND p.b = ? AND p.a > ? AND p.a <= ?` + store.AndTied(t, "p") + `
		  AND EXISTS (SELECT 1 FROM posted WHERE timeline = ? AND author = ? AND rank = ? AND doc = ?)`
	args := []any{s.Timeline, s.Rank, s.Doc, s.Author, s.Pair, s.Author, s.Due.Cursor, s.Last, s.Timeline, s.Author,
		s.Rank, s.Doc}
	if len(t.Exclusions) > 0 {
		barred := excludedOwners(t.Exclusions, s)
		sql, args = sql+" AND p.a NOT IN ("+barred.SQL+")", append(args, barred.Args...)
	}
	return store.SQL(sql, args...)
}

// postedStill is the FROM item for fan-outs s whose entry is posted still, with owners who
// are kept from its author by a pair: up to [rulesql.FewPairs] of them, and whether there are more.
// Most authors are in a few such pairs: these are read once for each, before the followers.
// Keys: posted, pairs (kind, b, a), pairs_from (kind, a, ...).
func postedStill(exclusions []plan.Exclusion) string {
	barred := "'{}'::bigint[]"
	if len(exclusions) > 0 {
		barred = fmt.Sprintf("ARRAY(%s LIMIT %d)", keptFrom(exclusions, "s.author"), rulesql.FewPairs+1)
	}
	return `(
		SELECT s.*, cardinality(s.barred) > ` + store.Number(rulesql.FewPairs) + ` AS more
		FROM (
			SELECT s.*, ` + barred + ` AS barred
			FROM ` + fanOutRows + `
			JOIN posted x ON x.timeline = s.timeline AND x.author = s.author AND x.rank = s.rank AND x.doc = s.doc
			OFFSET 0
		) s
		OFFSET 0
	) s`
}

// keptFrom are the owners whom pairs keep from an author.
func keptFrom(exclusions []plan.Exclusion, author string) string {
	var parts []string
	for _, exclusion := range exclusions {
		of := " FROM pairs x WHERE x.kind = " + store.Number(exclusion.Number) + " AND "
		if parts = append(parts, "SELECT x.a"+of+"x.b = "+author); exclusion.EitherWay {
			parts = append(parts, "SELECT x.b"+of+"x.a = "+author+" AND "+store.Walked("x."))
		}
	}
	return strings.Join(parts, " UNION ALL ")
}

// anyExclusion is the condition that there is one of the pairs that keep entries out: one way or,
// of those that go either way, the other.
func anyExclusion(exclusions []plan.Exclusion, one, other string) string {
	all := []string{"false"}
	for _, exclusion := range exclusions {
		exists := "EXISTS (SELECT FROM pairs x WHERE x.kind = " + store.Number(exclusion.Number) + " AND "
		if all = append(all, exists+one+")"); exclusion.EitherWay {
			all = append(all, exists+other+")")
		}
	}
	return "(" + strings.Join(all, " OR ") + ")"
}

// follower is the condition that p is a follower's pair who gets the entry of a fan-out s:
// no pair keeps owner p.a from author s.author.
func follower(t *plan.Timeline) string {
	return `p.kind = s.pair AND p.b = s.author AND p.a > s.cursor AND p.a <= s.last` + store.AndTied(t, "p") + `
		AND NOT CASE WHEN s.more THEN ` +
		anyExclusion(t.Exclusions, "x.b = s.author AND x.a = p.a", "x.b = p.a AND x.a = s.author") +
		" ELSE p.a = ANY (s.barred) END"
}

// deliverAll is the plain statement for many entries a little way each.
func deliverAll(t *plan.Timeline) string {
	return `
	INSERT INTO entries (timeline, owner, rank, doc, author)
	SELECT s.timeline, p.a, s.rank, s.doc, s.author
	FROM ` + postedStill(t.Exclusions) + `
	JOIN pairs p ON ` + follower(t) + inOrder
}

// inOrder is the order in which everyone inserts entries: that of their key. So
// two that insert the same ones never wait for each other in a circle, and the
// index grows at its end.
const inOrder = " ORDER BY 2, 3, 4"

// deliverTolerantly bears entries that are there already, and goes to the
// authors themselves where a spread says so.
func deliverTolerantly(t *plan.Timeline) string {
	return `
	INSERT INTO entries (timeline, owner, rank, doc, author)
	SELECT s.timeline, o.a, s.rank, s.doc, s.author
	FROM ` + postedStill(t.Exclusions) + `
	CROSS JOIN LATERAL (
		SELECT p.a FROM pairs p WHERE ` + follower(t) + `
		UNION
		SELECT s.author WHERE s.own
	) o` + inOrder + `
	ON CONFLICT (timeline, owner, rank, doc) DO UPDATE SET author = excluded.author
		WHERE entries.author <> excluded.author`
}

// Deliver writes this turn's entries of a timeline and returns how many. It inserts plainly,
// at twice the speed, and only after meeting an entry that is there already
// (delivered twice, or brought in by a follow) in the form that bears it.
// Keys: posted, pairs (kind, b, a), entries.
func Deliver(tx *store.Tx, t *plan.Timeline, fanOuts []FanOut) (int64, error) {
	args := fanOutArgs(fanOuts)
	tolerant := store.SQL(deliverTolerantly(t), args...)
	if slices.ContainsFunc(fanOuts, func(s FanOut) bool { return s.Own }) {
		many, err := exec(tx, tolerant)
		tx.WroteEntries(t.Number, many)
		return many, err
	}
	plain := store.SQL(deliverAll(t), args...)
	if len(fanOuts) == 1 {
		plain = deliverOne(t, fanOuts[0])
	}
	return insertPlainly(tx, t, plain, tolerant)
}

// insertPlainly runs the fast statement, and the tolerant one if the fast one
// met a duplicate.
func insertPlainly(tx *store.Tx, t *plan.Timeline, fast, tolerant store.Statement) (rows int64, err error) {
	defer func() { tx.WroteEntries(t.Number, rows) }()
	err = tx.DB.Transaction(func(savepoint *gorm.DB) error {
		got := savepoint.Exec(fast.SQL, fast.Args...)
		rows = got.RowsAffected
		return got.Error
	})
	if !store.IsDuplicate(err) {
		return rows, err
	}
	got := tx.DB.Exec(tolerant.SQL, tolerant.Args...)
	return got.RowsAffected, got.Error
}

// FirstPlainly runs a statement as it is, and with a clause for duplicates if it met
// one.
func FirstPlainly(tx *store.Tx, run func(db *gorm.DB, onConflict string) error) error {
	err := tx.DB.Transaction(func(savepoint *gorm.DB) error { return run(savepoint, "") })
	if store.IsDuplicate(err) {
		return run(tx.DB, "ON CONFLICT DO NOTHING")
	}
	return err
}

// withdrawOne is the plain statement for one entry on its way out, follower by
// follower: for timelines that hold a lot.
func withdrawOne(s FanOut) store.Statement {
	return store.SQL(`
		DELETE FROM entries e USING pairs p
		WHERE p.kind = ? AND p.b = ? AND p.a > ? AND p.a <= ?
		  AND e.timeline = ? AND e.owner = p.a AND e.rank = ? AND e.doc = ? AND e.author = ?
		  AND NOT EXISTS (SELECT 1 FROM posted WHERE timeline = ? AND author = ? AND rank = ? AND doc = ?)`,
		s.Pair, s.Author, s.Due.Cursor, s.Last, s.Timeline, s.Rank, s.Doc, s.Author, s.Timeline, s.Author, s.Rank,
		s.Doc)
}

// An index row that is passed over costs a fiftieth of a look for one.
const rowsForALook = 50

// span is how far this turn's followers lie apart and how much their timelines
// hold, by some of them. Keys: pairs (kind, b, a), entries (timeline, owner, ...).
func span(tx *store.Tx, s FanOut) (last int64, entriesEach float64, err error) {
	err = tx.DB.Raw(`
		SELECT coalesce((SELECT max(a) FROM pairs WHERE kind = ? AND b = ? AND a > ? AND a <= ?), 0),
			coalesce(avg(held.many), 0)
		FROM (SELECT a FROM pairs WHERE kind = ? AND b = ? AND a > ? AND a <= ? ORDER BY a LIMIT 20) p
		CROSS JOIN LATERAL (SELECT count(*) AS many FROM entries WHERE timeline = ? AND owner = p.a) held`,
		s.Pair, s.Author, s.Due.Cursor, s.Last, s.Pair, s.Author, s.Due.Cursor, s.Last, s.Timeline).
		Row().Scan(&last, &entriesEach)
	return last, entriesEach, err
}

// withdrawFromFollowers withdraws one entry and does not ask from whom: every
// follower whose timeline was cut below it counts as having lost it. Who had not
// got it has one entry more than is noted, and is refilled a little early.
func withdrawFromFollowers(tx *store.Tx, s FanOut) ([]Shortened, error) {
	var cut []Shortened
	err := tx.DB.Raw(`
		SELECT f.timeline, f.owner, 1 AS lost
		FROM cuts f JOIN pairs p ON p.kind = ? AND p.b = ? AND p.a = f.owner
		WHERE f.timeline = ? AND f.owner > ? AND f.owner <= ? AND (f.rank, f.doc) < (?::bigint, ?::bigint)
		ORDER BY f.timeline, f.owner
		FOR UPDATE OF f`, s.Pair, s.Author, s.Timeline, s.Due.Cursor, s.Last, s.Rank, s.Doc).Scan(&cut).Error
	if err != nil {
		return nil, err
	}
	last, each, err := span(tx, s)
	if err != nil {
		return nil, err
	}
	var many int64
	plain := withdrawOne(s)
	if passed := float64(last-s.Due.Cursor) * each; passed < float64(rowsForALook*s.Many) {
		many, err = execInPasses(tx, plain.InOnePass(s.Due.Cursor, last))
	} else {
		many, err = exec(tx, plain)
	}
	if err != nil || many == 0 {
		return nil, err
	}
	tx.WroteEntries(s.Timeline, many)
	return cut, nil
}

func exec(tx *store.Tx, s store.Statement) (int64, error) {
	got := tx.DB.Exec(s.SQL, s.Args...)
	return got.RowsAffected, got.Error
}

// execInPasses runs a statement that is not to look rows up one by one, whatever
// the planner believes of how many there are, and goes through them in order: a hash
// would lock them in that of the parts of the table.
func execInPasses(tx *store.Tx, s store.Statement) (many int64, err error) {
	const set = "SELECT set_config('enable_nestloop', ?, true), set_config('enable_hashjoin', ?, true)"
	if err = tx.DB.Exec(set, "off", "off").Error; err == nil {
		many, err = exec(tx, s)
	}
	if err == nil {
		err = tx.DB.Exec(set, "on", "on").Error
	}
	return many, err
}

// Withdraw takes this turn's entries out of the timelines, unless the facts
// say by now that they belong there, and returns which of those that had been
// cut lost how many. It locks the cuts first, and entries in the order of their keys: of a
// post that has another author now the same are put in elsewhere.
// Keys: pairs (kind, b, a), entries, posted.
func Withdraw(tx *store.Tx, fanOuts []FanOut) ([]Shortened, error) {
	if len(fanOuts) == 1 && !(fanOuts[0].Own && fanOuts[0].Due.Cursor == 0) {
		return withdrawFromFollowers(tx, fanOuts[0])
	}
	cuts, err := LockCutsOf(tx, fanOuts)
	if err != nil {
		return nil, err
	}
	lost, err := remove(tx, `
		DELETE FROM entries e
		USING (
			SELECT s.timeline, s.author, s.doc, s.rank, p.a AS owner
			FROM `+fanOutRows+`
			JOIN pairs p ON p.kind = s.pair AND p.b = s.author AND p.a > s.cursor AND p.a <= s.last
			UNION ALL
			SELECT s.timeline, s.author, s.doc, s.rank, s.author
			FROM `+fanOutRows+`
			WHERE s.own
			ORDER BY owner, rank, doc
			OFFSET 0
		) w
		WHERE e.timeline = w.timeline AND e.owner = w.owner AND e.rank = w.rank AND e.doc = w.doc
			AND e.author = w.author
		  AND NOT EXISTS (
			SELECT 1 FROM posted x
			WHERE x.timeline = w.timeline AND x.author = w.author AND x.rank = w.rank AND x.doc = w.doc)`,
		append(fanOutArgs(fanOuts), fanOutArgs(fanOuts)...)...)
	return cuts.Of(lost), err
}
