package progress

import (
	"context"
	"fmt"
	"time"

	"yalvo/internal/engine/running"
	"yalvo/internal/engine/store/factsql"
)

// Change is an entry of the journal.
type Change struct {
	Position int64     `json:"position"`
	At       time.Time `json:"at"`
	Kind     string    `json:"kind"`
	Subject  string    `json:"subject"`          // a document's path, or a pair's name
	Detail   string    `json:"detail,omitempty"` // the fields changed, or the pair's ends
	As       string    `json:"as,omitempty"`     // who asked for it
	Cause    int64     `json:"cause,omitempty"`  // the change it follows from
}

// ChangeOf shows a record of the journal.
func ChangeOf(r factsql.Record) Change {
	return Change{r.Seq, r.At.UTC(), string(r.Kind), r.Subject, r.Detail, r.Actor, r.Cause}
}

func changesOf(records []factsql.Record) []Change {
	all := make([]Change, len(records))
	for i, r := range records {
		all[i] = ChangeOf(r)
	}
	return all
}

// Recent are the newest changes, newest first.
func (r *Reader) Recent(ctx context.Context, limit int) ([]Change, error) {
	records, err := factsql.Recent(ctx, r.Store, limit)
	return changesOf(records), err
}

// ChangesFrom reads on from a place in the journal, oldest first, and returns
// the place to read on from next. Nothing is missed: changes that are committed
// late under lower positions come later. The empty place is the beginning.
func (r *Reader) ChangesFrom(ctx context.Context, place string, limit int) ([]Change, string, error) {
	var xid, seq int64
	if place != "" {
		if _, err := fmt.Sscanf(place, "%d-%d", &xid, &seq); err != nil || xid < 0 || seq < 0 {
			return nil, "", running.Refuse(running.CodeInvalid,
				"%q is no place in the journal: begin with an empty `from`, then give `next` of each answer", place)
		}
	}
	records, xid, seq, err := factsql.JournalAfter(ctx, r.Store, xid, seq, limit)
	return changesOf(records), fmt.Sprintf("%d-%d", xid, seq), err
}
