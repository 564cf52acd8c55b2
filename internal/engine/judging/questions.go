package judging

import (
	"context"
	"fmt"
	"slices"

	"yalvo/internal/design/plan"
	"yalvo/internal/engine/gathering"
	"yalvo/internal/engine/store/keptsql"
	"yalvo/internal/engine/store/readsql"
)

// asking has judges that ask at about the same moment answered together.
type asking struct {
	partners gathering.Batcher[partnersAsk, readsql.PartnersFound]
	further  gathering.Batcher[furtherAsk, keptsql.Candidate]
}

// partnersAsk asks for the pairs of one document.
type partnersAsk struct {
	of   *plan.Collection
	key  string
	asks []readsql.Partners
	most int
}

// furtherAsk asks for the next sources of a value in some documents.
type furtherAsk struct {
	furtherLook
	targets []int64
}

// looked is what a judge asks outside of transactions: each time as of a moment after it has asked.
type looked struct {
	within
	by *Judges
}

// PartnersOf is part of [Stored].
func (l looked) PartnersOf(of *plan.Collection, keys []string, asks []readsql.Partners, most int) (
	[]readsql.PartnersFound, error) {
	if len(keys) != 1 {
		return l.within.PartnersOf(of, keys, asks, most)
	}
	return l.by.asking.partners.Ask(l.Context(), fmt.Sprint(of.Number, asks, most),
		partnersAsk{of, keys[0], asks, most}, l.by.partnersOf, l.by.partnersOfAll)
}

func (js *Judges) partnersOf(ctx context.Context, ask partnersAsk) ([]readsql.PartnersFound, error) {
	return readsql.PartnersOf(js.Store.Looking(ctx), ask.of, []string{ask.key}, ask.asks, ask.most)
}

func (js *Judges) partnersOfAll(ctx context.Context, all []partnersAsk) ([][]readsql.PartnersFound, error) {
	keys := make([]string, len(all))
	for i, ask := range all {
		keys[i] = ask.key
	}
	found, err := readsql.PartnersOf(js.Store.Looking(ctx), all[0].of, keys, all[0].asks, all[0].most)
	each := make([][]readsql.PartnersFound, len(found))
	for i := range found {
		each[i] = found[i : i+1]
	}
	return each, err
}

// Candidates is part of [Stored].
func (l looked) Candidates(s *plan.Summary, by plan.Number, targets []int64, skip, many int) ([]keptsql.Candidate,
	error) {
	look := furtherLook{s, by, skip, many}
	return l.by.asking.further.Ask(l.Context(), fmt.Sprintf("%p %d %d %d", s, by, skip, many),
		furtherAsk{look, targets}, l.by.candidates, l.by.candidatesForAll)
}

func (js *Judges) candidates(ctx context.Context, ask furtherAsk) ([]keptsql.Candidate, error) {
	return keptsql.Candidates(js.Store.Looking(ctx), ask.s, ask.by, ask.targets, ask.skip, ask.many)
}

func (js *Judges) candidatesForAll(ctx context.Context, all []furtherAsk) ([][]keptsql.Candidate, error) {
	var targets []int64
	for _, ask := range all {
		targets = append(targets, ask.targets...)
	}
	slices.Sort(targets)
	found, err := js.candidates(ctx, furtherAsk{all[0].furtherLook, slices.Compact(targets)})
	each := make([][]keptsql.Candidate, len(all))
	for i, ask := range all {
		each[i] = []keptsql.Candidate{} // there may be none
		for _, c := range found {
			if slices.Contains(ask.targets, c.Target) {
				each[i] = append(each[i], c)
			}
		}
	}
	return each, err
}
