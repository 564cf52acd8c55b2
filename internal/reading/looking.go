package reading

import (
	"context"

	"yalvo/internal/access"
	"yalvo/internal/design"
	"yalvo/internal/plan"
	"yalvo/internal/running"
	"yalvo/internal/store"
)

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
