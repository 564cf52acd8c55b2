package engine

import (
	"context"
	"encoding/json"
	"slices"
	"time"

	"yalvo/internal/plan"
	"yalvo/internal/store"
)

// Forgotten is how far it has come to forget a document, and the report.
type Forgotten struct {
	ID       int64        `json:"id"`
	Document string       `json:"document"`
	Change   int64        `json:"change"` // the removal
	Places   []Place      `json:"places"` // where it was duplicated to
	Finished bool         `json:"finished"`
	Removed  []store.Rest `json:"removed"` // documents that went, by collection
	Answers  int64        `json:"answers"` // kept answers to requests that were dropped
	Events   int64        `json:"events"`  // events for triggers that were dropped
	Journal  int64        `json:"journal"` // lines of the journal that name its path; they hold no values
	Left     []store.Rest `json:"left"`    // what a search of every table has found still
	Started  time.Time    `json:"started"`
	Ended    *time.Time   `json:"ended,omitempty"`
}

// Forget removes a document, what goes with it, and every copy of what it said:
// frozen copies and references that are left dangling by a mere removal too.
// When all that is done, every table is searched for the rest.
func (e *Engine) Forget(ctx context.Context, caller Caller, path string) (Forgotten, error) {
	places, err := e.Places(ctx, path)
	if err != nil {
		return Forgotten{}, err
	}
	raw, err := json.Marshal(places)
	if err != nil {
		return Forgotten{}, err
	}
	var id int64
	_, err = e.write(ctx, Caller{Me: caller.Me}, func(r *running, tx *store.Tx) (Result, error) {
		c, key, err := r.locate(path)
		if err != nil {
			return Result{}, err
		}
		if id, err = tx.AddForgotten(c.Path(key), raw); err != nil {
			return Result{}, err
		}
		result, err := r.removeOne(tx, c, Target{Collection: c.Name, Key: key}, cause{actor: caller.Me, forgotten: id})
		if err != nil {
			return result, err
		}
		position, err := exactly(result.Position)
		if err != nil {
			return result, err
		}
		return result, tx.SetForgottenChange(id, position)
	})
	if err != nil {
		return Forgotten{}, err
	}
	e.wakeAuditor()
	return e.Forgetting(ctx, id)
}

// notePlaces adds where locked documents, which go along with what is
// forgotten, are duplicated to.
func (t *turn) notePlaces(c *plan.Collection, docs []store.Document, forgotten int64) error {
	raw, err := t.tx.ForgottenPlaces(forgotten)
	if err != nil {
		return err
	}
	var places []Place
	if err := json.Unmarshal(raw, &places); err != nil {
		return err
	}
	for _, doc := range docs {
		more, err := t.engine.placesOf(t.ctx, c, doc)
		if err != nil {
			return err
		}
		for _, p := range more {
			places = with(places, p)
		}
	}
	if raw, err = json.Marshal(places); err != nil {
		return err
	}
	return t.tx.SetForgottenPlaces(forgotten, raw)
}

// with adds a place to those there are, under one name once.
func with(places []Place, p Place) []Place {
	i := slices.IndexFunc(places, func(o Place) bool { return o.Where == p.Where })
	if i < 0 {
		return append(places, p)
	}
	places[i].Many += p.Many
	return places
}

// Forgetting reads how far it has come.
func (e *Engine) Forgetting(ctx context.Context, id int64) (Forgotten, error) {
	row, found, err := e.store.Forgotten(ctx, id)
	if err == nil && !found {
		err = refuse(CodeNotFound, "nothing was forgotten under number %d", id)
	}
	if err != nil {
		return Forgotten{}, err
	}
	var out Forgotten
	if row.Ended != nil {
		if err := json.Unmarshal(row.Report, &out); err != nil {
			return out, err
		}
	}
	out.Removed, out.Left = append([]store.Rest{}, out.Removed...), append([]store.Rest{}, out.Left...) // never null
	out.Answers, out.Events = row.Answers, row.Events
	out.ID, out.Document, out.Change, out.Started, out.Ended, out.Finished = row.ID, row.Path, row.Change, row.Started.UTC(), row.Ended, row.Ended != nil
	return out, json.Unmarshal(row.Places, &out.Places)
}

// finishForgetting searches for the rest of what is forgotten when everything
// that follows from a removal has been done. It tells whether it has finished one.
func (e *Engine) finishForgetting(ctx context.Context) (bool, error) {
	all, err := e.store.Forgetting(ctx)
	if err != nil {
		return false, err
	}
	for _, f := range all {
		due, parked, err := e.store.Unsettled(ctx, []int64{f.Change})
		if err != nil {
			return false, err
		}
		if !due && !parked {
			return true, e.searchForRest(ctx, f.ID)
		}
	}
	return false, nil
}

// searchForRest drops what nothing else drops, and looks whether there is
// anything left. The search takes its time, so it is in no transaction that
// writes: readers of the journal would wait for that.
func (e *Engine) searchForRest(ctx context.Context, id int64) error {
	if err := e.store.Write(ctx, func(tx *store.Tx) error { return tx.ForgetAnswers(id) }); err != nil {
		return err
	}
	report := Forgotten{}
	err := e.store.View(ctx, func(tx *store.Tx) error {
		var err error
		if report.Removed, err = tx.Removed(id); err != nil {
			return err
		}
		if report.Left, err = tx.Remains(id); err != nil {
			return err
		}
		report.Journal, err = tx.JournalNames(id)
		return err
	})
	if err != nil {
		return err
	}
	raw, err := json.Marshal(report)
	if err != nil {
		return err
	}
	return e.store.Write(ctx, func(tx *store.Tx) error { return tx.FinishForgotten(id, raw) })
}
