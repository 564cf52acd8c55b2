package engine

import (
	"yalvo/internal/plan"
	"yalvo/internal/store"
)

// copyChunk is how many copies one transaction brings up to date.
const copyChunk = 2000

// recopy carries changed fields to the documents that copy them. Rows for the
// same document and copy are one job: the facts are read when it is done.
func (t *turn) recopy(due []store.Due) error {
	type job struct {
		subject plan.Number
		doc     int64
		cursor  int64
	}
	jobs := map[job][]store.Due{}
	for _, d := range due {
		j := job{d.Subject, d.Doc, d.Cursor}
		jobs[j] = append(jobs[j], d)
	}
	for j, rows := range jobs {
		c := t.plan.CopyNumbered(j.subject)
		if c == nil {
			if err := t.finish(rows); err != nil {
				return err
			}
			continue
		}
		sources, err := t.tx.PointingAt(c.Via.Number, j.doc, j.cursor, copyChunk)
		if err != nil {
			return err
		}
		if _, err := t.tx.Recopy(c, sources); err != nil {
			return err
		}
		if err := t.finishOrContinue(rows, sources); err != nil {
			return err
		}
	}
	return nil
}

// finishOrContinue: a full chunk means that there may be more.
func (t *turn) finishOrContinue(rows []store.Due, chunk []int64) error {
	if len(chunk) < copyChunk {
		return t.finish(rows)
	}
	cursors := map[int64]int64{}
	for _, d := range rows {
		cursors[d.Seq] = chunk[len(chunk)-1]
	}
	return t.tx.ContinueDue(rows[0].Lane, cursors)
}
