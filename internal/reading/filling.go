package reading

import (
	"context"

	"yalvo/internal/access"
	"yalvo/internal/design"
	"yalvo/internal/expr"
	"yalvo/internal/plan"
	"yalvo/internal/running"
	"yalvo/internal/store"
)

// mostJudged is how many rows are looked through for one page of what a viewer may read.
// A page for which that was not enough says where to go on.
const mostJudged = 10_000

// chunkJudged is how many rows are judged at once, at most.
const chunkJudged = 500

// source is a sequence of which a page is read.
type source[T any] struct {
	read     func(after Boundary, filter store.Filter, limit int) ([]T, error)
	boundary func(T) Boundary
	size     func(T) int
	may      func([]T) ([]bool, error) // which the viewer may see; nil: all

	// What the database can tell of that, and whether that is all.
	filter func() (filter store.Filter, exact bool, err error)
	simple bool // of pages of linked documents: nothing but the rule for these has a say
}

// page reads a page from after a boundary, and where the next one begins if there is more.
// What the viewer may not see is passed over, and the page is full nevertheless.
func (s source[T]) page(after Boundary, limit int) ([]T, *Boundary, error) {
	var filter store.Filter
	exact := s.may == nil
	if !exact {
		var err error
		if filter, exact, err = s.filter(); err != nil {
			return nil, nil, err
		}
	}
	if !exact {
		return s.judged(after, filter, limit)
	}
	rows, err := s.read(after, filter, limit+1)
	if err != nil {
		return nil, nil, err
	}
	rows, cut := cutPage(rows, limit, s.size)
	if !cut {
		return rows, nil, nil
	}
	next := s.boundary(rows[len(rows)-1])
	return rows, &next, nil
}

// judged reads a page of what the viewer may see, of what the database lets through.
func (s source[T]) judged(after Boundary, filter store.Filter, limit int) ([]T, *Boundary, error) {
	var page []T
	bytes, chunk := 0, limit+1
	for looked := 0; looked < mostJudged; chunk = min(2*chunk, chunkJudged) {
		rows, err := s.read(after, filter, chunk)
		if err != nil || len(rows) == 0 {
			return page, nil, err
		}
		seen, err := s.may(rows)
		if err != nil {
			return nil, nil, err
		}
		all := 0
		for i, row := range rows {
			all += s.size(row)
			if !seen[i] {
				after = s.boundary(row)
				continue
			}
			if len(page) == limit || bytes >= store.PageBytes {
				next := s.boundary(page[len(page)-1])
				return page, &next, nil
			}
			page, after = append(page, row), s.boundary(row)
			bytes += s.size(row)
		}
		if len(rows) < chunk && all < store.PageBytes { // there were no more
			return page, nil, nil
		}
		looked += len(rows)
	}
	return page, &after, nil
}

// judgedDocuments are what of some stored documents a viewer may read.
func judgedDocuments(j *running.Judge, c *plan.Collection) func([]store.Document) ([]bool, error) {
	if j == nil {
		return nil
	}
	return func(docs []store.Document) ([]bool, error) { return j.Readable(c, docs) }
}

// judgedPairs are what of the other ends of a document's pairs a viewer may read: the
// document and the pair.
func judgedPairs(j *running.Judge, p *plan.Pair, key string, fromSide bool) func([]store.Linked) ([]bool, error) {
	if j == nil {
		return nil
	}
	here, there := p.To, p.From
	if fromSide {
		here, there = p.From, p.To
	}
	this := j.Law.Document(here.Collection, key, nil)
	return func(rows []store.Linked) ([]bool, error) {
		return running.Allowed(j, rows, func(row store.Linked) ([]access.Condition, error) {
			values, err := j.RuleValues(there, row.Document)
			if err != nil {
				return nil, err
			}
			other := j.Law.Document(there.Collection, row.Key, values)
			from, to := other, this
			if fromSide {
				from, to = this, other
			}
			pair, err := pairRead(j, p, from, to, row.PairFields)
			return append(j.Law.Reading(there.Collection, other), pair...), err
		})
	}
}

// pairRead are the conditions to read a pair.
func pairRead(j *running.Judge, p *plan.Pair, from, to *expr.Document, fields []byte) ([]access.Condition, error) {
	var facts map[string]any
	if len(p.Fields) > 0 {
		var err error
		if facts, err = running.Typed(p.Fields, fields); err != nil {
			return nil, err
		}
	}
	return j.Law.ReadingPair(p.Pair, from, to, facts), nil
}

// mayRead refuses what hangs on a document to who may not read that.
func (r *Reader) mayRead(ctx context.Context, j *running.Judge, c *plan.Collection, key string) error {
	if j == nil {
		return nil
	}
	doc, found, err := r.Store.Document(ctx, c, key)
	if err == nil && !found {
		err = running.NotFound(c, key)
	}
	if err != nil {
		return err
	}
	return j.MayRead(c, doc)
}

// looking decides what of a timeline a viewer may see.
type looking struct {
	*running.Judge
	version *running.Version
	t       *plan.Timeline
	owner   string
	me      string // who looks
	decided bool   // that they may look at it at all
	narrows bool   // not everybody may read all of an entry

	alike  bool         // the rule for entries asks the same of everybody, see [form]
	filter store.Filter // else: what the database says of each entry
	exact  bool         // it decides

	asked     store.MarksAsked
	accounted bool           // the account whose marks are read is there
	marks     []store.Marked // of the entries that are shown
}

// lookingAt begins to decide what of a timeline a viewer may see.
func (r *Reader) lookingAt(ctx context.Context, v *running.Version, t *plan.Timeline, who running.Viewer,
	ask TimelineRequest) (l *looking, err error) {
	l = &looking{Judge: r.JudgeNow(ctx, v, who), version: v, t: t, owner: ask.Owner, me: who.Me}
	if len(ask.Marks) > 0 {
		l.asked, err = marksAsked(v.Plan, who, ask.Marks, t.Entries)
	}
	l.alike = l.Judge == nil
	if l.Judge != nil {
		l.narrows = len(t.Entries.Access.Narrowed()) > 0
		l.alike = access.Alike(t.Entries.Access.Of(design.OpRead))
	}
	if err == nil && !l.alike {
		l.filter, l.exact, err = l.EntryFilter(t)
	}
	return l, err
}

// marked keeps the marks of an entry that is shown.
func (l *looking) marked(nth int, found store.MarksFound) {
	l.accounted = found.Accounted
	for _, m := range found.Marks {
		m.Doc = nth
		l.marks = append(l.marks, m)
	}
}

// seen are entries as the viewer may see them, nil for those they may not read. Whether
// they may see the timeline is asked together with the first: it is refused as a whole.
func (l *looking) seen(places []store.Place, entries []*Entry) ([]*Entry, error) {
	if l.Judge == nil {
		return entries, nil
	}
	may, err := l.decide(places, entries)
	if err != nil {
		return nil, err
	}
	out := make([]*Entry, len(entries))
	for i, e := range entries {
		if e == nil || !may(i) {
			continue
		}
		if out[i] = e; !l.narrows {
			continue
		}
		if out[i], err = narrowed(l.Judge, l.t.Entries, e); err != nil {
			return nil, err
		}
	}
	return out, nil
}

// decide decides whether the viewer may look at the timeline, if that is not known, and which of
// some entries they may read.
func (l *looking) decide(places []store.Place, entries []*Entry) (may func(i int) bool, err error) {
	if l.exact && l.decided {
		return func(i int) bool { return places[i].May }, nil
	}
	var requests [][]access.Condition
	if !l.exact {
		requests = l.ofEach(entries)
	}
	entriesAre := len(requests)
	if !l.decided {
		l.IsThere(l.t.Owner, l.owner) // else it would have no places
		requests = append(requests, l.Law.ReadingTimeline(l.t.Timeline,
			l.Law.Document(l.t.Owner.Collection, l.owner, nil)))
	}
	verdicts, err := l.Decide(requests...)
	if err == nil && !l.decided {
		err = l.Refusal(verdicts[entriesAre])
	}
	l.decided = err == nil
	if l.exact {
		return func(i int) bool { return places[i].May }, err
	}
	return func(i int) bool { return verdicts[i].Allowed }, err
}

// ofEach are the conditions to read each of some entries: none for what is gone.
func (l *looking) ofEach(entries []*Entry) [][]access.Condition {
	c := l.t.Entries
	requests := make([][]access.Condition, len(entries))
	for i, e := range entries {
		if e != nil {
			requests[i] = l.Law.Reading(c.Collection, l.Law.Document(c.Collection, e.key, e.values))
		}
	}
	return requests
}

// narrowed is an entry without the values that the viewer may not read.
func narrowed(j *running.Judge, c *plan.Collection, e *Entry) (*Entry, error) {
	hidden, err := j.Hidden(c, e.key, e.values)
	if err != nil || len(hidden) == 0 {
		return e, err
	}
	own := *e
	if own.Facts, err = running.Without(e.Facts, hidden); err == nil {
		own.Kept, err = running.Without(e.Kept, hidden)
	}
	return &own, err
}
