package queuesql

import (
	"encoding/json"
	"time"

	"yalvo/internal/design/plan"
	"yalvo/internal/engine/store"
)

// Event is a change that set off a trigger of the developer's own.
type Event struct {
	N       int64
	Trigger plan.Number
	Change  int64  // the client's change at the root
	Subject string // the document's path, or the pair's ends
	Doc     int64  // the document, or the pair's from end
	Other   int64  // the pair's to end, 0 if there is none
	Depth   int64  // how many triggers in a row
	At      time.Time
	Payload json.RawMessage
}

// AddEvent notes what set off a trigger and returns its number.
func AddEvent(tx *store.Tx, f Event) (int64, error) {
	var n int64
	err := tx.DB.Raw("INSERT INTO events (trigger, change, subject, doc, other, depth, payload) VALUES (?, ?, ?, ?, "+
		"?, ?, ?::jsonb) RETURNING n",
		f.Trigger, f.Change, f.Subject, f.Doc, f.Other, f.Depth, string(f.Payload)).Scan(&n).Error
	return n, err
}

// FindEvent reads what set off a trigger, false if it was forgotten.
func FindEvent(tx *store.Tx, n int64) (Event, bool, error) {
	var f Event
	got := tx.DB.Raw("SELECT * FROM events WHERE n = ?", n).Scan(&f)
	return f, got.RowsAffected > 0, got.Error
}

// ResendEvents makes it due again to send what set off a trigger at or after a
// change, to the address of one of its steps. Index: events_by.
func ResendEvents(tx *store.Tx, trigger plan.Number, from int64, step int) (int64, error) {
	got := tx.DB.Exec(`
		INSERT INTO due (lane, step, subject, doc, amount, change)
		SELECT ?, ?, trigger, n, ?, change FROM events WHERE trigger = ? AND change >= ? ORDER BY n`,
		plan.Sending, plan.Send, step, trigger, from)
	return got.RowsAffected, got.Error
}

// DropEvents forgets what set off triggers long ago, a bit at a time, but for
// what is still due. Index: events_when. Key: due (lane, ...).
func DropEvents(tx *store.Tx, age time.Duration, limit int) error {
	return tx.DB.Exec(`
		DELETE FROM events f USING (SELECT n FROM events WHERE at < now() - ?::interval ORDER BY at LIMIT ?) old
		WHERE f.n = old.n AND NOT EXISTS (
			SELECT 1 FROM outstanding o WHERE o.lane IN (?, ?) AND o.step IN (?, ?) AND o.doc = f.n)`,
		store.Interval(age), limit, plan.Reacting, plan.Sending, plan.React, plan.Send).Error
}
