package live

import (
	"context"
	"slices"
	"strings"

	"yalvo/internal/design"
	"yalvo/internal/design/plan"
	"yalvo/internal/engine/running"
	"yalvo/internal/engine/store/factsql"
)

// news is what has been written since the watches were last looked after.
type news struct {
	everybody   bool            // so much, or what any rule may hang on
	paths       map[string]bool // documents, and ends of pairs, that rules may hang on
	collections map[string]bool // of documents that were created, changed or removed
	documents   map[string]bool // these, by their paths
	ends        map[end]bool    // of pairs that were set or unset
	paired      map[string]bool // documents that are one
}

// end is an end of pairs of a kind.
type end struct{ pair, path string }

// newsLines is how many lines of the journal are looked through at once. After more,
// everybody looks again.
const newsLines = 500

// news reads on in the journal from a place, and tells how far.
func (r *Watchers) news(ctx context.Context, v *running.Version, place [2]int64) (*news, [2]int64, error) {
	lines, xid, seq, err := factsql.JournalAfter(ctx, r.Store, place[0], place[1], newsLines)
	if err != nil {
		return nil, place, err
	}
	n := &news{everybody: len(lines) == newsLines, paths: map[string]bool{}, collections: map[string]bool{},
		documents: map[string]bool{}, ends: map[end]bool{}, paired: map[string]bool{}}
	for _, line := range lines {
		n.add(v, line)
	}
	return n, [2]int64{xid, seq}, nil
}

func (n *news) add(v *running.Version, line factsql.Record) {
	paths, everybody := hangOn(v, line)
	n.everybody = n.everybody || everybody
	for _, path := range paths {
		n.paths[path] = true
	}
	if line.Kind == plan.Set || line.Kind == plan.Unset {
		ends := line.Ends()
		for _, path := range []string{ends.From, ends.To} {
			n.ends[end{line.Subject, path}], n.paired[path] = true, true
		}
		return
	}
	n.documents[line.Subject] = true
	if c, _, err := v.Locate(line.Subject); err == nil {
		n.collections[c.Name] = true
	}
}

// concerns tells whether somebody may be shown something else though what they look at has not
// changed: a block, a mute, an author who shows themselves to friends alone, a like of theirs.
func (n *news) concerns(w *Watch) bool {
	return w.judged && (n.everybody || n.paths[w.account]) || w.marks && (n.everybody || n.paired[w.account])
}

// mayShow tells whether something was written that a watched list may show, or shows no more.
func (n *news) mayShow(v *running.Version, w *Watch) bool {
	l := w.list
	if l == nil {
		return false
	}
	of := ""
	if l.Owner != nil {
		of = l.Owner.Path(w.at.Key)
	}
	return n.everybody || n.collections[l.Entries.Name] || n.documents[of] ||
		l.Through != nil && n.ends[end{l.Through.Name, of}] ||
		slices.ContainsFunc(l.Unless, func(u design.Apart) bool { return n.ends[end{u.Paired.Name, w.account}] })
}

// hangOn is whose access a change may have changed: some accounts', by their paths, or
// everybody's.
func hangOn(v *running.Version, line factsql.Record) (accounts []string, everybody bool) {
	if line.Kind == plan.Set || line.Kind == plan.Unset {
		ends := line.Ends()
		if !v.Law.Asks(line.Subject) {
			return nil, false
		}
		p := v.Plan.Pair(line.Subject)
		account := v.Plan.Design.Accounts
		return []string{ends.From, ends.To}, p.From.Collection != account && p.To.Collection != account
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
