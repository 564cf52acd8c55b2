package store

import "yalvo/internal/plan"

// ClaimUnique reserves a value of a unique field for a document. It is false
// if another document has it; one that is about to take it is waited for.
func (tx *Tx) ClaimUnique(field plan.Number, value string, doc int64) (bool, error) {
	got := tx.db.Exec("INSERT INTO uniques (field, value, doc) VALUES (?, ?, ?) ON CONFLICT (field, value) DO NOTHING", field, value, doc)
	return got.RowsAffected > 0, got.Error
}

// ReleaseUnique gives a document's value of a unique field free. Index: uniques (doc).
func (tx *Tx) ReleaseUnique(field plan.Number, doc int64) error {
	return tx.db.Exec("DELETE FROM uniques WHERE doc = ? AND field = ?", doc, field).Error
}
