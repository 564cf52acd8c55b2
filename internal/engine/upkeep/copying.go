package upkeep

import (
	"slices"

	"yalvo/internal/design/plan"
	"yalvo/internal/engine/store/factsql"
	"yalvo/internal/engine/store/keptsql"
	"yalvo/internal/engine/store/queuesql"
)

// How many copies one transaction brings up to date.
const (
	copyChunk = 2000 // of one document's values
	copyTurn  = 5000 // in all: then the rest of the work waits for the next turn
)

// recopy carries changed values to the documents that show them: copies, and
// choices among sources. It finds out first which documents it will write, and
// locks them all at once.
func (t *turn) recopy(due []queuesql.Due) error {
	var choices, copies []queuesql.Due
	for _, d := range due {
		switch d.Step {
		case plan.Choose:
			choices = append(choices, d)
		case plan.Refresh:
			if err := t.refresh(d); err != nil {
				return err
			}
		default:
			copies = append(copies, d)
		}
	}
	jobs, err := t.copyJobs(copies)
	if err != nil {
		return err
	}
	var docs []int64
	for _, d := range choices {
		docs = append(docs, d.Doc)
	}
	for _, j := range jobs {
		docs = append(docs, j.holders...)
	}
	if err := keptsql.LockKept(t.Tx, docs); err != nil {
		return err
	}
	if err := t.choose(choices); err != nil {
		return err
	}
	for _, j := range jobs {
		if err := t.copy(j); err != nil {
			return err
		}
	}
	return nil
}

// copyJob is a chunk of the copies of one document's values. Rows of due work
// for the same are one job: the facts are read when it is done.
type copyJob struct {
	copy    *plan.Copy // nil: of a design that is no longer in force
	rows    []queuesql.Due
	holders []int64
}

func (t *turn) copyJobs(due []queuesql.Due) ([]*copyJob, error) {
	type what struct {
		subject  plan.Number
		doc, key int64
		cursor   int64
	}
	byWhat := map[what]*copyJob{}
	var jobs []*copyJob
	total := 0
	for _, d := range due {
		w := what{d.Subject, d.Doc, d.Key, d.Cursor}
		if j := byWhat[w]; j != nil {
			j.rows = append(j.rows, d)
			continue
		}
		if total >= copyTurn {
			continue
		}
		j := &copyJob{copy: t.Plan.CopyNumbered(d.Subject), rows: []queuesql.Due{d}}
		if err := t.holders(j, d); err != nil {
			return nil, err
		}
		byWhat[w], jobs, total = j, append(jobs, j), total+len(j.holders)
	}
	return jobs, nil
}

// holders finds the documents that hold the copies.
func (t *turn) holders(j *copyJob, d queuesql.Due) (err error) {
	switch {
	case j.copy == nil:
	case d.Key != 0:
		j.holders = []int64{d.Key}
	default:
		j.holders, err = factsql.PointingAt(t.Tx, j.copy.Via.Number, d.Doc, d.Cursor, copyChunk)
	}
	return err
}

func (t *turn) copy(j *copyJob) error {
	if j.copy == nil {
		return t.finish(j.rows)
	}
	differed, err := keptsql.Recopy(t.Tx, j.copy, j.holders)
	if err != nil {
		return err
	}
	if j.rows[0].Key == 0 { // else it was copied in the write, and this sees that it still is so
		t.rewrote(j.copy.In, j.copy.Name, int64(len(j.rows)*len(j.holders)), int64(len(differed)))
	}
	if err := t.keptChanged(j.copy.In, j.copy.Name, differed, changesOf(j.rows)...); err != nil {
		return err
	}
	return t.finishOrContinue(j.rows, j.holders)
}

// changesOf are the changes whose readers wait for some work.
func changesOf(rows []queuesql.Due) []int64 {
	var changes []int64
	for _, d := range rows {
		if !slices.Contains(changes, d.Change) {
			changes = append(changes, d.Change)
		}
	}
	return changes
}

// finishOrContinue: a full chunk means that there may be more.
func (t *turn) finishOrContinue(rows []queuesql.Due, chunk []int64) error {
	if len(chunk) < copyChunk {
		for i := range rows {
			rows[i].Rows = int64(len(chunk))
		}
		return t.finish(rows)
	}
	var on []queuesql.Progress
	for _, d := range rows {
		on = append(on, queuesql.Progress{Due: d, Next: chunk[len(chunk)-1], Passed: int64(len(chunk))})
	}
	return queuesql.ContinueDue(t.Tx, on)
}
