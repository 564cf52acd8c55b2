package documents

import (
	"context"
	"encoding/json"
	"time"

	"yalvo/internal/design/access"
	"yalvo/internal/design/plan"
	"yalvo/internal/engine/judging"
	"yalvo/internal/engine/running"
	"yalvo/internal/engine/store/factsql"
)

// PairState is how a pair stands.
type PairState struct {
	Pair  string          `json:"pair"`
	From  string          `json:"from"` // a path
	To    string          `json:"to"`   // a path
	Set   bool            `json:"set"`
	Since *time.Time      `json:"since,omitempty"`
	Facts json.RawMessage `json:"facts,omitempty"` // the pair's own, if its kind has fields
}

// PairState reads how a pair stands.
func (r *Reader) PairState(ctx context.Context, who running.Viewer, link running.Link) (PairState, error) {
	v, err := r.Now(ctx)
	if err != nil {
		return PairState{}, err
	}
	p, err := v.Pair(link.Pair)
	if err != nil {
		return PairState{}, err
	}
	j := r.JudgeNow(ctx, v, who)
	if err = r.mayRead(ctx, j, p.From, link.From); err == nil {
		err = r.mayRead(ctx, j, p.To, link.To)
	}
	if err != nil {
		return PairState{}, err
	}
	from, err := r.Number(ctx, p.From, link.From)
	if err != nil {
		return PairState{}, err
	}
	to, err := r.Number(ctx, p.To, link.To)
	if err != nil {
		return PairState{}, err
	}
	state := PairState{Pair: p.Name, From: p.From.Path(link.From), To: p.To.Path(link.To)}
	stands, set, err := factsql.Pair(ctx, r.Store, p, from, to)
	if err == nil && set {
		set, err = mayReadPair(j, p, link, stands.Fields)
	}
	if set {
		utc := stands.At.UTC()
		state.Set, state.Since = true, &utc
		if len(p.Fields) > 0 {
			state.Facts = stands.Fields
		}
	}
	return state, err
}

// mayReadPair tells whether the viewer may read a pair; one that they may not is as none.
func mayReadPair(j *judging.Judge, p *plan.Pair, link running.Link, fields json.RawMessage) (bool, error) {
	if j == nil {
		return true, nil
	}
	may, err := judging.Allowed(j, []running.Link{link}, func(l running.Link) ([]access.Condition, error) {
		return pairRead(j, p, j.Law.Document(p.From.Collection, l.From, nil),
			j.Law.Document(p.To.Collection, l.To, nil), fields)
	})
	return err == nil && may[0], err
}
