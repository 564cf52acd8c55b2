package engine

import (
	"yalvo/internal/plan"
	"yalvo/internal/store"
)

// copyChunk is how many copies one transaction brings up to date.
const copyChunk = 2000

// recopy carries changed values to the documents that show them: copies, and
// choices among sources.
func (t *turn) recopy(due []store.Due) error {
	var choices, copies []store.Due
	for _, d := range due {
		switch d.Step {
		case plan.Choose:
			choices = append(choices, d)
		case plan.Reshow:
			if err := t.reshow(d); err != nil {
				return err
			}
		default:
			copies = append(copies, d)
		}
	}
	if len(choices) > 0 {
		if err := t.choose(choices); err != nil {
			return err
		}
	}
	return t.copy(copies)
}

// copy does copies. Rows for the same document and copy are one job: the facts
// are read when it is done.
func (t *turn) copy(due []store.Due) error {
	type job struct {
		subject  plan.Number
		doc, key int64
		cursor   int64
	}
	jobs := map[job][]store.Due{}
	for _, d := range due {
		j := job{d.Subject, d.Doc, d.Key, d.Cursor}
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
		sources := []int64{j.key}
		if j.key == 0 {
			var err error
			if sources, err = t.tx.PointingAt(c.Via.Number, j.doc, j.cursor, copyChunk); err != nil {
				return err
			}
		}
		differed, err := t.tx.Recopy(c, sources)
		if err != nil {
			return err
		}
		if err := t.keptChanged(c.In, c.Name, differed, owedBy(rows)...); err != nil {
			return err
		}
		if err := t.finishOrContinue(rows, sources); err != nil {
			return err
		}
	}
	return nil
}

func owedBy(rows []store.Due) []int64 {
	var changes []int64
	for _, d := range rows {
		changes = append(changes, d.Change)
	}
	return changes
}

// finishOrContinue: a full chunk means that there may be more.
func (t *turn) finishOrContinue(rows []store.Due, chunk []int64) error {
	if len(chunk) < copyChunk {
		for i := range rows {
			rows[i].Rows = int64(len(chunk))
		}
		return t.finish(rows)
	}
	var on []store.Progress
	for _, d := range rows {
		on = append(on, store.Progress{Seq: d.Seq, Cursor: chunk[len(chunk)-1], Rows: int64(len(chunk))})
	}
	return t.tx.ContinueDue(rows[0].Lane, on)
}
