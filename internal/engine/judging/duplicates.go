package judging

import (
	"bytes"
	"encoding/json"
	"errors"
	"slices"

	"yalvo/internal/design"
	"yalvo/internal/design/access"
	"yalvo/internal/design/plan"
	"yalvo/internal/engine/running"
	"yalvo/internal/engine/store"
	"yalvo/internal/engine/store/keptsql"
	"yalvo/internal/engine/store/readsql"
	"yalvo/internal/engine/store/rulesql"
)

// Obey leaves out of kept values what the viewer may not read where it is from: elements of a latest and a
// gather, in the place of which the next ones come, and copies, which are null then. What is shown by other
// rights (see [access.Right]) stays. All holders are decided about together.
func (j *Judge) Obey(holders []*Holder) error {
	if j == nil {
		return nil
	}
	if len(holders) == 0 {
		return nil
	}
	o := obeying{Judge: j}
	shown := make([]json.RawMessage, len(holders))
	left := make([]int, len(holders)) // holders of which something is unknown
	for i := range left {
		left[i], holders[i].own = i, true
	}
	for range mostRounds {
		var err error
		if left, err = o.round(holders, left, shown); err != nil {
			return err
		}
		if len(left) == 0 {
			for i, h := range holders {
				h.Kept = shown[i]
			}
			return nil
		}
		if err := o.fulfil(); err != nil {
			return err
		}
	}
	return errors.New("what kept values show could not be judged in a bounded number of rounds")
}

// round goes over holders of which something is unknown, and tells of which it still is. What their rules ask of the
// viewer is the same for all: as soon as one needs that, it is looked up before all others.
func (o *obeying) round(holders []*Holder, left []int, shown []json.RawMessage) (still []int, err error) {
	o.want = wishes{}
	for at, i := range left {
		h := holders[i]
		o.waits = false
		if shown[i], err = o.object(h, h.Of, h.Kept); err != nil {
			return nil, err
		}
		if o.waits {
			still = append(still, i)
		}
		if o.want.partners {
			return append(still, left[at+1:]...), nil
		}
	}
	return still, nil
}

// mostRounds is how often Obey looks at what it needs to know next: a few times for each level of values that
// show values, and for elements that are looked for further.
const mostRounds = 100

// How many sources are looked at for one value, in all and at a time, if the newest ones may not be read. Of
// what lies behind these nothing is shown.
const (
	mostCandidates = 500
	someCandidates = 20
)

// obeying judges the kept values of some holders. It goes over them until nothing is unknown. Its maps are made when
// something is put in: mostly nothing has to be.
type obeying struct {
	*Judge
	docs     map[store.Address]*Holder // nil: it is not there
	verdicts map[judgement]bool
	more     map[place]*candidates
	apart    map[partsKey]apart // what has been taken apart here
	want     wishes
	waits    bool // for something that is wanted

	filters map[*plan.Collection]filtering // what the database can tell by itself
	allowed map[store.Address]bool         // and has told

	rules   map[*plan.Collection]*fixedRule // nil: the rule is none
	nowhere map[store.Address]bool          // documents whose reference leads nowhere
	asked   []readsql.Partners              // of the reader
	tooMany bool                            // partners they have
}

// put puts something into a map that may not have been made yet.
func put[K comparable, V any](m *map[K]V, k K, v V) {
	if *m == nil {
		*m = map[K]V{}
	}
	(*m)[k] = v
}

// filtering is the rule to read documents of a collection as the database can tell it.
type filtering struct {
	rulesql.Filter
	exact bool // it is all there is to tell
}

// place is a kept value in a document.
type place struct {
	kept   *design.Kept
	holder string // its path
}

// judgement is about a source of a kept value in a document.
type judgement struct {
	place
	source string // its key
}

// candidates are sources of a value, newest first, as far as they have been looked at.
type candidates struct {
	found []keptsql.Candidate
	all   bool // there are no more
}

// object goes through an object in which kept values stand by their names.
func (o *obeying) object(h *Holder, c *plan.Collection, raw json.RawMessage) (json.RawMessage, error) {
	apart, err := o.takenApart(c, raw)
	if err != nil {
		return nil, err
	}
	var few [4]json.RawMessage
	shown, nothingHidden := few[:0], true
	for _, p := range apart.parts {
		value, err := o.value(h, p)
		if err != nil {
			return nil, err
		}
		shown, nothingHidden = append(shown, value), nothingHidden && bytes.Equal(value, p.shown)
	}
	if nothingHidden {
		return apart.shown, nil
	}
	return joined(raw, apart.parts, shown), nil
}

func (o *obeying) value(h *Holder, p part) (json.RawMessage, error) {
	if p.Kind == design.Copy {
		return o.copied(h, p.Kept, p.text)
	}
	s := h.Of.Summary(p.Kept)
	nested := p.Kind == design.Latest && o.Obeying(s.Sources)
	if !nested {
		if all, err := o.allShown(h, s, p); all || err != nil {
			return p.shown, err
		}
	}
	items, changed, err := o.elements(h, s, p)
	if err != nil {
		return nil, err
	}
	for i, item := range items {
		if nested {
			if items[i].shown, err = o.object(item.from, s.Sources, item.shown); err != nil {
				return nil, err
			}
			changed = changed || !bytes.Equal(items[i].shown, item.shown)
		}
	}
	if !changed {
		return p.text, nil
	}
	return listed(items), nil
}

var null = json.RawMessage("null")

// copied is a copy as the viewer may see it. Of what is gone nobody may read anything.
func (o *obeying) copied(h *Holder, k *design.Kept, raw json.RawMessage) (json.RawMessage, error) {
	if h = o.known(h, h.Links != nil || h.stored != nil); h == nil {
		return null, nil
	}
	links, err := h.links()
	if err != nil {
		return nil, err
	}
	var key string
	if text := links[k.Via.Name]; text != nil {
		if err := json.Unmarshal(text, &key); err != nil {
			return nil, err
		}
	}
	to := o.Plan.Collection(k.Via.To.Name)
	judged := o.Law.RightTo(k) == access.Judged
	if judged && key == "" {
		return null, nil
	}
	if judged {
		if may, err := o.may(h, k, &Holder{Of: to, Key: key}, nil); err != nil || !may {
			return null, err
		}
	}
	return o.object(&Holder{Of: to, Key: key}, to, raw)
}

// item is an element of a latest or a gather.
type item struct {
	from  *Holder
	shown json.RawMessage
}

// allShown tells whether a latest or a gather is shown without anything being hidden.
func (o *obeying) allShown(h *Holder, s *plan.Summary, p part) (bool, error) {
	if o.Law.RightTo(s.Kept) != access.Judged {
		return true, nil
	}
	if byPair(s) {
		return false, nil
	}
	for _, e := range p.items[:min(len(p.items), s.HowMany)] {
		may, err := o.may(h, s.Kept, &Holder{Of: s.Sources, Key: e.key, points: e.points}, nil)
		if !may || err != nil {
			return false, err
		}
	}
	return true, nil
}

// byPair tells whether a source is shown to who may read the pair that it comes from, by the pair's own values.
func byPair(s *plan.Summary) bool {
	return s.Pair != nil && s.Pair.Access.Of(design.OpRead).Names(design.NamePair)
}

// elements are those of a latest or a gather that the viewer may read, and whether these are others than
// are stored.
func (o *obeying) elements(h *Holder, s *plan.Summary, p part) (all []item, changed bool, err error) {
	stored := make([]item, len(p.items))
	for i, e := range p.items {
		stored[i] = item{&Holder{Of: s.Sources, Key: e.key, points: e.points}, e.text}
	}
	if o.Law.RightTo(s.Kept) != access.Judged {
		return stored, false, nil
	}
	if !byPair(s) {
		may := make([]item, 0, len(stored))
		for _, one := range stored {
			is, err := o.may(h, s.Kept, one.from, nil)
			if err != nil {
				return nil, false, err
			}
			if is {
				may = append(may, one)
			}
		}
		if len(may) >= s.HowMany || len(stored) < o.whole(h, s) {
			may = may[:min(len(may), s.HowMany)]
			return may, len(may) < len(stored), nil
		}
	}
	all, err = o.further(h, s)
	return all, true, err
}

// whole is how many elements are stored if there may be more sources than these.
func (o *obeying) whole(h *Holder, s *plan.Summary) int {
	if _, building := h.Of.Building[s.Name]; building || !h.own {
		return s.HowMany // what is derived anew, and what others have copied, has nothing besides
	}
	return s.Stored()
}

// further are the elements, looked for among all sources.
func (o *obeying) further(h *Holder, s *plan.Summary) ([]item, error) {
	if h = o.known(h, h.N != 0); h == nil {
		return nil, nil
	}
	at := place{s.Kept, h.Of.Path(h.Key)}
	have := o.more[at]
	if have == nil {
		have = &candidates{}
	}
	var items []item
	for i := range have.found {
		c := &have.found[i]
		if len(items) == s.HowMany {
			break
		}
		from := HolderOf(s.Sources, &c.Document, c.Kept)
		if c.To != 0 {
			from.points = new(points)
			from.points.Store(&pointed{c.To, c.ToKey})
		}
		may, err := o.may(h, s.Kept, from, c.PairFields)
		if err != nil {
			return nil, err
		}
		if !may {
			continue
		}
		shown, err := running.Item(s, c.Key, running.See(s.Sources, c.Document).Facts, c.Kept)
		if err != nil {
			return nil, err
		}
		items = append(items, item{from, shown})
	}
	if len(items) < s.HowMany && !have.all && len(have.found) < mostCandidates {
		put(&o.want.more, at, s)
		put(&o.docs, running.Address(h.Of, h.Key), h)
		o.waits = true
	}
	return items, nil
}

// known is a holder of which something is known that is needed, nil if it is not there, or as long as
// that is not known.
func (o *obeying) known(h *Holder, enough bool) *Holder {
	if enough {
		return h
	}
	a := running.Address(h.Of, h.Key)
	found, looked := o.docs[a]
	if !looked {
		put(&o.want.docs, a, h.Of)
		o.waits = true
	}
	return found
}

// may tells whether the viewer may be shown a source. As long as that is not known it is taken to be so.
func (o *obeying) may(h *Holder, k *design.Kept, from *Holder, pairFields json.RawMessage) (may bool, err error) {
	if access.ByReading(k) {
		rule, err := o.fixedRule(from.Of)
		if err != nil {
			return false, err
		}
		if rule != nil && from.points != nil && !o.tooMany && !o.nowhere[running.Address(from.Of, from.Key)] {
			return o.byPartners(rule, from), nil
		}
		f, err := o.filter(from.Of)
		if err != nil {
			return false, err
		}
		if f.exact {
			return o.mayRead(from), nil
		}
	}
	about := judgement{place{k, h.Of.Path(h.Key)}, from.Key}
	may, decided := o.verdicts[about]
	if !decided {
		o.waits = true
		conditions, err := o.conditions(h, k, from, pairFields)
		put(&o.want.verdicts, about, conditions)
		return true, err
	}
	return may, nil
}

// filter is the rule to read documents of a collection, as the database can tell it.
func (o *obeying) filter(c *plan.Collection) (f filtering, err error) {
	f, known := o.filters[c]
	if !known {
		f.Filter, f.exact, err = o.Filter(c)
		put(&o.filters, c, f)
	}
	return f, err
}

// fixedRule is the rule to read documents of a collection as a fixed one, nil if it is none.
func (o *obeying) fixedRule(c *plan.Collection) (rule *fixedRule, err error) {
	rule, known := o.rules[c]
	if !known {
		rule, err = o.fixedRuleOf(c)
		put(&o.rules, c, rule)
	}
	return rule, err
}

// byPartners tells whether the viewer may read a document by where a reference of it leads and by their own pairs. As
// long as that is not known it is taken to be so.
func (o *obeying) byPartners(rule *fixedRule, from *Holder) (may bool) {
	to := from.points.Load()
	if to == nil {
		if o.want.points[rule] == nil {
			put(&o.want.points, rule, map[string][]*points{})
		}
		o.want.points[rule][from.Key] = append(o.want.points[rule][from.Key], from.points)
		o.waits = true
	}
	switch {
	case o.reader == nil && o.who.Me == "":
		o.reader = &partners{} // a stranger has none
	case o.who.Me != "" && (o.reader == nil || !o.reader.knows(rule.pairs)):
		for _, ask := range rule.pairs {
			if !slices.Contains(o.asked, ask) {
				o.asked = append(o.asked, ask)
			}
		}
		o.want.partners, o.waits = true, true
		return true
	}
	return to == nil || rule.allows(o.Plan, o.reader, *to)
}

// mayRead tells whether the viewer may read a document by a rule of which the database can tell all. As long
// as that is not known it is taken to be so.
func (o *obeying) mayRead(from *Holder) bool {
	may, decided := o.allowed[running.Address(from.Of, from.Key)]
	if !decided {
		put(&o.want.read, from.Of, append(o.want.read[from.Of], from.Key))
		o.waits = true
	}
	return may || !decided
}
