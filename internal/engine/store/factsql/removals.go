package factsql

import (
	"yalvo/internal/design/plan"
	"yalvo/internal/engine/store"
	"yalvo/internal/engine/store/queuesql"
)

// hangs is the condition that something hangs on a document w.doc that is gone,
// by the step that would end it. Only these steps are asked.
// Keys: refs_pointing, pairs, pairs_from, documents_nested, entries, origins_of.
var hangs = `CASE w.step
	WHEN 7 THEN EXISTS (SELECT FROM refs WHERE reference = w.subject AND target = w.doc)
	WHEN 8 THEN EXISTS (SELECT FROM pairs WHERE kind = w.subject AND a = w.doc AND ` + store.Walked("") + `)
	WHEN 9 THEN EXISTS (SELECT FROM pairs WHERE kind = w.subject AND b = w.doc)
	WHEN 10 THEN EXISTS (SELECT FROM documents WHERE parent = w.doc AND collection = w.subject)
	WHEN 21 THEN EXISTS (SELECT FROM origins WHERE copy = w.subject AND target = w.doc)
	ELSE true END`

// AppendAfterRemoval is [queuesql.AppendDue] for what follows from the removal of
// documents in this transaction, which has kept others from hanging anything on
// them: what has nothing hanging on it leaves nothing to end.
func AppendAfterRemoval(tx *store.Tx, change int64, work []plan.Work) error {
	if len(work) == 0 {
		return nil
	}
	tx.Got(work)
	return tx.DB.Exec(`
		INSERT INTO due (change, lane, step, subject, key, doc, rank, amount)
		SELECT ?::bigint, w.* FROM `+queuesql.WorkRows+` w (lane, step, subject, key, doc, rank, amount)
		WHERE `+hangs, append([]any{change}, queuesql.WorkArgs(work)...)...).Error
}

// HasMoreThan tells whether more than so many pairs of a kind lead to a document.
// Key: pairs (kind, b, a).
func HasMoreThan(tx *store.Tx, kind plan.Number, to int64, many int) (bool, error) {
	var more bool
	err := tx.DB.Raw("SELECT EXISTS (SELECT FROM pairs WHERE kind = ? AND b = ? OFFSET ?)", kind, to,
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
func IsLeaving(tx *store.Tx, t *plan.Timeline, author, change int64) (bool, error) {
	var is bool
	err := tx.DB.Raw("SELECT "+onTheWay("due")+" AND d.change = ?) FROM (SELECT ?::bigint AS author) w", t.Number,
		t.By.Number, change, author).Scan(&is).Error
	return is, err
}

// OutOfTimelines are the authors among some, who are gone, of whom no timeline of
// others holds an entry: they have nothing posted, and nothing is on its way,
// parked work included. Keys: posted, delivery_modes.
func OutOfTimelines(tx *store.Tx, t *plan.Timeline, authors []int64) ([]int64, error) {
	var out []int64
	err := tx.DB.Raw(`
		SELECT w.author
		FROM unnest(?::bigint[]) AS w (author)
		WHERE NOT EXISTS (SELECT FROM posted WHERE timeline = ? AND author = w.author)
		  AND NOT EXISTS (SELECT FROM delivery_modes WHERE timeline = ? AND author = w.author)
		  AND NOT EXISTS (SELECT FROM documents WHERE n = w.author)
		  AND NOT (`+onTheWay("outstanding")+`))`, store.Bigints(authors), t.Number, t.Number, t.Number,
		t.By.Number).Scan(&out).Error
	return out, err
}
