package store

import (
	"context"
	"encoding/json"
	"time"

	"yalvo/internal/plan"
)

// Outcome is what setting a pair came to.
type Outcome int

// The outcomes.
const (
	Stood    Outcome = iota // it stood already, with these fields
	Made                    // it is new
	Refilled                // it stood, with other fields
)

// SetPair makes a pair with fields of its own, null if its kind has none. Of
// twenty that try at once exactly one is told that it made it. keep leaves the
// fields of a pair that stands as they are. Key: pairs (kind, b, a).
func (tx *Tx) SetPair(kind plan.Number, a, b int64, fields json.RawMessage, keep bool) (Outcome, error) {
	var given any
	onConflict := "DO NOTHING"
	if fields != nil {
		given = string(fields)
		if !keep {
			onConflict = "DO UPDATE SET fields = excluded.fields WHERE pairs.fields IS DISTINCT FROM excluded.fields"
		}
	}
	var made bool
	got := tx.db.Raw(`
		INSERT INTO pairs (kind, b, a, fields) VALUES (?, ?, ?, ?::jsonb)
		ON CONFLICT (kind, b, a) `+onConflict+`
		RETURNING xmax = 0 AS made`, kind, b, a, given).Scan(&made) // xmax: zero in a row that was inserted
	switch {
	case got.Error != nil || got.RowsAffected == 0:
		return Stood, got.Error
	case made:
		return Made, nil
	}
	return Refilled, nil
}

// UnsetPair ends a pair and returns its fields. It is false if there was none.
func (tx *Tx) UnsetPair(kind plan.Number, a, b int64) (json.RawMessage, bool, error) {
	var was struct{ Fields json.RawMessage }
	got := tx.db.Raw("DELETE FROM pairs WHERE kind = ? AND b = ? AND a = ? RETURNING coalesce(fields, '{}') AS fields", kind, b, a).Scan(&was)
	return was.Fields, got.RowsAffected > 0, got.Error
}

// Standing is a pair as it stands.
type Standing struct {
	At     time.Time
	Fields json.RawMessage
}

// Pair reads a pair, false if it does not stand.
func (s *Store) Pair(ctx context.Context, kind plan.Number, a, b int64) (Standing, bool, error) {
	return (&Tx{s.db.WithContext(ctx)}).Pair(kind, a, b)
}

// Pair is the same within a transaction.
func (tx *Tx) Pair(kind plan.Number, a, b int64) (Standing, bool, error) {
	var p Standing
	got := tx.db.Raw("SELECT at, coalesce(fields, '{}') AS fields FROM pairs WHERE kind = ? AND b = ? AND a = ?", kind, b, a).Scan(&p)
	return p, got.RowsAffected > 0, got.Error
}

// Ends are the two documents of a pair, with their keys; one of them may be gone.
type Ends struct {
	A, B       int64
	AKey, BKey string
	Fields     json.RawMessage
}

// UnsetFrom ends up to limit pairs that go out from a document.
// Index: pairs_from (kind, a, ...).
func (tx *Tx) UnsetFrom(kind plan.Number, a int64, limit int) ([]Ends, error) {
	return tx.unset(`SELECT kind, b, a FROM pairs WHERE kind = ? AND a = ? LIMIT ?`, kind, a, limit)
}

// UnsetTo ends up to limit pairs that lead to a document. Key: pairs (kind, b, a).
func (tx *Tx) UnsetTo(kind plan.Number, b int64, limit int) ([]Ends, error) {
	return tx.unset(`SELECT kind, b, a FROM pairs WHERE kind = ? AND b = ? LIMIT ?`, kind, b, limit)
}

func (tx *Tx) unset(which string, args ...any) ([]Ends, error) {
	var gone []Ends
	err := tx.db.Raw(`
		WITH gone AS (
			DELETE FROM pairs p USING (`+which+`) w
			WHERE p.kind = w.kind AND p.b = w.b AND p.a = w.a
			RETURNING p.a, p.b, p.fields
		)
		SELECT gone.a, gone.b, coalesce(x.key, xd.key, '') AS a_key, coalesce(y.key, yd.key, '') AS b_key, coalesce(gone.fields, '{}') AS fields
		FROM gone
		LEFT JOIN documents x ON x.n = gone.a LEFT JOIN departed xd ON xd.n = gone.a
		LEFT JOIN documents y ON y.n = gone.b LEFT JOIN departed yd ON yd.n = gone.b`, args...).Scan(&gone).Error
	return gone, err
}
