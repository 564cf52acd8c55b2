package proof

import (
	"context"
	"encoding/json"
	"slices"
	"time"

	"yalvo/internal/design/plan"
	"yalvo/internal/engine/facts"
	"yalvo/internal/engine/running"
	"yalvo/internal/engine/store"
	"yalvo/internal/engine/store/auditsql"
	"yalvo/internal/engine/store/queuesql"
)

// Forgotten is how far it has come to forget a document, and the report.
type Forgotten struct {
	ID       int64      `json:"id"`
	Document string     `json:"document"`
	Change   int64      `json:"change"` // the removal
	Places   []Place    `json:"places"` // where it was duplicated to
	Finished bool       `json:"finished"`
	Removed  []Found    `json:"removed"` // documents that went, by collection
	Answers  int64      `json:"answers"` // kept answers to requests that were dropped
	Events   int64      `json:"events"`  // events for triggers that were dropped
	Journal  int64      `json:"journal"` // lines of the journal that name its path; they hold no values
	Left     []Found    `json:"left"`    // what a search of every table has found still
	Started  time.Time  `json:"started"`
	Ended    *time.Time `json:"ended,omitempty"`
}

// Found is how much of something was found somewhere.
type Found struct {
	Where string `json:"where"`
	Many  int64  `json:"many"`
}

func foundIn(counts []auditsql.CountIn) []Found {
	all := []Found{}
	for _, c := range counts {
		all = append(all, Found(c))
	}
	return all
}

// Forget removes a document, what goes with it, and every copy of what it said:
// frozen copies and references that are left dangling by a mere removal too. It
// reaches what was its own and was removed before, and a document that is gone
// itself, for as long as there may be traces of it.
// When all that is done, every table is searched for the basis.
func (p *Prover) Forget(ctx context.Context, caller running.Caller, path string) (Forgotten, error) {
	places, err := p.Places(ctx, path)
	if running.IsMissing(err) { // it may have been removed before
		places, err = []Place{}, nil
	}
	if err != nil {
		return Forgotten{}, err
	}
	raw, err := json.Marshal(places)
	if err != nil {
		return Forgotten{}, err
	}
	var id int64
	operator := running.Caller{Viewer: running.Viewer{Me: caller.Me}}
	_, err = p.facts.Write(ctx, operator, func(u facts.Unit) (facts.Result, error) {
		c, key, err := u.Locate(path)
		if err != nil {
			return facts.Result{}, err
		}
		if id, err = auditsql.AddForgotten(u.Tx, c.Path(key), raw); err != nil {
			return facts.Result{}, err
		}
		why := facts.Cause{Actor: caller.Me, Mark: plan.Mark{Forgotten: id}}
		result, err := u.Remove(facts.Target{Collection: c.Name, Key: key}, why)
		if running.IsMissing(err) {
			change, lateErr := u.ForgetDeparted(c, key, id)
			if lateErr == nil && change == 0 {
				lateErr = err
			}
			if lateErr != nil {
				return facts.Result{}, lateErr
			}
			return facts.Result{}, auditsql.SetForgottenChange(u.Tx, id, change)
		}
		if err != nil {
			return result, err
		}
		position, err := result.Position.Exactly()
		if err != nil {
			return result, err
		}
		return result, auditsql.SetForgottenChange(u.Tx, id, position)
	})
	if err != nil {
		return Forgotten{}, err
	}
	p.wakeAuditor()
	return p.Forgetting(ctx, id)
}

// notePlaces adds where locked documents, which go along with what is
// forgotten, are duplicated to.
func (p *Prover) notePlaces(ctx context.Context, u facts.Unit, c *plan.Collection, docs []store.Document,
	forgotten int64) error {
	raw, err := auditsql.ForgottenPlaces(u.Tx, forgotten)
	if err != nil {
		return err
	}
	var places []Place
	if err := json.Unmarshal(raw, &places); err != nil {
		return err
	}
	for _, doc := range docs {
		more, err := p.placesOf(ctx, c, doc)
		if err != nil {
			return err
		}
		for _, place := range more {
			places = with(places, place)
		}
	}
	if raw, err = json.Marshal(places); err != nil {
		return err
	}
	return auditsql.SetForgottenPlaces(u.Tx, forgotten, raw)
}

// with adds a place to those there are, under one name once.
func with(places []Place, place Place) []Place {
	i := slices.IndexFunc(places, func(o Place) bool { return o.Where == place.Where })
	if i < 0 {
		return append(places, place)
	}
	places[i].Many += place.Many
	return places
}

// Forgetting reads how far it has come.
func (p *Prover) Forgetting(ctx context.Context, id int64) (Forgotten, error) {
	row, found, err := auditsql.FindForgotten(ctx, p.Store, id)
	if err == nil && !found {
		err = running.Refuse(running.CodeNotFound, "nothing was forgotten under number %d", id)
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
	out.Removed, out.Left = append([]Found{}, out.Removed...), append([]Found{}, out.Left...) // never null
	out.Answers, out.Events = row.Answers, row.Events
	out.ID, out.Document, out.Change, out.Started, out.Ended, out.Finished = row.ID, row.Path, row.Change,
		row.Started.UTC(), row.Ended, row.Ended != nil
	return out, json.Unmarshal(row.Places, &out.Places)
}

// finishForgetting searches for the basis of what is forgotten when everything
// that follows from a removal has been done. It tells whether it has finished one.
func (p *Prover) finishForgetting(ctx context.Context) (bool, error) {
	all, err := auditsql.Forgetting(ctx, p.Store)
	if err != nil {
		return false, err
	}
	for _, f := range all {
		work, err := queuesql.UnsettledChange(ctx, p.Store, f.Change)
		if err != nil {
			return false, err
		}
		if work.Due || work.Parked {
			continue
		}
		if finished, err := p.searchForRest(ctx, f); finished || err != nil {
			return finished, err
		}
	}
	return false, nil
}

// searchForRest drops what nothing else drops, and looks whether there is
// anything left. The search takes its time, so it is in no transaction that
// writes: readers of the journal would wait for that. It has not finished if something is left that
// an earlier change may still take away: what was removed before it was forgotten may hang on for a while.
func (p *Prover) searchForRest(ctx context.Context, f auditsql.Forgotten) (finished bool, err error) {
	id := f.ID
	if err := p.Store.Write(ctx, func(tx *store.Tx) error { return auditsql.ForgetAnswers(tx, id) }); err != nil {
		return false, err
	}
	if err := p.facts.ForgetPictures(ctx, id); err != nil {
		return false, err
	}
	earlier, err := queuesql.Unsettled(ctx, p.Store, queuesql.Wanted{UpTo: f.Change})
	if err != nil {
		return false, err
	}
	report := Forgotten{}
	err = p.Store.View(ctx, func(tx *store.Tx) error {
		removed, err := auditsql.Removed(tx, id)
		if err != nil {
			return err
		}
		left, err := auditsql.Remains(tx, id)
		if err != nil {
			return err
		}
		report.Removed, report.Left = foundIn(removed), foundIn(left)
		report.Journal, err = auditsql.JournalNames(tx, id)
		return err
	})
	if err != nil || len(report.Left) > 0 && earlier[0].Due {
		return false, err
	}
	raw, err := json.Marshal(report)
	if err != nil {
		return false, err
	}
	finish := func(tx *store.Tx) error { return auditsql.FinishForgotten(tx, id, raw) }
	if err := p.Store.Write(ctx, finish); err != nil {
		return false, err
	}
	p.Log.Info("a document is forgotten", "number", id, "documents removed", len(report.Removed), "left",
		len(report.Left))
	return true, nil
}
