package upkeep

import (
	"encoding/json"
	"maps"
	"math/big"
	"slices"

	"yalvo/internal/design"
	"yalvo/internal/design/plan"
	"yalvo/internal/engine/store/keptsql"
	"yalvo/internal/engine/store/queuesql"
)

// deltas are what a turn does to kept numbers, by document and name.
type deltas map[int64]map[string]*delta

type delta struct {
	how     string // see [keptsql.Delta]
	amount  big.Rat
	in      *plan.Collection
	changes []int64 // whose readers wait for what is built on the value
	times   int64   // how often it was to be written
}

// of is the delta of one kept number, for one more change.
func (d deltas) of(in *plan.Collection, doc int64, name, how string, change int64) *delta {
	if d[doc] == nil {
		d[doc] = map[string]*delta{}
	}
	one := d[doc][name]
	if one == nil {
		one = &delta{how: how, in: in}
		d[doc][name] = one
	}
	one.times++
	if !slices.Contains(one.changes, change) {
		one.changes = append(one.changes, change)
	}
	return one
}

func (d deltas) add(in *plan.Collection, doc int64, name string, amount *big.Rat, change int64) {
	one := d.of(in, doc, name, keptsql.Add, change)
	one.amount.Add(&one.amount, amount)
}

// bring brings a greatest or least value up or down to what has come to it.
func (d deltas) bring(s *plan.Summary, doc int64, value *big.Rat, change int64) {
	how, further := keptsql.AtLeast, +1
	if s.Kind == design.Min {
		how, further = keptsql.AtMost, -1
	}
	_, there := d[doc][s.Name]
	one := d.of(s.In, doc, s.Name, how, change)
	if !there || value.Cmp(&one.amount) == further {
		one.amount.Set(value)
	}
}

// stored are the deltas that change something, in decimal.
func (d deltas) stored() keptsql.Deltas {
	amounts := keptsql.Deltas{}
	for doc, names := range d {
		for name, one := range names {
			if one.how == keptsql.Add && one.amount.Sign() == 0 {
				continue
			}
			if amounts[doc] == nil {
				amounts[doc] = map[string]keptsql.Delta{}
			}
			amounts[doc][name] = keptsql.Delta{How: one.how, By: json.Number(Decimal(&one.amount))}
		}
	}
	return amounts
}

// count adds up deltas and applies each sum once, in the transaction that
// deletes the rows they came from: a thousand likes of one post are one update.
// Sources of a summary that another transaction is at are left for later.
//
// A count is the one duplicate that is not derived from the facts each time, so a delta must be applied exactly once.
// That is what the one transaction is for: where it is lost, all its rows are still due and none has been applied.
// Rows of kept values are locked in ascending order by the statement that applies the sums, after all else that the
// turn has looked at.
func (t *turn) count(due []queuesql.Due) error {
	sums := deltas{}
	sources := map[plan.Number][]queuesql.Due{}
	var done, told []queuesql.Due
	for _, d := range due {
		if d.Step == plan.Contribute {
			sources[d.Subject] = append(sources[d.Subject], d)
			continue
		}
		c := t.Plan.CountNumbered(d.Subject)
		if c != nil { // nil: of a design that is no longer in force
			sums.add(c.In, d.Doc, c.Name, new(big.Rat).SetInt64(d.Delta()), d.Change)
		}
		if c != nil && c.Told() && d.Attempts == 0 {
			told = append(told, d) // a trace knows of it by the journal
			continue
		}
		done = append(done, d)
	}
	for _, n := range slices.Sorted(maps.Keys(sources)) {
		mine, err := t.contribute(n, sources[n], sums)
		if err != nil {
			return err
		}
		if mine {
			done = append(done, sources[n]...)
		}
	}
	if err := t.apply(sums); err != nil {
		return err
	}
	for i := range done {
		done[i].Rows = 1
	}
	if err := queuesql.DeleteDue(t.Tx, progress(told)); err != nil {
		return err
	}
	t.vain = len(done)+len(told) == 0
	return t.finish(done)
}

func (t *turn) apply(sums deltas) error {
	given := sums.stored()
	there, err := keptsql.ApplyDeltas(t.Tx, given)
	if err != nil {
		return err
	}
	if err := t.passThresholds(sums, there); err != nil {
		return err
	}
	t.meterSums(sums, given, there)
	for _, doc := range there {
		for name := range given[doc] {
			one := sums[doc][name]
			if err := t.keptChanged(one.in, name, []int64{doc}, one.changes...); err != nil {
				return err
			}
		}
	}
	return nil
}

// keptChanged makes due what is built on a kept value that has changed, once
// for each change that somebody may be waiting for.
func (t *turn) keptChanged(c *plan.Collection, name string, docs []int64, changes ...int64) error {
	if !c.BuiltOn(name) {
		return nil
	}
	var follows []queuesql.Follow
	for _, change := range changes {
		for _, doc := range docs {
			for _, w := range c.KeptChanged(name, doc) {
				follows = append(follows, queuesql.Follow{Change: change, Work: w})
			}
		}
	}
	return queuesql.AppendFollows(t.Tx, follows)
}

// Decimal writes a number that is a sum of decimals exactly.
func Decimal(x *big.Rat) string {
	places, _ := x.FloatPrec()
	return x.FloatString(places)
}
