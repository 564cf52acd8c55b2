package proof

import (
	"encoding/json"
	"maps"
	"math/big"
	"slices"

	"yalvo/internal/design/plan"
	"yalvo/internal/engine/running"
	"yalvo/internal/engine/store"
	"yalvo/internal/engine/store/auditsql"
	"yalvo/internal/engine/store/keptsql"
	"yalvo/internal/engine/store/picturesql"
	"yalvo/internal/engine/upkeep"
)

// check compares one duplicate with the facts for the documents in a span. It
// returns what differs and how many rows were compared, as far as that is more
// than the documents walked.
func check(v *running.Version, tx *store.Tx, d plan.Duplicate, s store.Span) (found []auditsql.Drift, checked int64,
	err error) {
	switch d.Kind {
	case plan.AspectReference:
		found, err = auditsql.CheckReferences(tx, d.Reference, s)
	case plan.AspectUnique:
		found, err = auditsql.CheckUniques(tx, d.Unique, d.Walked.Number, s)
	case plan.AspectPicture:
		first := slices.IndexFunc(v.Plan.Duplicates(), func(o plan.Duplicate) bool { return o.Kind == d.Kind })
		found, err = picturesql.CheckPictures(tx, d.Walked.Number, v.Plan.Duplicates()[first].Walked == d.Walked, s)
	case plan.AspectPair:
		if found, err = auditsql.CheckPairs(tx, d.Pair, s); err == nil {
			var apart []auditsql.Drift
			apart, err = checkApart(v, tx, d.Pair, s)
			found = append(found, apart...)
		}
	case plan.AspectNested:
		found, err = auditsql.CheckNested(tx, d.Walked, s)
	case plan.AspectKept:
		found, err = auditsql.CheckHolding(tx, d.Walked, keptNames(d.Walked), d.Walked == v.Plan.Collections[0], s)
	case plan.AspectPosted:
		found, err = auditsql.CheckPosted(tx, d.Timeline, s)
	case plan.AspectContribution:
		return checkContributions(tx, d.Summary, s)
	case plan.AspectCount:
		found, err = auditsql.CheckCounts(tx, d.Count, s)
	case plan.AspectSum:
		found, err = auditsql.CheckSums(tx, d.Summary, s)
	case plan.AspectFrozen:
		found, err = auditsql.CheckFrozen(tx, d.Copy, s)
	case plan.AspectCopy:
		found, err = auditsql.CheckCopies(tx, d.Copy, s)
	case plan.AspectChoice:
		found, err = checkChoices(tx, d.Summary, s)
	case plan.AspectTimeline:
		return auditsql.CheckEntries(tx, d.Timeline, s)
	}
	return found, 0, err
}

// checkApart finds pairs that others should have ended, which were set later.
func checkApart(v *running.Version, tx *store.Tx, p *plan.Pair, s store.Span) (all []auditsql.Drift, err error) {
	for _, by := range p.DissolvedBy {
		since, err := v.DissolvesSince(tx, by, p)
		if err != nil {
			return nil, err
		}
		found, err := auditsql.CheckApart(tx, p, by, since, s)
		if err != nil {
			return nil, err
		}
		for _, d := range found { // two kinds may have been to end one pair
			if !slices.ContainsFunc(all, func(o auditsql.Drift) bool { return o.Doc == d.Doc && o.Other == d.Other }) {
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

func checkChoices(tx *store.Tx, s *plan.Summary, span store.Span) ([]auditsql.Drift, error) {
	docs, err := auditsql.In(tx, s.In.Number, span)
	if err != nil || len(docs) == 0 {
		return nil, err
	}
	should, err := upkeep.Choices(tx, s, docs)
	if err != nil {
		return nil, err
	}
	return auditsql.CheckChoices(tx, s, should)
}

func checkContributions(tx *store.Tx, s *plan.Summary, span store.Span) ([]auditsql.Drift, int64, error) {
	sources, err := upkeep.SourcesIn(tx, s, span)
	if err != nil {
		return nil, 0, err
	}
	is, err := upkeep.ContributionsOf(s, sources)
	if err != nil {
		return nil, 0, err
	}
	rows, err := auditsql.ContributionsIn(tx, s.Number, span)
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
func checkContributionsTo(tx *store.Tx, s *plan.Summary, target int64, span store.Span) ([]auditsql.Drift, int64,
	error) {
	sources, err := auditsql.SourcesOf(tx, s, target, span)
	if err != nil || len(sources) == 0 {
		return nil, 0, err
	}
	links := make([]keptsql.Link, len(sources))
	for i, source := range sources {
		links[i] = keptsql.Link{Source: source, Target: target}
	}
	is, err := upkeep.Contributions(tx, s, links)
	if err != nil {
		return nil, 0, err
	}
	was, err := upkeep.Contributed(tx, s, links)
	if err != nil {
		return nil, 0, err
	}
	elsewhere := func(l keptsql.Link, _ *big.Rat) bool { return l.Target != target }
	maps.DeleteFunc(is, elsewhere)
	maps.DeleteFunc(was, elsewhere)
	found, err := compareContributions(tx, s, is, was)
	return found, int64(len(links)), err
}

// compareContributions: work that is due on a source excuses what it contributes.
func compareContributions(tx *store.Tx, s *plan.Summary, is, was map[keptsql.Link]*big.Rat) ([]auditsql.Drift, error) {
	due, err := auditsql.ContributionsDue(tx, s.Number)
	if err != nil {
		return nil, err
	}
	excused := func(l keptsql.Link) bool {
		if s.Pair == nil {
			l.Target = 0
		}
		return due[l]
	}
	var found []auditsql.Drift
	add := func(l keptsql.Link, kind string, stored, expected *big.Rat) {
		if !excused(l) {
			found = append(found, auditsql.Drift{Kind: kind, Doc: l.Source, Other: l.Target, Stored: figure(stored),
				Expected: figure(expected)})
		}
	}
	for l, value := range was {
		switch {
		case is[l] == nil:
			add(l, auditsql.Surplus, value, nil)
		case is[l].Cmp(value) != 0:
			add(l, auditsql.Different, value, is[l])
		}
	}
	for l, value := range is {
		if was[l] == nil {
			add(l, auditsql.Missing, nil, value)
		}
	}
	slices.SortFunc(found, func(a, b auditsql.Drift) int { return int(a.Doc - b.Doc) })
	return found, nil
}

func figure(x *big.Rat) json.RawMessage {
	if x == nil {
		return nil
	}
	return json.RawMessage(upkeep.Decimal(x))
}
