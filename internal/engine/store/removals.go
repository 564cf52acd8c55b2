package store

import (
	"yalvo/internal/design/plan"
)

// hangs is the condition that something hangs on a document w.doc that is gone,
// by the step that would end it. Only these steps are asked.
// Keys: refs_pointing, pairs, pairs_from, documents_nested, entries, origins_of.
var hangs = `CASE w.step
	WHEN 7 THEN EXISTS (SELECT FROM refs WHERE reference = w.subject AND target = w.doc)
	WHEN 8 THEN EXISTS (SELECT FROM pairs WHERE kind = w.subject AND a = w.doc AND ` + walked("") + `)
	WHEN 9 THEN EXISTS (SELECT FROM pairs WHERE kind = w.subject AND b = w.doc)
	WHEN 10 THEN EXISTS (SELECT FROM documents WHERE parent = w.doc AND collection = w.subject)
	WHEN 21 THEN EXISTS (SELECT FROM origins WHERE copy = w.subject AND target = w.doc)
	ELSE true END`

// AppendAfterRemoval is [Tx.AppendDue] for what follows from the removal of
// documents in this transaction, which has kept others from hanging anything on
// them: what has nothing hanging on it leaves nothing to end.
func (tx *Tx) AppendAfterRemoval(change int64, work []plan.Work) error {
	if len(work) == 0 {
		return nil
	}
	tx.got(work)
	return tx.db.Exec(`
		INSERT INTO due (change, lane, step, subject, key, doc, rank, amount)
		SELECT ?::bigint, w.* FROM `+workRows+` w (lane, step, subject, key, doc, rank, amount)
		WHERE `+hangs, append([]any{change}, workArgs(work)...)...).Error
}

// HasMoreThan tells whether more than so many pairs of a kind lead to a document.
// Key: pairs (kind, b, a).
func (tx *Tx) HasMoreThan(kind plan.Number, to int64, many int) (bool, error) {
	var more bool
	err := tx.db.Raw("SELECT EXISTS (SELECT FROM pairs WHERE kind = ? AND b = ? OFFSET ?)", kind, to,
		many).Scan(&more).Error
	return more, err
}

// onTheWay is the condition that entries of an author w.author of a timeline may
// be on their way into or out of timelines, by due rows in a table.
// Index: due_by_author. Key: due (lane, change, seq).
func onTheWay(rows string) string {
	return `EXISTS (SELECT FROM ` + rows + ` d
			WHERE d.lane = 3 AND d.step IN (3, 4) AND d.subject = ? AND d.key = w.author)
		OR EXISTS (SELECT FROM ` + rows + ` d WHERE d.lane = 4 AND d.step = 7 AND d.subject = ? AND d.doc = w.author`
}

// IsLeaving tells whether the posts of an author who is gone by a change are on
// their way out of the timelines.
func (tx *Tx) IsLeaving(t *plan.Timeline, author, change int64) (bool, error) {
	var is bool
	err := tx.db.Raw("SELECT "+onTheWay("due")+" AND d.change = ?) FROM (SELECT ?::bigint AS author) w", t.Number,
		t.By.Number, change, author).Scan(&is).Error
	return is, err
}

// OutOfTimelines are the authors among some, who are gone, of whom no timeline of
// others holds an entry: they have nothing posted, and nothing is on its way,
// parked work included. Keys: posted, delivery_modes.
func (tx *Tx) OutOfTimelines(t *plan.Timeline, authors []int64) ([]int64, error) {
	var out []int64
	err := tx.db.Raw(`
		SELECT w.author
		FROM unnest(?::bigint[]) AS w (author)
		WHERE NOT EXISTS (SELECT FROM posted WHERE timeline = ? AND author = w.author)
		  AND NOT EXISTS (SELECT FROM delivery_modes WHERE timeline = ? AND author = w.author)
		  AND NOT EXISTS (SELECT FROM documents WHERE n = w.author)
		  AND NOT (`+onTheWay("outstanding")+`))`, bigints(authors), t.Number, t.Number, t.Number,
		t.By.Number).Scan(&out).Error
	return out, err
}
