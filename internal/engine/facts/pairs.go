package facts

import (
	"context"
	"encoding/json"
	"fmt"
	"slices"

	"yalvo/internal/design"
	"yalvo/internal/design/plan"
	"yalvo/internal/engine/metering"
	"yalvo/internal/engine/running"
	"yalvo/internal/engine/store"
	"yalvo/internal/engine/store/factsql"
)

// SetPair makes a pair, with facts of its own if its kind has fields. Doing it
// twice is the same as once. Without facts (nil) a pair that stands keeps those
// it has, and a new one gets the defaults.
func (w *Writer) SetPair(ctx context.Context, caller running.Caller, link running.Link, facts map[string]any) (Result,
	error) {
	plain := func(v *running.Version) bool {
		p := v.Plan.Pair(link.Pair)
		return p == nil || len(p.Dissolves) == 0 && !v.FiresPair(design.OnSet, p)
	}
	return w.write(ctx, caller, plain, func(u Unit) (Result, error) {
		return u.SetPair(link, facts, Cause{Actor: caller.Me})
	})
}

// UnsetPair ends a pair.
func (w *Writer) UnsetPair(ctx context.Context, caller running.Caller, link running.Link) (Result, error) {
	plain := func(v *running.Version) bool {
		p := v.Plan.Pair(link.Pair)
		return p == nil || !v.FiresPair(design.OnUnset, p)
	}
	return w.write(ctx, caller, plain, func(u Unit) (Result, error) {
		return u.UnsetPair(link, Cause{Actor: caller.Me})
	})
}

// SetPair makes a pair within a unit.
func (u Unit) SetPair(link running.Link, facts map[string]any, why Cause) (Result, error) {
	p, err := u.pairFor(link)
	if err != nil {
		return Result{}, err
	}
	accepted, given, stands, err := u.pairFields(p, link, facts, why.Actor)
	blind := false
	if err == nil {
		blind, err = u.maySet(p, link, accepted)
	}
	if err != nil {
		return Result{}, err
	}
	result, err := Result{}, error(nil)
	if stands {
		result, err = u.pairUnchanged(p, link)
	} else {
		write := u.pairWrite(p, link, plan.Set, why)
		write.Fields, write.Keep = given, facts == nil
		result, err = u.put(p, link, write, why)
	}
	if err == nil && blind {
		return u.blind()
	}
	return result, err
}

// put writes a pair, and ends those that cannot stand beside it.
func (u Unit) put(p *plan.Pair, link running.Link, write factsql.PairWrite, why Cause) (Result, error) {
	if len(p.Dissolves) > 0 {
		if err := u.Tx.LockBetween(running.Address(p.From, link.From), running.Address(p.To, link.To)); err != nil {
			return Result{}, err
		}
	}
	got, err := u.setPair(write)
	if err == nil {
		err = u.pairThere(p, link, got)
	}
	if err != nil {
		return Result{}, err
	}
	if got.Position == 0 {
		return u.pairUnchanged(p, link)
	}
	u.wrote("set "+p.Name, why, metering.Counts{Times: 1, Pairs: 1})
	result := Result{Position: running.At(got.Position), Fresh: true, Read: 2, Wrote: 1}
	if got.Kind == plan.Changed {
		return result, nil
	}
	why = why.from(got.Position)
	ends := factsql.Ends{A: got.From, B: got.To, AKey: link.From, BKey: link.To, Fields: write.Fields}
	if err := u.FirePair(design.OnSet, p, ends, why); err != nil {
		return result, err
	}
	dissolved, err := u.dissolve(p, link, why)
	result.Wrote += dissolved
	return result, err
}

// setPair sets a pair, together with those of others if many are set at once.
func (u Unit) setPair(write factsql.PairWrite) (factsql.PairWritten, error) {
	if u.gather == nil {
		return factsql.SetPair(u.Tx, write)
	}
	return u.gather(u.Tx, write)
}

// setTogether sets a pair by one statement with those that others set at the same time.
func (w *Writer) setTogether(ctx context.Context, tx *store.Tx, write factsql.PairWrite) (factsql.PairWritten, error) {
	alone := func(_ context.Context, write factsql.PairWrite) ([]*factsql.PairWritten, error) {
		got, err := factsql.SetPair(tx, write)
		return []*factsql.PairWritten{&got}, err
	}
	together := func(ctx context.Context, writes []factsql.PairWrite) ([][]*factsql.PairWritten, error) {
		written, err := factsql.SetPairs(ctx, w.Store, writes)
		rows := make([][]*factsql.PairWritten, len(writes))
		for i, one := range written {
			if one != nil {
				rows[i] = []*factsql.PairWritten{one}
			}
		}
		return rows, err
	}
	got, err := w.pairs.Ask(ctx, write.Alike(), write, alone, together)
	if err != nil {
		return factsql.PairWritten{}, err
	}
	if got[0].Position != 0 {
		factsql.Follows(tx, write.Due)
	}
	return *got[0], nil
}

// UnsetPair ends a pair within a unit.
func (u Unit) UnsetPair(link running.Link, why Cause) (Result, error) {
	p, err := u.Pair(link.Pair)
	if err != nil {
		return Result{}, err
	}
	may, err := u.mayUnset(p, link)
	if err != nil {
		return Result{}, err
	}
	ended := int64(0)
	if may.end {
		ended, err = u.endPair(p, link, why)
	}
	switch {
	case may.blind && (err == nil || running.IsMissing(err)):
		return u.blind()
	case err != nil:
		return Result{}, err
	case ended == 0:
		return u.pairUnchanged(p, link)
	}
	return Result{Position: running.At(ended), Fresh: true, Read: 2, Wrote: 1}, nil
}

// blind is the result of a write of a pair for who is not told how it stood.
func (u Unit) blind() (Result, error) {
	return u.unchanged(nil, Result{Fresh: true, Read: 2, Wrote: 1})
}

// endPair ends a pair that stands and returns the position of that, 0 if there
// is none.
func (u Unit) endPair(p *plan.Pair, link running.Link, why Cause) (int64, error) {
	got, err := factsql.UnsetPair(u.Tx, u.pairWrite(p, link, plan.Unset, why))
	if err == nil {
		err = u.pairThere(p, link, got)
	}
	if err != nil || got.Position == 0 {
		return 0, err
	}
	u.wrote("unset "+p.Name, why, metering.Counts{Times: 1, Pairs: 1})
	ends := factsql.Ends{A: got.From, B: got.To, AKey: link.From, BKey: link.To, Fields: got.Fields}
	return got.Position, u.FirePair(design.OnUnset, p, ends, why.from(got.Position))
}

// dissolve ends the pairs that cannot stand beside one that was just set, and
// tells how many there were.
func (u Unit) dissolve(p *plan.Pair, link running.Link, why Cause) (int, error) {
	ended := 0
	for _, other := range p.Dissolves {
		same, reversed := p.EndsWith(other.Pair)
		for _, l := range []struct {
			fits bool
			running.Link
		}{{same, running.Link{Pair: other.Name, From: link.From, To: link.To}},
			{reversed, running.Link{Pair: other.Name, From: link.To, To: link.From}}} {
			if !l.fits {
				continue
			}
			position, err := u.endPair(other, l.Link, why)
			if err != nil {
				return ended, err
			}
			if position != 0 {
				ended++
			}
		}
	}
	return ended, nil
}

func (u Unit) pairFor(link running.Link) (*plan.Pair, error) {
	p, err := u.Pair(link.Pair)
	if err != nil {
		return nil, err
	}
	if p.From == p.To && link.From == link.To && !p.Self {
		return nil, running.Invalid([]design.Mistake{{Pointer: "/to", Code: design.MistakeSelf,
			Detail: fmt.Sprintf("%s cannot be paired with itself by %q", p.From.Path(link.From), p.Name)}})
	}
	return p, nil
}

// pairWrite is a write of a pair with the due work that follows from it. Work
// that follows only if the pair is new is marked.
func (u Unit) pairWrite(p *plan.Pair, link running.Link, kind plan.Kind, why Cause) factsql.PairWrite {
	change := plan.Change{Kind: kind, Pair: p, From: plan.FromRow, To: plan.ToRow}
	if p.From == p.To && link.From == link.To {
		change.To = plan.FromRow
	}
	w := factsql.PairWrite{Pair: p, From: link.From, To: link.To, Design: u.Number, Due: u.Plan.Due(change),
		Change: why.Change,
		Record: factsql.Record{
			Subject: p.Name,
			Detail:  running.EndsOf(p, link.From, link.To).String(),
			Actor:   why.Actor,
			Cause:   why.Journalled(),
		}}
	change.Kind = plan.Changed
	whenChanged := u.Plan.Due(change)
	for _, work := range w.Due {
		w.Anew = append(w.Anew, !slices.Contains(whenChanged, work))
	}
	return w
}

// pairThere says what kept a pair from being written, nil if nothing did.
func (u Unit) pairThere(p *plan.Pair, link running.Link, got factsql.PairWritten) error {
	switch {
	case got.From == 0:
		return running.NotFound(p.From, link.From)
	case got.To == 0:
		return running.NotFound(p.To, link.To)
	}
	return u.stillHolds(got.Design, nil)
}

// pairFields is what a pair's own fields become, as they are and as they are stored; nil
// if its kind has none. A
// pair that stands and is set again without facts needs none: it stays as it is.
func (u Unit) pairFields(p *plan.Pair, link running.Link, facts map[string]any, me string) (accepted map[string]any,
	given json.RawMessage, stands bool, err error) {
	if len(p.Fields) == 0 && len(facts) == 0 {
		return nil, nil, false, nil
	}
	filled, mistakes := fillDefaults(p.Fields, facts, me)
	accepted, wrong := design.AcceptAll(p.Fields, filled)
	if mistakes = append(mistakes, wrong...); len(mistakes) == 0 {
		if given, err = Encoded(accepted); err == nil {
			err = u.tryPairConditions(p, link, accepted, me)
		}
		return accepted, given, false, err
	}
	accepted, err = u.keepsItsOwn(p, link, facts)
	if err == nil && accepted == nil {
		err = running.Invalid(running.Under("/facts", mistakes))
	}
	return accepted, nil, accepted != nil, err
}

// keepsItsOwn are the facts of a pair that stands and is set again without any, nil if it does not, or if that is
// not for the caller to know.
func (u Unit) keepsItsOwn(p *plan.Pair, link running.Link, facts map[string]any) (map[string]any, error) {
	if err := u.mayPair(p, link); err != nil || facts != nil {
		return nil, err
	}
	stood, err := u.standing(p, link)
	if j := u.judge(); err == nil && stood != nil && j != nil {
		var blind bool
		blind, err = u.blindly(j, p, link, func() (map[string]any, error) { return stood, nil })
		if blind {
			stood = nil
		}
	}
	return stood, err
}

// pairUnchanged is the result of a write that found a pair as it was to be.
func (u Unit) pairUnchanged(p *plan.Pair, link running.Link) (Result, error) {
	history, err := factsql.AboutPair(u.Tx, p.Name, running.EndsOf(p, link.From, link.To), 1)
	if err != nil {
		return Result{}, err
	}
	return u.unchanged(history, Result{Read: 2})
}
