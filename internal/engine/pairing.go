package engine

import (
	"context"
	"encoding/json"
	"fmt"
	"time"

	"yalvo/internal/design"
	"yalvo/internal/plan"
	"yalvo/internal/store"
)

// Link names a pair: its kind and the keys of its two ends.
type Link struct {
	Pair     string
	From, To string
}

// PairState is how a pair stands.
type PairState struct {
	Pair   string          `json:"pair"`
	From   string          `json:"from"` // a path
	To     string          `json:"to"`   // a path
	Set    bool            `json:"set"`
	Since  *time.Time      `json:"since,omitempty"`
	Fields json.RawMessage `json:"fields,omitempty"` // the pair's own, if its kind has some
}

// SetPair makes a pair, with fields of its own if its kind has some. Doing it
// twice is the same as once. Without fields (nil) a pair that stands keeps
// those it has, and a new one gets the defaults.
func (e *Engine) SetPair(ctx context.Context, caller Caller, link Link, fields map[string]any) (Result, error) {
	return e.write(ctx, caller, func(r *running, tx *store.Tx) (Result, error) {
		p, err := r.pair(link.Pair)
		if err != nil {
			return Result{}, err
		}
		return r.setPair(tx, p, link, fields, cause{actor: caller.Me})
	})
}

func (r *running) setPair(tx *store.Tx, p *plan.Pair, link Link, fields map[string]any, why cause) (Result, error) {
	from, to, err := holdEnds(tx, p, link)
	if err != nil {
		return Result{}, err
	}
	if p.Opposed {
		if err := tx.LockBetween(from.N, to.N); err != nil {
			return Result{}, err
		}
	}
	given, err := pairFields(tx, p, from.N, to.N, fields, Caller{Me: why.actor})
	if err != nil {
		return Result{}, err
	}
	outcome, err := tx.SetPair(p.Number, from.N, to.N, given, fields == nil)
	if err != nil {
		return Result{}, err
	}
	kind := plan.Set
	switch outcome {
	case store.Stood:
		return unchanged(tx, Result{Read: 2})
	case store.Refilled:
		kind = plan.Changed
	}
	position, err := r.commit(tx, store.Record{Kind: kind, Subject: p.Name, Detail: detail(p, from.Key, to.Key)},
		plan.Change{Kind: kind, Pair: p, From: from.N, To: to.N}, why)
	result := Result{Position: at(position), Fresh: true, Read: 2, Wrote: 1}
	if err != nil || outcome == store.Refilled {
		return result, err
	}
	if err := r.firePair(tx, design.OnSet, p, store.Ends{A: from.N, B: to.N, AKey: from.Key, BKey: to.Key, Fields: given}, why.from(position)); err != nil {
		return result, err
	}
	dissolved, err := r.dissolve(tx, p, from, to, why.from(position))
	result.Wrote += dissolved
	return result, err
}

// pairFields is what a pair's own fields become, nil if its kind has none. A
// pair that stands and is set again without fields needs none.
func pairFields(tx *store.Tx, p *plan.Pair, from, to int64, fields map[string]any, caller Caller) (json.RawMessage, error) {
	if len(p.Fields) == 0 && len(fields) == 0 {
		return nil, nil
	}
	filled, mistakes := fillDefaults(p.Fields, fields, caller)
	accepted, wrong := design.AcceptAll(p.Fields, filled)
	if mistakes = append(mistakes, wrong...); len(mistakes) == 0 {
		return json.Marshal(accepted)
	}
	if fields == nil {
		stands, there, err := tx.Pair(p.Number, from, to)
		if err != nil || there {
			return stands.Fields, err
		}
	}
	return nil, invalid(under("/fields", mistakes))
}

// UnsetPair ends a pair.
func (e *Engine) UnsetPair(ctx context.Context, caller Caller, link Link) (Result, error) {
	return e.write(ctx, caller, func(r *running, tx *store.Tx) (Result, error) {
		p, err := r.pair(link.Pair)
		if err != nil {
			return Result{}, err
		}
		return r.unsetPair(tx, p, link, cause{actor: caller.Me})
	})
}

func (r *running) unsetPair(tx *store.Tx, p *plan.Pair, link Link, why cause) (Result, error) {
	from, to, err := holdEnds(tx, p, link)
	if err != nil {
		return Result{}, err
	}
	position, err := r.endPair(tx, p, from, to, why)
	if err != nil {
		return Result{}, err
	}
	if position == 0 {
		return unchanged(tx, Result{Read: 2})
	}
	return Result{Position: at(position), Fresh: true, Read: 2, Wrote: 1}, nil
}

// endPair ends a pair that stands and returns the position of that, 0 if there
// is none.
func (r *running) endPair(tx *store.Tx, p *plan.Pair, from, to store.Document, why cause) (int64, error) {
	fields, stood, err := tx.UnsetPair(p.Number, from.N, to.N)
	if err != nil || !stood {
		return 0, err
	}
	position, err := r.commit(tx, store.Record{Kind: plan.Unset, Subject: p.Name, Detail: detail(p, from.Key, to.Key)},
		plan.Change{Kind: plan.Unset, Pair: p, From: from.N, To: to.N}, why)
	if err != nil {
		return 0, err
	}
	return position, r.firePair(tx, design.OnUnset, p, store.Ends{A: from.N, B: to.N, AKey: from.Key, BKey: to.Key, Fields: fields}, why.from(position))
}

// dissolve ends the pairs that cannot stand beside one that was just set, and
// tells how many there were.
func (r *running) dissolve(tx *store.Tx, p *plan.Pair, from, to store.Document, why cause) (int, error) {
	ended := 0
	end := func(other *plan.Pair, a, b store.Document) error {
		position, err := r.endPair(tx, other, a, b, why)
		if position != 0 {
			ended++
		}
		return err
	}
	for _, other := range p.Dissolves {
		same, reversed := p.EndsWith(other.Pair)
		if same {
			if err := end(other, from, to); err != nil {
				return ended, err
			}
		}
		if reversed {
			if err := end(other, to, from); err != nil {
				return ended, err
			}
		}
	}
	return ended, nil
}

func detail(p *plan.Pair, from, to string) string {
	return p.From.Path(from) + " → " + p.To.Path(to)
}

// holdEnds locks both ends of a pair, so that neither goes before the commit.
func holdEnds(tx *store.Tx, p *plan.Pair, link Link) (from, to store.Document, err error) {
	if p.From == p.To && link.From == link.To && !p.Self {
		return from, to, invalid([]design.Mistake{{Pointer: "/to", Code: MistakeSelf,
			Detail: fmt.Sprintf("%s cannot be paired with itself by %q", p.From.Path(link.From), p.Name)}})
	}
	fromAt, toAt := store.Address{Collection: p.From.Number, Key: link.From}, store.Address{Collection: p.To.Number, Key: link.To}
	found, err := tx.LockTargets([]store.Address{fromAt, toAt}, store.Existing)
	if err != nil {
		return from, to, err
	}
	from, fromThere := found[fromAt]
	to, toThere := found[toAt]
	switch {
	case !fromThere:
		err = notFound(p.From, link.From)
	case !toThere:
		err = notFound(p.To, link.To)
	}
	return from, to, err
}

// MistakeSelf is the code for a pair of a document with itself.
const MistakeSelf = "self"

// PairState reads how a pair stands.
func (e *Engine) PairState(ctx context.Context, link Link) (PairState, error) {
	r, err := e.planned(ctx)
	if err != nil {
		return PairState{}, err
	}
	p, err := r.pair(link.Pair)
	if err != nil {
		return PairState{}, err
	}
	from, err := e.number(ctx, p.From, link.From)
	if err != nil {
		return PairState{}, err
	}
	to, err := e.number(ctx, p.To, link.To)
	if err != nil {
		return PairState{}, err
	}
	state := PairState{Pair: p.Name, From: p.From.Path(link.From), To: p.To.Path(link.To)}
	stands, set, err := e.store.Pair(ctx, p.Number, from, to)
	if set {
		utc := stands.At.UTC()
		state.Set, state.Since = true, &utc
		if len(p.Fields) > 0 {
			state.Fields = stands.Fields
		}
	}
	return state, err
}

// number is a document's row number, or a refusal if there is no such document.
func (e *Engine) number(ctx context.Context, c *plan.Collection, key string) (int64, error) {
	n, err := e.store.Number(ctx, store.Address{Collection: c.Number, Key: key})
	if err == nil && n == 0 {
		err = notFound(c, key)
	}
	return n, err
}
