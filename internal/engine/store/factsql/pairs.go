package factsql

import (
	"context"
	"database/sql"
	"encoding/json"
	"errors"
	"strings"
	"time"

	"yalvo/internal/design/plan"
	"yalvo/internal/engine/store"
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
func SetPair(tx *store.Tx, w PairWrite) (PairWritten, error) {
	b := &store.Builder{}
	w.begin(b)
	kind, columns, given, onConflict := "'set'", "kind, b, a", "", "DO NOTHING"
	if w.Fields != nil {
		columns, given = "kind, b, a, fields, shape", ", "+b.Arg(string(w.Fields),
			"jsonb")+", "+store.Shape(w.Pair.Shape)
	}
	if w.Fields != nil && !w.Keep {
		onConflict = "DO UPDATE SET fields = excluded.fields, shape = excluded.shape " +
			"WHERE pairs.fields IS DISTINCT FROM excluded.fields"
		kind = "CASE WHEN xmax = 0 THEN 'set' ELSE 'changed' END" // xmax: zero in a row that was inserted
	}
	b.Add(`written AS (INSERT INTO pairs (`, columns, `) SELECT `, store.Number(w.Pair.Number), `, e.t, e.f`, given, `
		FROM ends e WHERE e.f IS NOT NULL AND e.t IS NOT NULL AND e.design = `, b.Arg(w.Design, "int"), `
		ON CONFLICT (kind, b, a) `, onConflict, `
		RETURNING a, b, NULL::jsonb AS fields, `, kind, ` AS kind),`)
	return writePair(tx, b, w)
}

// UnsetPair ends a pair in one statement. Nothing is written if there is none.
func UnsetPair(tx *store.Tx, w PairWrite) (PairWritten, error) {
	b := &store.Builder{}
	w.begin(b)
	b.Add(`written AS (
		DELETE FROM pairs p USING ends e
		WHERE p.kind = `, store.Number(w.Pair.Number), ` AND p.b = e.t AND p.a = e.f AND e.design = `,
		b.Arg(w.Design, "int"), `
		RETURNING p.a, p.b, `, store.StoredFields(w.Pair), ` AS fields, 'unset' AS kind),`)
	got, err := writePair(tx, b, w)
	got.Fields = store.UpcastFields(w.Pair, got.Fields)
	return got, err
}

// begin finds the ends and locks them against removal. Kinds that end another,
// or are ended by one, are written one at a time for the same two documents:
// see [store.Tx.LockBetween]. The statement is the hottest there is: every part of it
// that PostgreSQL has to make ready costs.
func (w PairWrite) begin(b *store.Builder) {
	alone := ""
	if w.Pair.Opposed {
		alone = " CROSS JOIN LATERAL (SELECT " + store.BetweenLock + ") alone"
	}
	b.Add("WITH ends AS MATERIALIZED (SELECT f.n AS f, t.n AS t, now.version AS design\n",
		"FROM (SELECT version FROM designs ORDER BY version DESC LIMIT 1) now LEFT JOIN (",
		lockedEnd(b, w.Pair.From, w.From), ") f ON true LEFT JOIN (",
		lockedEnd(b, w.Pair.To, w.To), ") t ON true", alone, "),\n")
}

func lockedEnd(b *store.Builder, c *plan.Collection, key string) string {
	return "SELECT n FROM documents WHERE collection = " + store.Number(c.Number) + " AND key = " +
		b.Arg(key, "text") + " FOR KEY SHARE"
}

func writePair(tx *store.Tx, b *store.Builder, w PairWrite) (PairWritten, error) {
	b.Add(`
	recorded AS (
		INSERT INTO journal (kind, subject, detail, actor, cause)
		SELECT kind, `, b.Arg(w.Record.Subject, "text"), `, `, b.Arg(w.Record.Detail, "text"), `, `,
		b.Arg(w.Record.Actor, "text"), `,
			nullif(`, b.Arg(w.Record.Cause, "bigint"), `, 0)
		FROM written RETURNING seq, kind)`)
	if len(w.Due) > 0 {
		b.Add(", followed AS (", w.followed(b), ")")
	}
	b.Add("\nSELECT e.design, e.f, e.t, r.seq, r.kind, written.fields FROM ends e LEFT JOIN recorded r ON true LEFT " +
		"JOIN written ON true")
	var out PairWritten
	var from, to, position sql.NullInt64
	var kind sql.NullString
	var fields sql.Null[[]byte]
	if err := tx.Row(b).Scan(&out.Design, &from, &to, &position, &kind, &fields); err != nil {
		return out, err
	}
	out.From, out.To, out.Position, out.Kind, out.Fields = from.Int64, to.Int64, position.Int64,
		plan.Kind(kind.String), fields.V
	if position.Valid {
		tx.Got(w.Due)
	}
	return out, nil
}

// followed appends the due work. What it is follows from the kind of pair
// alone, so it stands in the text of the statement.
func (w PairWrite) followed(b *store.Builder) string {
	rows := map[int64]string{plan.FromRow: "w.a", plan.ToRow: "w.b"}
	var sometimes bool
	values := make([]string, len(w.Due))
	for i, work := range w.Due {
		anew := w.Anew != nil && w.Anew[i]
		sometimes = sometimes || anew && w.Fields != nil
		values[i] = workValues(work, rows, store.Number(work.Rank), anew)
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
func Pair(ctx context.Context, s *store.Store, p *plan.Pair, a, b int64) (Standing, bool, error) {
	var is Standing
	got := s.DB.WithContext(ctx).Raw(`
		SELECT p.at, `+store.StoredFields(p)+` AS fields FROM pairs p WHERE p.kind = ? AND p.b = ? AND p.a = ?`,
		p.Number, b, a).Scan(&is)
	is.Fields = store.UpcastFields(p, is.Fields)
	return is, got.RowsAffected > 0, got.Error
}

// PairBetween reads a pair by the keys of its ends.
func PairBetween(tx *store.Tx, p *plan.Pair, from, to string) (Standing, bool, error) {
	var s Standing
	row := tx.DB.Raw(`
		SELECT p.at, `+store.StoredFields(p)+`
		FROM documents f, documents t, pairs p
		WHERE f.collection = ? AND f.key = ? AND t.collection = ? AND t.key = ? AND p.kind = ? AND p.b = t.n
			AND p.a = f.n`,
		p.From.Number, from, p.To.Number, to, p.Number).Row()
	err := row.Scan(&s.At, (*[]byte)(&s.Fields))
	if errors.Is(err, sql.ErrNoRows) {
		return s, false, nil
	}
	s.Fields = store.UpcastFields(p, s.Fields)
	return s, err == nil, err
}

// Ends are the two documents of a pair, with their keys; one of them may be gone.
type Ends struct {
	A, B       int64
	AKey, BKey string
	Fields     json.RawMessage
}

// UnsetOf ends up to limit pairs that go out from one of some documents, or else lead to one, and tells whether
// some are left: more than that, or some that others hold.
// Index: pairs_from (kind, a, ...); key: pairs (kind, b, a).
func UnsetOf(tx *store.Tx, p *plan.Pair, docs []int64, from bool, limit int) ([]Ends, bool, error) {
	side := "b"
	if from {
		side = "a"
	}
	var gone []Ends
	err := tx.DB.Raw(`
		WITH gone AS (
			DELETE FROM pairs p USING (
				SELECT kind, b, a FROM pairs WHERE kind = ? AND `+side+` = ANY(?::bigint[]) AND `+store.Walked("")+`
				LIMIT ? FOR UPDATE SKIP LOCKED
			) w
			WHERE p.kind = w.kind AND p.b = w.b AND p.a = w.a
			RETURNING p.a, p.b, `+store.StoredFields(p)+` AS fields
		)
		SELECT gone.a, gone.b, coalesce(x.key, xd.key, '') AS a_key, coalesce(y.key, yd.key, '') AS b_key,
			gone.fields
		FROM gone
		LEFT JOIN documents x ON x.n = gone.a LEFT JOIN departed xd ON xd.n = gone.a
		LEFT JOIN documents y ON y.n = gone.b LEFT JOIN departed yd ON yd.n = gone.b`, p.Number,
		store.Bigints(docs), limit).Scan(&gone).Error
	if err != nil {
		return nil, false, err
	}
	for i := range gone {
		gone[i].Fields = store.UpcastFields(p, gone[i].Fields)
	}
	var left bool
	err = tx.DB.Raw("SELECT EXISTS (SELECT FROM pairs WHERE kind = ? AND "+side+" = ANY(?::bigint[]) AND "+
		store.Walked("")+")", p.Number, store.Bigints(docs)).Scan(&left).Error
	return gone, left, err
}
