package factsql

import (
	"context"

	"yalvo/internal/design/plan"
	"yalvo/internal/engine/store"
)

// ByUnique is the document that has a value in a unique field, false if none has.
// Keys: uniques (field, value), documents (n), kept (doc).
func ByUnique(ctx context.Context, s *store.Store, c *plan.Collection, u *plan.Unique, value string) (store.Document,
	bool, error) {
	var d store.Document
	got := s.DB.WithContext(ctx).Raw(`
		SELECT `+store.DocumentColumns+`
		FROM uniques u JOIN documents d ON d.n = u.doc LEFT JOIN kept k ON k.doc = d.n
		WHERE u.field = ? AND u.value = ? AND d.collection = ?`, u.Number, value, c.Number).Scan(&d)
	return d, got.RowsAffected > 0, got.Error
}

// SetUnique notes the value that a locked document has in a unique field, in
// place of the one it had. It is false if another document has the value; one
// that is about to take it is waited for.
// Keys: uniques_of (doc), uniques (field, value).
func SetUnique(tx *store.Tx, u *plan.Unique, doc int64) (bool, error) {
	if err := tx.DB.Exec("DELETE FROM uniques WHERE doc = ? AND field = ?", doc, u.Number).Error; err != nil {
		return false, err
	}
	var row struct{ Wanted, Set bool }
	err := tx.DB.Raw(`
		WITH w AS (SELECT d.n, d.fields ->> ?::text AS value FROM documents d WHERE d.n = ?),
		noted AS (
			INSERT INTO uniques (field, value, doc) SELECT ?, value, n FROM w WHERE value IS NOT NULL
			ON CONFLICT (field, value) DO NOTHING
			RETURNING field)
		SELECT EXISTS (SELECT FROM w WHERE value IS NOT NULL) AS wanted, EXISTS (SELECT FROM noted) AS set`,
		u.Name, doc, u.Number).Scan(&row).Error
	return row.Set || !row.Wanted, err
}
