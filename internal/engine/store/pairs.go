package store

import (
	"context"
	"database/sql"
	"encoding/json"
	"errors"
	"strings"
	"time"

	"yalvo/internal/design/plan"
)

// PairWrite is a pair that is to be set or unset, with what follows from that.
type PairWrite struct {
	Pair     *plan.Pair
	From, To string          // keys
	Fields   json.RawMessage // the pair's own, nil if its kind has none
	Keep     bool            // a pair that stands keeps its fields
	Design   int             // the version of the design it is planned with
	Record   Record          // its kind is said by the outcome
	Due      []plan.Work     // rows are numbered as package plan says
	Anew     []bool          // of the due work: only if the pair is new
	Change   int64           // the change the due work is waited for with, 0 for this one
}

// PairWritten is what came of it.
type PairWritten struct {
	From, To int64 // row numbers of the ends, 0: there is no such document
	Design   int   // the version in force
	Position int64 // 0: nothing was written
	Kind     plan.Kind
	Fields   json.RawMessage // of a pair that was unset
}

// SetPair makes a pair in one statement: its ends are locked against removal,
// and the journal line and due work come with it. Of twenty that try at once
// exactly one is told that it made it. Nothing is written if an end is missing,
// the design is another, or the pair stands as it is to be.
// Keys: documents (collection, key), pairs (kind, b, a).
func (tx *Tx) SetPair(w PairWrite) (PairWritten, error) {
	b := &builder{}
	w.begin(b)
	kind, columns, given, onConflict := "'set'", "kind, b, a", "", "DO NOTHING"
	if w.Fields != nil {
		columns, given = "kind, b, a, fields, shape", ", "+b.arg(string(w.Fields), "jsonb")+", "+shape(w.Pair.Shape)
	}
	if w.Fields != nil && !w.Keep {
		onConflict = "DO UPDATE SET fields = excluded.fields, shape = excluded.shape " +
			"WHERE pairs.fields IS DISTINCT FROM excluded.fields"
		kind = "CASE WHEN xmax = 0 THEN 'set' ELSE 'changed' END" // xmax: zero in a row that was inserted
	}
	b.add("written AS (INSERT INTO pairs (", columns, ") SELECT ", number(int64(w.Pair.Number)), ", e.t, e.f", given,
		" FROM ends e WHERE e.f IS NOT NULL AND e.t IS NOT NULL AND e.design = ", b.arg(w.Design, "int"),
		` ON CONFLICT (kind, b, a) `, onConflict,
		" RETURNING a, b, NULL::jsonb AS fields, ", kind, " AS kind),")
	return tx.writePair(b, w)
}

// UnsetPair ends a pair in one statement. Nothing is written if there is none.
func (tx *Tx) UnsetPair(w PairWrite) (PairWritten, error) {
	b := &builder{}
	w.begin(b)
	b.add(`written AS (
		DELETE FROM pairs p USING ends e
		WHERE p.kind = `, number(int64(w.Pair.Number)), ` AND p.b = e.t AND p.a = e.f AND e.design = `,
		b.arg(w.Design, "int"), `
		RETURNING p.a, p.b, `, storedFields(w.Pair), ` AS fields, 'unset' AS kind),`)
	got, err := tx.writePair(b, w)
	got.Fields = liftFields(w.Pair, got.Fields)
	return got, err
}

// storedFields are a pair's own fields, in SQL, for [liftFields]: as long as some
// are stored in the form of the version before, with what tells which are.
func storedFields(p *plan.Pair) string {
	if p.Lift == nil {
		return "coalesce(p.fields, '{}')"
	}
	return "jsonb_build_array(coalesce(p.shape, 0), p.at, coalesce(p.fields, '{}'))"
}

// liftFields brings what was read by [storedFields] to the form of the design in
// force.
func liftFields(p *plan.Pair, stored json.RawMessage) json.RawMessage {
	if p.Lift == nil || len(stored) == 0 {
		return stored
	}
	var shape int
	var at time.Time
	var fields json.RawMessage
	if json.Unmarshal(stored, &[]any{&shape, &at, &fields}) != nil || shape == p.Shape {
		return fields
	}
	return p.Lift(fields, at)
}

// begin finds the ends and locks them against removal. Kinds that end another,
// or are ended by one, are written one at a time for the same two documents:
// see [Tx.LockBetween]. The statement is the hottest there is: every part of it
// that PostgreSQL has to make ready costs.
func (w PairWrite) begin(b *builder) {
	alone := ""
	if w.Pair.Opposed {
		alone = " CROSS JOIN LATERAL (SELECT " + betweenLock + ") alone"
	}
	b.add("WITH ends AS MATERIALIZED (SELECT f.n AS f, t.n AS t, now.version AS design\n",
		"FROM (SELECT version FROM designs ORDER BY version DESC LIMIT 1) now LEFT JOIN (",
		lockedEnd(b, w.Pair.From, w.From), ") f ON true LEFT JOIN (",
		lockedEnd(b, w.Pair.To, w.To), ") t ON true", alone, "),\n")
}

func lockedEnd(b *builder, c *plan.Collection, key string) string {
	return "SELECT n FROM documents WHERE collection = " + number(int64(c.Number)) + " AND key = " +
		b.arg(key, "text") + " FOR KEY SHARE"
}

func (tx *Tx) writePair(b *builder, w PairWrite) (PairWritten, error) {
	b.add(`
	recorded AS (
		INSERT INTO journal (kind, subject, detail, actor, cause)
		SELECT kind, `, b.arg(w.Record.Subject, "text"), `, `, b.arg(w.Record.Detail, "text"), `, `,
		b.arg(w.Record.Actor, "text"), `,
			nullif(`, b.arg(w.Record.Cause, "bigint"), `, 0)
		FROM written RETURNING seq, kind)`)
	if len(w.Due) > 0 {
		b.add(", followed AS (", w.followed(b), ")")
	}
	b.add("\nSELECT e.design, e.f, e.t, r.seq, r.kind, written.fields FROM ends e LEFT JOIN recorded r ON true LEFT " +
		"JOIN written ON true")
	var out PairWritten
	var from, to, position sql.NullInt64
	var kind sql.NullString
	var fields sql.Null[[]byte]
	if err := tx.row(b).Scan(&out.Design, &from, &to, &position, &kind, &fields); err != nil {
		return out, err
	}
	out.From, out.To, out.Position, out.Kind, out.Fields = from.Int64, to.Int64, position.Int64,
		plan.Kind(kind.String), fields.V
	if position.Valid {
		tx.got(w.Due)
	}
	return out, nil
}

// followed appends the due work. What it is follows from the kind of pair
// alone, so it stands in the text of the statement.
func (w PairWrite) followed(b *builder) string {
	rows := map[int64]string{plan.FromRow: "w.a", plan.ToRow: "w.b"}
	var sometimes bool
	values := make([]string, len(w.Due))
	for i, work := range w.Due {
		anew := w.Anew != nil && w.Anew[i]
		sometimes = sometimes || anew && w.Fields != nil
		values[i] = workValues(work, rows, number(work.Rank), anew)
	}
	where := ""
	if sometimes {
		where = " WHERE r.kind <> 'changed' OR NOT v.anew"
	}
	return insertDue(b, w.Change) + " FROM recorded r, written w, LATERAL (VALUES " + strings.Join(values, ", ") +
		") AS v (lane, step, subject, key, doc, rank, amount, anew)" + where
}

// Standing is a pair as it stands.
type Standing struct {
	At     time.Time
	Fields json.RawMessage
}

// Pair reads a pair, false if it does not stand.
func (s *Store) Pair(ctx context.Context, p *plan.Pair, a, b int64) (Standing, bool, error) {
	var is Standing
	got := s.db.WithContext(ctx).Raw(`
		SELECT p.at, `+storedFields(p)+` AS fields FROM pairs p WHERE p.kind = ? AND p.b = ? AND p.a = ?`, p.Number, b,
		a).Scan(&is)
	is.Fields = liftFields(p, is.Fields)
	return is, got.RowsAffected > 0, got.Error
}

// PairBetween reads a pair by the keys of its ends.
func (tx *Tx) PairBetween(p *plan.Pair, from, to string) (Standing, bool, error) {
	var s Standing
	row := tx.db.Raw(`
		SELECT p.at, `+storedFields(p)+`
		FROM documents f, documents t, pairs p
		WHERE f.collection = ? AND f.key = ? AND t.collection = ? AND t.key = ? AND p.kind = ? AND p.b = t.n
			AND p.a = f.n`,
		p.From.Number, from, p.To.Number, to, p.Number).Row()
	err := row.Scan(&s.At, (*[]byte)(&s.Fields))
	if errors.Is(err, sql.ErrNoRows) {
		return s, false, nil
	}
	s.Fields = liftFields(p, s.Fields)
	return s, err == nil, err
}

// Ends are the two documents of a pair, with their keys; one of them may be gone.
type Ends struct {
	A, B       int64
	AKey, BKey string
	Fields     json.RawMessage
}

// walked is true of every pair. The indexes pairs_from and pairs_to ask for it, and so does whoever
// goes along them. Where a single pair is looked for, PostgreSQL might take one of them to be as good
// as the key, as most documents are in few pairs, and go through all that one in many has.
func walked(pair string) string { return pair + "at > '-infinity'" }

// UnsetOf ends up to limit pairs that go out from one of some documents, or else lead to one, and tells whether
// some are left: more than that, or some that others hold.
// Index: pairs_from (kind, a, ...); key: pairs (kind, b, a).
func (tx *Tx) UnsetOf(p *plan.Pair, docs []int64, from bool, limit int) ([]Ends, bool, error) {
	side := "b"
	if from {
		side = "a"
	}
	var gone []Ends
	err := tx.db.Raw(`
		WITH gone AS (
			DELETE FROM pairs p USING (
				SELECT kind, b, a FROM pairs WHERE kind = ? AND `+side+` = ANY(?::bigint[]) AND `+walked("")+`
				LIMIT ? FOR UPDATE SKIP LOCKED
			) w
			WHERE p.kind = w.kind AND p.b = w.b AND p.a = w.a
			RETURNING p.a, p.b, `+storedFields(p)+` AS fields
		)
		SELECT gone.a, gone.b, coalesce(x.key, xd.key, '') AS a_key, coalesce(y.key, yd.key, '') AS b_key,
			gone.fields
		FROM gone
		LEFT JOIN documents x ON x.n = gone.a LEFT JOIN departed xd ON xd.n = gone.a
		LEFT JOIN documents y ON y.n = gone.b LEFT JOIN departed yd ON yd.n = gone.b`, p.Number,
		bigints(docs), limit).Scan(&gone).Error
	if err != nil {
		return nil, false, err
	}
	for i := range gone {
		gone[i].Fields = liftFields(p, gone[i].Fields)
	}
	var left bool
	err = tx.db.Raw("SELECT EXISTS (SELECT FROM pairs WHERE kind = ? AND "+side+" = ANY(?::bigint[]) AND "+
		walked("")+")", p.Number, bigints(docs)).Scan(&left).Error
	return gone, left, err
}
