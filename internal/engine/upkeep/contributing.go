package upkeep

import (
	"fmt"
	"math/big"
	"slices"

	"yalvo/internal/design"
	"yalvo/internal/design/plan"
	"yalvo/internal/engine/running"
	"yalvo/internal/engine/store"
	"yalvo/internal/engine/store/auditsql"
	"yalvo/internal/engine/store/keptsql"
	"yalvo/internal/engine/store/queuesql"
)

// contribute looks at sources of a summary as the facts stand, notes what each
// contributes, and passes the difference on: into the sums, or as the order to
// choose anew. It may run late, twice or for a source that is gone. It is false
// if another transaction is at the summary: then nothing was done.
func (t *turn) contribute(summary plan.Number, due []queuesql.Due, sums deltas) (bool, error) {
	s := t.Plan.SummaryNumbered(summary)
	if s == nil { // of a design that is no longer in force
		return true, nil
	}
	free, err := keptsql.TryLockSummary(t.Tx, summary)
	if err != nil || !free {
		return false, err
	}
	changes := map[keptsql.Link][]int64{}
	var links []keptsql.Link
	for _, d := range due {
		l := keptsql.Link{Source: d.Doc, Target: d.Key}
		if changes[l] == nil {
			links = append(links, l)
		}
		changes[l] = append(changes[l], d.Change)
	}
	shifts, err := reassess(t.Tx, s, links)
	if err != nil {
		return false, err
	}
	var choices []queuesql.Follow
	for _, shift := range shifts {
		l := shift.link
		if s.Pair == nil {
			l.Target = 0 // a document contributes to whatever it points at
		}
		choices = append(choices, passOn(s, shift, changes[l], sums)...)
	}
	return true, queuesql.AppendFollows(t.Tx, choices)
}

// passOn brings a shift to the value in the target, for every change that
// somebody may wait for: at once, or by the order to choose anew.
func passOn(s *plan.Summary, shift shift, changes []int64, sums deltas) (choices []queuesql.Follow) {
	for _, change := range changes {
		switch {
		case !s.Chosen():
			sums.add(s.In, shift.link.Target, s.Name, &shift.by, change)
			shift.by.SetInt64(0) // once, however many wait
		case shift.fresh && s.IsNumber() && !s.In.BuiltOn(s.Name): // else who builds on it must know whether it changed
			sums.bring(s, shift.link.Target, &shift.by, change)
		default:
			choices = append(choices, queuesql.Follow{Change: change, Work: plan.ChooseIn(s.Number, shift.link.Target)})
		}
	}
	return choices
}

// shift is a change of what a source contributes to a target.
type shift struct {
	link  keptsql.Link
	by    big.Rat
	fresh bool // it contributed nothing before
}

// reassess brings the contributions of some sources in line with the facts and
// returns what shifted. The summary must be locked.
func reassess(tx *store.Tx, s *plan.Summary, links []keptsql.Link) ([]shift, error) {
	is, err := Contributions(tx, s, links)
	if err != nil {
		return nil, err
	}
	was, err := Contributed(tx, s, links)
	if err != nil {
		return nil, err
	}
	var shifts []shift
	var drop []keptsql.Link
	var put []keptsql.Contribution
	for l, before := range was {
		if is[l] == nil {
			drop = append(drop, l)
			shifts = append(shifts, shift{link: l})
			shifts[len(shifts)-1].by.Neg(before)
		}
	}
	for l, after := range is {
		before := was[l]
		if before != nil && after.Cmp(before) == 0 {
			continue
		}
		put = append(put, keptsql.Contribution{Link: l, Value: Decimal(after)})
		shifts = append(shifts, shift{link: l, fresh: before == nil})
		by := &shifts[len(shifts)-1].by
		if by.Set(after); before != nil {
			by.Sub(after, before)
		}
	}
	return shifts, keptsql.Contribute(tx, s.Number, drop, put)
}

// Contributions works out what sources contribute by the facts.
func Contributions(tx *store.Tx, s *plan.Summary, links []keptsql.Link) (map[keptsql.Link]*big.Rat, error) {
	var found []keptsql.Source
	var err error
	if s.Pair != nil {
		found, err = keptsql.SourcePairs(tx, s, links)
	} else {
		found, err = keptsql.SourceDocuments(tx, s, sourcesOf(links))
	}
	if err != nil {
		return nil, err
	}
	return ContributionsOf(s, found)
}

// SourcesIn are the sources of a summary in a span: documents, or pairs by their
// other ends.
func SourcesIn(tx *store.Tx, s *plan.Summary, span store.Span) ([]keptsql.Source, error) {
	if s.Pair != nil {
		return auditsql.SourcePairsIn(tx, s, span)
	}
	return auditsql.SourceDocumentsIn(tx, s, span)
}

// ContributionsOf is what some sources contribute.
func ContributionsOf(s *plan.Summary, sources []keptsql.Source) (map[keptsql.Link]*big.Rat, error) {
	is := make(map[keptsql.Link]*big.Rat, len(sources))
	for _, source := range sources {
		value, err := contribution(s, source)
		if err != nil {
			return nil, err
		}
		if value != nil && source.Target != 0 {
			is[keptsql.Link{Source: source.Source, Target: source.Target}] = value
		}
	}
	return is, nil
}

// Contributed reads what sources contribute as it is stored.
func Contributed(tx *store.Tx, s *plan.Summary, links []keptsql.Link) (map[keptsql.Link]*big.Rat, error) {
	var stored []keptsql.Contribution
	var err error
	if s.Pair != nil {
		stored, err = keptsql.ContributionsAt(tx, s.Number, links)
	} else {
		stored, err = keptsql.ContributionsOf(tx, s.Number, sourcesOf(links))
	}
	if err != nil {
		return nil, err
	}
	return Stored(stored)
}

// Stored reads stored contributions.
func Stored(stored []keptsql.Contribution) (map[keptsql.Link]*big.Rat, error) {
	was := make(map[keptsql.Link]*big.Rat, len(stored))
	for _, c := range stored {
		value, ok := new(big.Rat).SetString(c.Value)
		if !ok {
			return nil, fmt.Errorf("the stored contribution %q is no number", c.Value)
		}
		was[c.Link] = value
	}
	return was, nil
}

// contribution is what one source contributes, nil if nothing: it does not meet
// the condition, lacks the value, or would add zero to a sum.
func contribution(s *plan.Summary, source keptsql.Source) (*big.Rat, error) {
	if meets, err := meets(s, source); err != nil || !meets {
		return nil, err
	}
	switch s.Kind {
	case design.Count:
		return big.NewRat(1, 1), nil
	case design.Latest, design.Gather:
		return new(big.Rat).SetInt64(source.At.UnixMicro()), nil
	}
	held := source.Fields
	if s.Of.Kept != nil {
		held = source.Kept
	}
	values, err := running.Decode(held)
	if err != nil {
		return nil, err
	}
	value := running.Measured(values[s.Of.Name()])
	if s.Kind == design.Sum && value != nil && value.Sign() == 0 {
		return nil, nil
	}
	return value, nil
}

func meets(s *plan.Summary, source keptsql.Source) (bool, error) {
	if s.Where == nil {
		return true, nil
	}
	of, name := s.Sources.Collection.Fields, "doc"
	if s.Pair != nil {
		of, name = s.Pair.Fields, "pair"
	}
	typed, err := running.Typed(of, source.Fields)
	if err != nil {
		return false, err
	}
	return s.Where.StillHolds(map[string]any{name: typed})
}

func sourcesOf(links []keptsql.Link) []int64 {
	sources := make([]int64, len(links))
	for i, l := range links {
		sources[i] = l.Source
	}
	slices.Sort(sources)
	return slices.Compact(sources)
}
