package proof

import (
	"encoding/json"
	"maps"
	"math/big"
	"slices"

	"yalvo/internal/design/plan"
	"yalvo/internal/engine/running"
	"yalvo/internal/engine/store"
	"yalvo/internal/engine/upkeep"
)

// check compares one duplicate with the facts for the documents in a span. It
// returns what differs and how many rows were compared, as far as that is more
// than the documents walked.
func check(v *running.Version, tx *store.Tx, d plan.Duplicate, s store.Span) (found []store.Drift, checked int64,
	err error) {
	switch d.Kind {
	case plan.AspectReference:
		found, err = tx.CheckReferences(d.Reference, s)
	case plan.AspectUnique:
		found, err = tx.CheckUniques(d.Unique, d.Walked.Number, s)
	case plan.AspectPicture:
		first := slices.IndexFunc(v.Plan.Duplicates(), func(o plan.Duplicate) bool { return o.Kind == d.Kind })
		found, err = tx.CheckPictures(d.Walked.Number, v.Plan.Duplicates()[first].Walked == d.Walked, s)
	case plan.AspectPair:
		if found, err = tx.CheckPairs(d.Pair, s); err == nil {
			var apart []store.Drift
			apart, err = checkApart(v, tx, d.Pair, s)
			found = append(found, apart...)
		}
	case plan.AspectNested:
		found, err = tx.CheckNested(d.Walked, s)
	case plan.AspectKept:
		found, err = tx.CheckHolding(d.Walked, keptNames(d.Walked), d.Walked == v.Plan.Collections[0], s)
	case plan.AspectPosted:
		found, err = tx.CheckPosted(d.Timeline, s)
	case plan.AspectContribution:
		return checkContributions(tx, d.Summary, s)
	case plan.AspectCount:
		found, err = tx.CheckCounts(d.Count, s)
	case plan.AspectSum:
		found, err = tx.CheckSums(d.Summary, s)
	case plan.AspectFrozen:
		found, err = tx.CheckFrozen(d.Copy, s)
	case plan.AspectCopy:
		found, err = tx.CheckCopies(d.Copy, s)
	case plan.AspectChoice:
		found, err = checkChoices(tx, d.Summary, s)
	case plan.AspectTimeline:
		return tx.CheckEntries(d.Timeline, s)
	}
	return found, 0, err
}

// checkApart finds pairs that others should have ended, which were set later.
func checkApart(v *running.Version, tx *store.Tx, p *plan.Pair, s store.Span) (all []store.Drift, err error) {
	for _, by := range p.DissolvedBy {
		since, err := v.DissolvesSince(tx, by, p)
		if err != nil {
			return nil, err
		}
		found, err := tx.CheckApart(p, by, since, s)
		if err != nil {
			return nil, err
		}
		for _, d := range found { // two kinds may have been to end one pair
			if !slices.ContainsFunc(all, func(o store.Drift) bool { return o.Doc == d.Doc && o.Other == d.Other }) {
				all = append(all, d)
			}
		}
	}
	return all, nil
}

func keptNames(c *plan.Collection) []string {
	names := []string{}
	for _, k := range c.Kept {
		names = append(names, k.Name)
	}
	slices.Sort(names)
	return names
}

func checkChoices(tx *store.Tx, s *plan.Summary, span store.Span) ([]store.Drift, error) {
	docs, err := tx.In(s.In.Number, span)
	if err != nil || len(docs) == 0 {
		return nil, err
	}
	should, err := upkeep.Choices(tx, s, docs)
	if err != nil {
		return nil, err
	}
	return tx.CheckChoices(s, should)
}

func checkContributions(tx *store.Tx, s *plan.Summary, span store.Span) ([]store.Drift, int64, error) {
	sources, err := upkeep.SourcesIn(tx, s, span)
	if err != nil {
		return nil, 0, err
	}
	is, err := upkeep.ContributionsOf(s, sources)
	if err != nil {
		return nil, 0, err
	}
	rows, err := tx.ContributionsIn(s.Number, span)
	if err != nil {
		return nil, 0, err
	}
	was, err := upkeep.Stored(rows)
	if err != nil {
		return nil, 0, err
	}
	found, err := compareContributions(tx, s, is, was)
	return found, int64(max(len(is), len(was))), err
}

// checkContributionsTo compares what the sources in a span contribute to one
// document.
func checkContributionsTo(tx *store.Tx, s *plan.Summary, target int64, span store.Span) ([]store.Drift, int64, error) {
	sources, err := tx.SourcesOf(s, target, span)
	if err != nil || len(sources) == 0 {
		return nil, 0, err
	}
	links := make([]store.Link, len(sources))
	for i, source := range sources {
		links[i] = store.Link{Source: source, Target: target}
	}
	is, err := upkeep.Contributions(tx, s, links)
	if err != nil {
		return nil, 0, err
	}
	was, err := upkeep.Contributed(tx, s, links)
	if err != nil {
		return nil, 0, err
	}
	elsewhere := func(l store.Link, _ *big.Rat) bool { return l.Target != target }
	maps.DeleteFunc(is, elsewhere)
	maps.DeleteFunc(was, elsewhere)
	found, err := compareContributions(tx, s, is, was)
	return found, int64(len(links)), err
}

// compareContributions: work that is due on a source excuses what it contributes.
func compareContributions(tx *store.Tx, s *plan.Summary, is, was map[store.Link]*big.Rat) ([]store.Drift, error) {
	due, err := tx.ContributionsDue(s.Number)
	if err != nil {
		return nil, err
	}
	excused := func(l store.Link) bool {
		if s.Pair == nil {
			l.Target = 0
		}
		return due[l]
	}
	var found []store.Drift
	add := func(l store.Link, kind string, stored, expected *big.Rat) {
		if !excused(l) {
			found = append(found, store.Drift{Kind: kind, Doc: l.Source, Other: l.Target, Stored: figure(stored),
				Expected: figure(expected)})
		}
	}
	for l, value := range was {
		switch {
		case is[l] == nil:
			add(l, store.Surplus, value, nil)
		case is[l].Cmp(value) != 0:
			add(l, store.Different, value, is[l])
		}
	}
	for l, value := range is {
		if was[l] == nil {
			add(l, store.Missing, nil, value)
		}
	}
	slices.SortFunc(found, func(a, b store.Drift) int { return int(a.Doc - b.Doc) })
	return found, nil
}

func figure(x *big.Rat) json.RawMessage {
	if x == nil {
		return nil
	}
	return json.RawMessage(upkeep.Decimal(x))
}
