package factsql

import (
	"context"
	"database/sql"
	"strings"

	"github.com/jackc/pgx/v5"

	"yalvo/internal/design/plan"
	"yalvo/internal/engine/store"
)

// Alike tells what a write has in common with those it can be made together with by
// [SetPairs]; empty if it is made by itself: pairs with fields, which may change one that
// stands, those that are written one at a time between the same two, and what follows from
// another change.
func (w PairWrite) Alike() string {
	if w.Fields != nil || w.Pair.Opposed || w.Change != 0 || w.Record.Cause != 0 || w.From == w.To {
		return ""
	}
	return store.Number(w.Design) + " " + w.Pair.Name
}

// SetPairs is [SetPair] for several pairs of one kind that different clients set, planned with
// one version of the design: one statement and one commit. It answers nothing (nil) to whose pair
// is asked for twice, or has an end that is not there or that is locked against being paired:
// nobody waits for what only one of them needs. Pairs are written in the order of their keys, so
// two such statements never wait for each other in a circle.
// Keys: documents (collection, key), pairs (kind, b, a).
func SetPairs(ctx context.Context, s *store.Store, writes []PairWrite) ([]*PairWritten, error) {
	first := writes[0]
	places := map[string]int{}
	var from, to, ends, actors []string
	for i, w := range writes {
		if _, twice := places[w.Record.Detail]; !twice {
			places[w.Record.Detail] = i
			from, to = append(from, w.From), append(to, w.To)
			ends, actors = append(ends, w.Record.Detail), append(actors, w.Record.Actor)
		}
	}
	written := make([]*PairWritten, len(writes))
	err := s.Visit(ctx, first.together(from, to, ends, actors), func(row pgx.Rows) error {
		var detail string
		var f, t, position sql.NullInt64
		out := &PairWritten{Kind: plan.Set}
		if err := row.Scan(&detail, &out.Design, &f, &t, &position); err != nil {
			return err
		}
		if f.Valid && t.Valid {
			out.From, out.To, out.Position = f.Int64, t.Int64, position.Int64
			written[places[detail]] = out
		}
		return nil
	})
	return written, err
}

// together is the statement for several pairs. As all of them are of one kind and one version of
// the design, what follows is the same but for the rows.
func (w PairWrite) together(from, to, details, actors []string) store.Statement {
	kind, a, b := store.Number(w.Pair.Number), store.Number(w.Pair.From.Number),
		store.Number(w.Pair.To.Number)
	s := store.SQL(`
		WITH asked AS MATERIALIZED (
			SELECT * FROM unnest(?::text[], ?::text[], ?::text[], ?::text[]) WITH ORDINALITY
				AS x (from_key, to_key, detail, actor, nth)),
		now AS MATERIALIZED (SELECT version FROM designs ORDER BY version DESC LIMIT 1),
		there AS MATERIALIZED (
			SELECT d.n, d.collection, d.key
			FROM (SELECT `+a+` AS collection, from_key AS key FROM asked
				UNION SELECT `+b+`, to_key FROM asked) x
			JOIN documents d ON d.collection = x.collection AND d.key = x.key
			ORDER BY d.n FOR KEY SHARE OF d SKIP LOCKED),
		ends AS MATERIALIZED (
			SELECT x.nth, x.detail, x.actor, f.n AS f, t.n AS t
			FROM asked x LEFT JOIN there f ON f.collection = `+a+` AND f.key = x.from_key
				LEFT JOIN there t ON t.collection = `+b+` AND t.key = x.to_key),
		written AS (
			INSERT INTO pairs (kind, b, a)
			SELECT `+kind+`, e.t, e.f FROM ends e CROSS JOIN now
			WHERE e.f IS NOT NULL AND e.t IS NOT NULL AND now.version = ?::int
			ORDER BY e.t, e.f
			ON CONFLICT (kind, b, a) DO NOTHING
			RETURNING a, b),
		recorded AS (
			INSERT INTO journal (kind, subject, detail, actor)
			SELECT 'set', ?::text, e.detail, e.actor FROM written w JOIN ends e ON e.f = w.a AND e.t = w.b
			ORDER BY e.nth
			RETURNING seq, detail)`, from, to, details, actors, w.Design, w.Record.Subject)
	if len(w.Due) > 0 {
		rows := map[int64]string{plan.FromRow: "e.f", plan.ToRow: "e.t"}
		values := make([]string, len(w.Due))
		for i, work := range w.Due {
			values[i] = workValues(work, rows, store.Number(work.Rank), false)
		}
		s.SQL += `,
		followed AS (
			INSERT INTO due (change, lane, step, subject, key, doc, rank, amount)
			SELECT r.seq, v.lane, v.step, v.subject, v.key, v.doc, v.rank, v.amount
			FROM recorded r JOIN ends e ON e.detail = r.detail CROSS JOIN LATERAL (VALUES
				` + strings.Join(values, ", ") + `) AS v (lane, step, subject, key, doc, rank, amount, anew))`
	}
	s.SQL += `
		SELECT e.detail, now.version, e.f, e.t, r.seq
		FROM ends e CROSS JOIN now LEFT JOIN recorded r ON r.detail = e.detail`
	return s
}

// Follows notes that a write of this transaction has made work due.
func Follows(tx *store.Tx, due []plan.Work) { tx.Got(due) }
