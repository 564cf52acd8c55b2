package store

import (
	"encoding/json"
	"time"

	"yalvo/internal/plan"
)

// Fired is a change that set off a trigger of the developer's own.
type Fired struct {
	N        int64
	Reaction plan.Number
	Change   int64  // the client's change at the root
	Subject  string // the document's path, or the pair's ends
	Doc      int64  // the document, or the pair's from end
	Other    int64  // the pair's to end, 0 if there is none
	Depth    int64  // how many triggers in a row
	At       time.Time
	Payload  json.RawMessage
}

// Fire notes what set off a trigger and returns its number.
func (tx *Tx) Fire(f Fired) (int64, error) {
	var n int64
	err := tx.db.Raw("INSERT INTO fired (reaction, change, subject, doc, other, depth, payload) VALUES (?, ?, ?, ?, ?, ?, ?::jsonb) RETURNING n",
		f.Reaction, f.Change, f.Subject, f.Doc, f.Other, f.Depth, string(f.Payload)).Scan(&n).Error
	return n, err
}

// Fired reads what set off a trigger, false if it was forgotten.
func (tx *Tx) Fired(n int64) (Fired, bool, error) {
	var f Fired
	got := tx.db.Raw("SELECT * FROM fired WHERE n = ?", n).Scan(&f)
	return f, got.RowsAffected > 0, got.Error
}

// Refire makes it due again to send what set off a trigger at or after a
// change, to the address of one of its steps. Index: fired_by.
func (tx *Tx) Refire(reaction plan.Number, from int64, step int) (int64, error) {
	got := tx.db.Exec(`
		INSERT INTO due (lane, step, subject, doc, amount, change)
		SELECT ?, ?, reaction, n, ?, change FROM fired WHERE reaction = ? AND change >= ? ORDER BY n`,
		plan.Sending, plan.Send, step, reaction, from)
	return got.RowsAffected, got.Error
}

// DropFired forgets what set off triggers long ago, a bit at a time, but for
// what is still due. Index: fired_when.
func (tx *Tx) DropFired(age time.Duration, limit int) error {
	return tx.db.Exec(`
		DELETE FROM fired f USING (SELECT n FROM fired WHERE at < now() - ?::interval ORDER BY at LIMIT ?) old
		WHERE f.n = old.n AND NOT EXISTS (SELECT 1 FROM owed o WHERE o.step IN (?, ?) AND o.doc = f.n)`,
		interval(age), limit, plan.React, plan.Send).Error
}

// Lease takes one piece of work of a lane for some time, but for that of some
// subjects: whoever crashes with it leaves it to be done again.
func (tx *Tx) Lease(lane plan.Lane, hold time.Duration, except ...plan.Number) (Due, bool, error) {
	claimed, err := tx.ClaimDue(lane, 1, except...)
	if err != nil || len(claimed) == 0 {
		return Due{}, false, err
	}
	return claimed[0], true, tx.PostponeDue(lane, claimed[0].Seq, hold)
}
