package versionsql

import (
	"time"

	"yalvo/internal/engine/store"
)

// Draft is a design that somebody works on.
type Draft struct {
	Name    string    `json:"name"`
	Edition int64     `json:"edition"` // goes up whenever it is kept
	Base    int       `json:"base"`    // the version of the design that it began from, 0: none
	Bytes   int       `json:"bytes"`
	Author  string    `json:"author,omitempty"` // who kept it last
	Changed time.Time `json:"changed"`
	Source  string    `json:"source,omitempty"` // left out of lists
}

// Drafts are all, without their text, the one changed last first. There are few: no index.
func Drafts(tx *store.Tx) (all []Draft, err error) {
	err = tx.DB.Raw(`
		SELECT name, edition, base, octet_length(source) AS bytes, author, changed
		FROM drafts ORDER BY changed DESC, name`).Scan(&all).Error
	return all, err
}

// DraftNamed is one, nil if there is none. Key: drafts (name).
func DraftNamed(tx *store.Tx, name string) (*Draft, error) {
	var all []Draft
	err := tx.DB.Raw(`
		SELECT name, edition, base, octet_length(source) AS bytes, author, changed, source
		FROM drafts WHERE name = ?`, name).Scan(&all).Error
	if err != nil || len(all) == 0 {
		return nil, err
	}
	return &all[0], nil
}

// AddDraft keeps a new one; it tells whether it did: not if there is one of that name, or as many as there may be.
// Of several at once, one adds after the other.
func AddDraft(tx *store.Tx, d Draft, most int) (bool, error) {
	if err := tx.DB.Exec("LOCK TABLE drafts IN SHARE ROW EXCLUSIVE MODE").Error; err != nil {
		return false, err
	}
	done := tx.DB.Exec(`
		INSERT INTO drafts (name, edition, base, source, author)
		SELECT ?, 1, ?, ?, ? WHERE (SELECT count(*) FROM drafts) < ?
		ON CONFLICT (name) DO NOTHING`, d.Name, d.Base, d.Source, d.Author, most)
	return done.RowsAffected > 0, done.Error
}

// SaveDraft keeps a new text of the edition that is named, and tells whether that was still there. Key: drafts (name).
func SaveDraft(tx *store.Tx, d Draft) (bool, error) {
	done := tx.DB.Exec(`
		UPDATE drafts SET edition = edition + 1, base = ?, source = ?, author = ?, changed = now()
		WHERE name = ? AND edition = ?`, d.Base, d.Source, d.Author, d.Name, d.Edition)
	return done.RowsAffected > 0, done.Error
}

// DropDraft forgets one; edition 0 stands for whichever there is. It tells whether it was there. Key: drafts (name).
func DropDraft(tx *store.Tx, name string, edition int64) (bool, error) {
	done := tx.DB.Exec("DELETE FROM drafts WHERE name = ? AND ?::bigint IN (0, edition)", name, edition)
	return done.RowsAffected > 0, done.Error
}
