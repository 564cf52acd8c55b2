package store

import (
	"context"
	"time"

	"yalvo/internal/plan"
)

// SetPair makes a pair. It is false if the pair stood already. Of twenty that
// try at once exactly one is told true. Key: pairs (kind, b, a).
func (tx *Tx) SetPair(kind plan.Number, a, b int64) (bool, error) {
	got := tx.db.Exec("INSERT INTO pairs (kind, b, a) VALUES (?, ?, ?) ON CONFLICT (kind, b, a) DO NOTHING", kind, b, a)
	return got.RowsAffected > 0, got.Error
}

// UnsetPair ends a pair. It is false if there was none.
func (tx *Tx) UnsetPair(kind plan.Number, a, b int64) (bool, error) {
	got := tx.db.Exec("DELETE FROM pairs WHERE kind = ? AND b = ? AND a = ?", kind, b, a)
	return got.RowsAffected > 0, got.Error
}

// PairSince is when a pair was made, false if it does not stand.
func (s *Store) PairSince(ctx context.Context, kind plan.Number, a, b int64) (time.Time, bool, error) {
	var at time.Time
	got := s.db.WithContext(ctx).Raw("SELECT at FROM pairs WHERE kind = ? AND b = ? AND a = ?", kind, b, a).Scan(&at)
	return at, got.RowsAffected > 0, got.Error
}

// Ends are the two documents of a pair, with their keys as far as they still exist.
type Ends struct {
	A, B       int64
	AKey, BKey string
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
			RETURNING p.a, p.b
		)
		SELECT gone.a, gone.b, coalesce(x.key, '') AS a_key, coalesce(y.key, '') AS b_key
		FROM gone LEFT JOIN documents x ON x.n = gone.a LEFT JOIN documents y ON y.n = gone.b`, args...).Scan(&gone).Error
	return gone, err
}
