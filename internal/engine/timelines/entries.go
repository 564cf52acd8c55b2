package timelines

import (
	"context"
	"slices"

	"yalvo/internal/design"
	"yalvo/internal/design/access"
	"yalvo/internal/design/plan"
	"yalvo/internal/engine/documents"
	"yalvo/internal/engine/judging"
	"yalvo/internal/engine/running"
	"yalvo/internal/engine/store/readsql"
	"yalvo/internal/engine/store/rulesql"
	"yalvo/internal/engine/store/timelinesql"
)

// looking decides what of a timeline a viewer may see.
type looking struct {
	*judging.Judge
	version *running.Version
	t       *plan.Timeline
	owner   string
	me      string // who looks
	decided bool   // that they may look at it at all
	narrows bool   // not everybody may read all of an entry
	further bool   // it was cut, and what lies beyond is collected
	obeys   bool   // some of what it shows has to be judged by where it is from

	alike  bool           // the rule for entries asks the same of everybody, see [prepared]
	filter rulesql.Filter // else: what the database says of each entry
	exact  bool           // it decides

	asked     readsql.MarksAsked
	accounted bool             // the account whose marks are read is there
	marks     []readsql.Marked // of the entries that are shown
}

// lookingAt begins to decide what of a timeline a viewer may see.
func (r *Reader) lookingAt(ctx context.Context, v *running.Version, t *plan.Timeline, who running.Viewer,
	ask Request) (l *looking, err error) {
	l = &looking{Judge: r.JudgeNow(ctx, v, who), version: v, t: t, owner: ask.Owner, me: who.Me}
	if len(ask.Marks) > 0 {
		l.asked, err = documents.MarksAsked(v.Plan, who, ask.Marks, t.Entries)
	}
	l.alike = l.Judge == nil
	if l.Judge != nil {
		l.narrows = len(t.Entries.Access.Narrowed()) > 0
		l.obeys = obeying(v, t)
		l.alike = access.Alike(t.Entries.Access.Of(design.OpRead))
	}
	if err == nil && !l.alike {
		l.filter, l.exact, err = l.EntryFilter(t)
		l.exact = l.exact && !v.Law.Tells(t.Name)
	}
	return l, err
}

// marked keeps the marks of an entry that is shown.
func (l *looking) marked(nth int, found readsql.MarksFound) {
	l.accounted = found.Accounted
	for _, m := range found.Marks {
		m.Doc = nth
		l.marks = append(l.marks, m)
	}
}

// seen are entries as the viewer may see them, nil for those they may not read. Whether
// they may see the timeline is asked together with the first: it is refused as a whole.
func (l *looking) seen(places []timelinesql.Place, entries []*Entry) ([]*Entry, error) {
	if l.Judge == nil {
		return withoutSpare(l.t.Entries, entries), nil
	}
	may, err := l.decide(places, entries)
	if err != nil {
		return nil, err
	}
	out := make([]*Entry, len(entries))
	for i, e := range entries {
		if e != nil && may(i) {
			out[i] = e
		}
	}
	if l.obeys {
		err = obey(l.Judge, l.t.Entries, places, out)
	}
	if err == nil && l.narrows {
		err = narrow(l.Judge, l.t.Entries, out)
	}
	return out, err
}

// withoutSpare are entries, nil for none, with what their kept values show alone.
func withoutSpare(c *plan.Collection, entries []*Entry) []*Entry {
	if len(c.Spared) == 0 {
		return entries
	}
	out := make([]*Entry, len(entries))
	for i, e := range entries {
		if e != nil {
			own := *e // others may hold it too
			own.Kept = running.WithoutSpare(c, e.Kept)
			out[i] = &own
		}
	}
	return out
}

// obeying tells whether a timeline carries a value that has to be judged when it is read.
func obeying(v *running.Version, t *plan.Timeline) bool {
	if len(t.Carry) == 0 {
		return v.Obeying(t.Entries)
	}
	return slices.ContainsFunc(t.Carry, func(p design.Part) bool { return p.Kept != nil && v.Law.Judges(p.Kept) })
}

// obey has entries, nil for none, show what the viewer may read where it is from.
func obey(j *judging.Judge, c *plan.Collection, places []timelinesql.Place, entries []*Entry) error {
	var at []int
	var holders []*judging.Holder
	for i, e := range entries {
		if e != nil && j.MayShow(c, e.Kept) {
			at = append(at, i)
			holders = append(holders, &judging.Holder{Of: c, Key: e.key, N: places[i].Doc, Links: e.links,
				Values: e.values,
				Kept:   e.Kept})
		}
	}
	if err := j.Obey(holders); err != nil {
		return err
	}
	for i, h := range holders {
		own := *entries[at[i]] // others may hold it too
		own.Kept = h.Kept
		entries[at[i]] = &own
	}
	return nil
}

// decide decides whether the viewer may look at the timeline, if that is not known, and which of
// some entries they may read.
func (l *looking) decide(places []timelinesql.Place, entries []*Entry) (may func(i int) bool, err error) {
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
			doc := l.Law.Document(c.Collection, e.key, e.values)
			requests[i] = append(l.Law.Reading(c.Collection, doc), l.Law.ReadingTimelineTold(l.t.Timeline, doc)...)
		}
	}
	return requests
}

// narrow leaves out of entries, nil for none, what the viewer may not read. Others may hold them too: they
// get entries of their own.
func narrow(j *judging.Judge, c *plan.Collection, entries []*Entry) error {
	var at []int
	var docs []judging.Valued
	for i, e := range entries {
		if e != nil {
			at, docs = append(at, i), append(docs, judging.Valued{Key: e.key, Values: e.values})
		}
	}
	hidden, err := j.Hidden(c, docs)
	for i, names := range hidden {
		if err != nil || len(names) == 0 {
			continue
		}
		own := *entries[at[i]]
		if own.Facts, err = running.Without(own.Facts, names); err == nil {
			own.Kept, err = running.Without(own.Kept, names)
		}
		entries[at[i]] = &own
	}
	return err
}
