package reading

import (
	"context"
	"slices"
	"strings"

	"yalvo/internal/plan"
	"yalvo/internal/running"
	"yalvo/internal/store"
)

// recheckLines is how many lines of the journal are looked through at once for what rules
// hang on. After more, everybody's access is looked at again.
const recheckLines = 500

// othersMaySee tells whose live pages may show something else because of what has been
// written since it was last asked, though the pages themselves have not changed: a block,
// a mute, an author who shows themselves to friends alone.
func (r *Reader) othersMaySee(ctx context.Context, all []*Watch) (func(*Watch) bool, error) {
	nobody := func(*Watch) bool { return false }
	if !slices.ContainsFunc(all, func(w *Watch) bool { return w.account != "" }) {
		r.watchers.place = [2]int64{}
		return nobody, nil
	}
	v, err := r.Now(ctx)
	if err != nil {
		return nil, err
	}
	if r.watchers.place == [2]int64{} {
		xid, err := r.Store.JournalNow(ctx) // what came before is in what they have been shown
		r.watchers.place = [2]int64{xid, 0}
		return nobody, err
	}
	lines, xid, seq, err := r.Store.JournalAfter(ctx, r.watchers.place[0], r.watchers.place[1], recheckLines)
	if err != nil {
		return nil, err
	}
	r.watchers.place = [2]int64{xid, seq}
	touched := map[string]bool{}
	everybody := len(lines) == recheckLines
	for _, line := range lines {
		paths, all := hangOn(v, line)
		everybody = everybody || all
		for _, path := range paths {
			touched[path] = true
		}
	}
	return func(w *Watch) bool {
		return w.account != "" && (everybody || touched[v.Plan.Design.Accounts.Name+"/"+w.account])
	}, nil
}

// hangOn is whose access a change may have changed: some accounts', by their paths, or
// everybody's.
func hangOn(v *running.Version, line store.Record) (accounts []string, everybody bool) {
	if line.Kind == plan.Set || line.Kind == plan.Unset {
		from, to, _ := strings.Cut(line.Detail, " → ")
		if !v.Law.Asks(line.Subject) {
			return nil, false
		}
		p := v.Plan.Pair(line.Subject)
		account := v.Plan.Design.Accounts
		return []string{from, to}, p.From.Collection != account && p.To.Collection != account
	}
	if line.Kind == plan.Created {
		return nil, false // of what is new a page changes
	}
	c, _, err := v.Locate(line.Subject)
	if err != nil {
		return nil, false // of a collection that is gone
	}
	reads := func(name string) bool { return v.Law.Reads(c.Name, name) }
	if line.Kind == plan.Changed && !slices.ContainsFunc(strings.Split(line.Detail, ", "), reads) {
		return nil, false
	}
	// Rules may read of this document on the way from any other.
	return []string{line.Subject}, v.Law.Follows(c.Name)
}
