package engine

import (
	"encoding/json"
	"maps"
	"math/big"
	"slices"

	"yalvo/internal/plan"
	"yalvo/internal/store"
)

// tally is what a turn adds to kept counts and sums.
type tally map[int64]map[string]*added

type added struct {
	amount big.Rat
	in     *plan.Collection
	owed   []int64 // the changes whose readers wait for what is built on the value
}

func (t tally) add(in *plan.Collection, doc int64, name string, amount *big.Rat, change int64) {
	if t[doc] == nil {
		t[doc] = map[string]*added{}
	}
	a := t[doc][name]
	if a == nil {
		a = &added{in: in}
		t[doc][name] = a
	}
	a.amount.Add(&a.amount, amount)
	if !slices.Contains(a.owed, change) {
		a.owed = append(a.owed, change)
	}
}

// count adds up deltas and applies each sum once, in the transaction that
// deletes the rows they came from: a thousand likes of one post are one update.
func (t *turn) count(due []store.Due) error {
	sums := tally{}
	weighs := map[plan.Number][]store.Due{}
	for _, d := range due {
		if d.Step == plan.Weigh {
			weighs[d.Subject] = append(weighs[d.Subject], d)
			continue
		}
		if c := t.plan.CountNumbered(d.Subject); c != nil { // nil: counted in a design that is no longer in force
			sums.add(c.In, d.Doc, c.Name, new(big.Rat).SetInt64(d.Amount), d.Change)
		}
	}
	for _, n := range slices.Sorted(maps.Keys(weighs)) {
		if s := t.plan.SummaryNumbered(n); s != nil {
			if err := t.weigh(s, weighs[n], sums); err != nil {
				return err
			}
		}
	}
	if err := t.apply(sums); err != nil {
		return err
	}
	for i := range due {
		due[i].Rows = 1
	}
	return t.finish(due)
}

func (t *turn) apply(sums tally) error {
	amounts := store.Amounts{}
	for doc, names := range sums {
		for name, a := range names {
			if a.amount.Sign() == 0 {
				continue
			}
			if amounts[doc] == nil {
				amounts[doc] = map[string]json.Number{}
			}
			amounts[doc][name] = json.Number(decimal(&a.amount))
		}
	}
	there, err := t.tx.AddAmounts(amounts)
	if err != nil {
		return err
	}
	if err := t.gauge(sums, there); err != nil {
		return err
	}
	for _, doc := range there {
		for name := range amounts[doc] {
			a := sums[doc][name]
			if err := t.keptChanged(a.in, name, []int64{doc}, a.owed...); err != nil {
				return err
			}
		}
	}
	return nil
}

// keptChanged makes due what is built on a kept value that has changed, once
// for each change that somebody may be waiting for.
func (t *turn) keptChanged(c *plan.Collection, name string, docs []int64, owed ...int64) error {
	if !c.BuiltOn(name) {
		return nil
	}
	for _, change := range owed {
		var due []plan.Work
		for _, doc := range docs {
			due = append(due, c.KeptChanged(name, doc)...)
		}
		if err := t.tx.AppendDue(change, due); err != nil {
			return err
		}
	}
	return nil
}

// decimal writes a number that is a sum of decimals exactly.
func decimal(x *big.Rat) string {
	places, _ := x.FloatPrec()
	return x.FloatString(places)
}
