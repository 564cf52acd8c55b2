package proof

import (
	"context"
	"slices"
	"strings"
	"time"

	"yalvo/internal/design"
	"yalvo/internal/design/plan"
	"yalvo/internal/engine/running"
	"yalvo/internal/engine/store/auditsql"
	"yalvo/internal/engine/store/factsql"
)

// since asks the journal since when the facts are so that a duplicate differs
// from them. Of what adds many facts up, and of what is gone, it does not know.
func (p *Prover) since(ctx context.Context, d plan.Duplicate, found *auditsql.Drift) (err error) {
	switch {
	case found.Since != nil:
	case d.Kind == plan.AspectReference:
		found.Since, err = p.written(ctx, found.Path, d.Reference.Name)
	case d.Kind == plan.AspectUnique:
		found.Since, err = p.written(ctx, found.Path, d.Unique.Name)
	case d.Kind == plan.AspectPosted:
		names := []string{d.Timeline.By.Name}
		if d.Timeline.Order != nil {
			names = append(names, d.Timeline.Order.Name)
		}
		if d.Timeline.Where != nil {
			names = append(names, d.Timeline.Where.That.Members(design.NameDoc)...)
		}
		found.Since, err = p.written(ctx, found.OtherPath, names...)
	case d.Kind == plan.AspectContribution && d.Summary.Pair == nil:
		found.Since, err = p.written(ctx, found.Path)
	case d.Kind == plan.AspectContribution && d.Summary.Side == "to":
		found.Since, err = p.paired(ctx, d.Summary.Pair, found.Doc, found.Other, plan.Set, plan.Changed, plan.Unset)
	case d.Kind == plan.AspectContribution:
		found.Since, err = p.paired(ctx, d.Summary.Pair, found.Other, found.Doc, plan.Set, plan.Changed, plan.Unset)
	case d.Kind == plan.AspectTimeline && found.Kind == auditsql.Surplus:
		var entries []entryFound
		if entries, err = entriesIn(*found); err == nil {
			found.Since, err = p.paired(ctx, d.Timeline.Through, found.Doc, entries[0].Author, plan.Unset)
		}
	}
	return err
}

// historyRead is how far back the history of a document is looked through.
const historyRead = 100

// written is when some fields of a document were last written, any of them if
// none are named; nil if that is not known.
func (p *Prover) written(ctx context.Context, path string, names ...string) (*time.Time, error) {
	if path == "" {
		return nil, nil
	}
	history, err := factsql.About(p.Store.Looking(ctx), path, historyRead)
	if err != nil {
		return nil, err
	}
	for _, rec := range history {
		touched := len(names) == 0 || slices.ContainsFunc(strings.Split(rec.Detail, ", "),
			func(name string) bool { return slices.Contains(names, name) })
		if rec.Kind == plan.Created || rec.Kind == plan.Changed && touched {
			return &rec.At, nil
		}
	}
	return nil, nil
}

// paired is when a pair of two documents was last set or unset, if the last of
// that is of one of the kinds; nil if not, or if that is not known.
func (p *Prover) paired(ctx context.Context, pair *plan.Pair, from, to int64, kinds ...plan.Kind) (*time.Time, error) {
	keys, err := factsql.Keys(ctx, p.Store, []int64{from, to})
	if err != nil || keys[from] == "" || keys[to] == "" {
		return nil, err
	}
	history, err := factsql.AboutPair(p.Store.Looking(ctx), pair.Name, running.EndsOf(pair, keys[from], keys[to]), 1)
	if err != nil || len(history) == 0 || !slices.Contains(kinds, history[0].Kind) {
		return nil, err
	}
	return &history[0].At, nil
}
