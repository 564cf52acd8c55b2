package live

import (
	"context"
	"fmt"

	"yalvo/internal/design/plan"
	"yalvo/internal/engine/running"
	"yalvo/internal/engine/store"
	"yalvo/internal/engine/store/factsql"
	"yalvo/internal/engine/store/timelinesql"
)

// signatures are those of what is watched; now stands for what has been committed. What is
// not there has the signature of nothing.
func (r *Watchers) signatures(ctx context.Context, v *running.Version, all []*Watch, now string) (map[*Watch]string,
	error) {
	found := map[*Watch]string{}
	for _, sign := range []func(context.Context, *running.Version, []*Watch, map[*Watch]string) error{
		r.signTimelines, r.signDocuments, r.signLists} {
		if err := sign(ctx, v, all, found); err != nil {
			return nil, err
		}
	}
	for w := range found {
		if w.list != nil && hangsOnKept(w.list) {
			found[w] += now
		}
	}
	return found, nil
}

// hangsOnKept tells whether other documents can come into a list without anything being
// written to them.
func hangsOnKept(l *plan.List) bool {
	if l.OnKept() {
		return true
	}
	if l.Where == nil || l.Where.That == nil {
		return false
	}
	for _, m := range l.Where.That.Reads {
		if m.Collection == l.Entries.Name && l.Entries.KeptValue(m.Name) != nil {
			return true
		}
	}
	return false
}

func (r *Watchers) signTimelines(ctx context.Context, v *running.Version, all []*Watch, found map[*Watch]string) error {
	var pushed []*Watch
	var pages []timelinesql.Watched
	for _, w := range all {
		if w.timeline == "" {
			continue
		}
		t, err := v.Readable(w.timeline)
		owner, known := r.OwnerOf(w.at)
		if err != nil || !known {
			continue // its reader is told when it reads, or has not read yet
		}
		shown := w.watched(t, owner)
		if shown.Timeline.Deliver == "push" {
			pushed, pages = append(pushed, w), append(pages, shown)
			continue
		}
		if found[w], err = timelinesql.Signature(ctx, r.Store, shown); err != nil {
			return err
		}
	}
	for len(pages) > 0 {
		n := min(pagesALook, len(pages))
		some, err := timelinesql.Signatures(ctx, r.Store, pages[:n])
		if err != nil {
			return err
		}
		for i, signature := range some {
			found[pushed[i]] = signature
		}
		pushed, pages = pushed[n:], pages[n:]
	}
	return nil
}

// mostSigned is how many places of a timeline are signed for one who watches. Of what lies beyond, where so much may
// not be read, they are told when something else is written that concerns them.
const mostSigned = 500

// watched is what a page was made of, at least as much as it may show.
func (w *Watch) watched(t *plan.Timeline, owner factsql.Owner) timelinesql.Watched {
	w.mu.Lock()
	defer w.mu.Unlock()
	if w.further { // what lies beyond the cut is collected
		pulled := *t.Timeline
		pulled.Deliver = "pull"
		whole := *t
		whole.Timeline, t = &pulled, &whole
	}
	return timelinesql.Watched{Timeline: t, Owner: owner, After: w.page.After,
		Limit: max(w.page.Limit, min(w.passed, mostSigned))}
}

func (r *Watchers) signDocuments(ctx context.Context, _ *running.Version, all []*Watch, found map[*Watch]string) error {
	var some []*Watch
	for _, w := range all {
		if w.timeline == "" && w.list == nil {
			some = append(some, w)
		}
	}
	for len(some) > 0 {
		n := min(pagesALook, len(some))
		addresses := make([]store.Address, n)
		for i, w := range some[:n] {
			addresses[i] = w.at
		}
		signatures, err := timelinesql.DocumentSignatures(ctx, r.Store, addresses)
		if err != nil {
			return err
		}
		for i, signature := range signatures {
			found[some[i]] = signature
		}
		some = some[n:]
	}
	return nil
}

func (r *Watchers) signLists(ctx context.Context, _ *running.Version, all []*Watch, found map[*Watch]string) error {
	var some []*Watch
	for _, w := range all {
		if w.list != nil {
			some = append(some, w)
		}
	}
	for len(some) > 0 {
		n := min(pagesALook, len(some))
		shown := make([][]int64, n)
		for i, w := range some[:n] {
			w.mu.Lock()
			shown[i] = w.rows
			w.mu.Unlock()
		}
		signatures, err := timelinesql.RowSignatures(ctx, r.Store, shown)
		if err != nil {
			return err
		}
		for i, signature := range signatures {
			found[some[i]] = fmt.Sprint(signature, " ", some[i].touched)
		}
		some = some[n:]
	}
	return nil
}
