package store

import (
	"yalvo/internal/plan"
)

// hangs is the condition that something hangs on a document w.doc that is gone,
// by the step that would end it. Only these steps are asked.
// Keys: refs_pointing, pairs, pairs_from, documents_nested, entries, origins_of.
const hangs = `CASE w.step
	WHEN 7 THEN EXISTS (SELECT FROM refs WHERE reference = w.subject AND target = w.doc)
	WHEN 8 THEN EXISTS (SELECT FROM pairs WHERE kind = w.subject AND a = w.doc)
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
