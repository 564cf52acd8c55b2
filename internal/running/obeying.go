package running

import (
	"bytes"
	"encoding/json"
	"errors"
	"fmt"
	"maps"
	"slices"
	"strings"
	"sync/atomic"

	"yalvo/internal/access"
	"yalvo/internal/design"
	"yalvo/internal/expr"
	"yalvo/internal/plan"
	"yalvo/internal/store"
)

// Holder is a document whose kept values are to be shown to a viewer who may read it.
type Holder struct {
	Of     *plan.Collection
	Key    string
	N      int64                      // its row number, 0 if that is not known
	Links  map[string]json.RawMessage // its references, nil: not known
	Values map[string]any             // as rules see it, nil: not known
	Kept   json.RawMessage

	stored *store.Document // links and values are taken out of it when they are needed
	points *points         // of an element: where the reference leads that a rule asks for
}

// points is remembered with a text that shows an element. It never changes.
type points = atomic.Pointer[string]

// HolderOf is a stored document as one.
func HolderOf(c *plan.Collection, d *store.Document, kept json.RawMessage) *Holder {
	return &Holder{Of: c, Key: d.Key, N: d.N, Kept: kept, stored: d}
}

// links are the references of a holder, nil if they are not known.
func (h *Holder) links() (map[string]json.RawMessage, error) {
	if h.Links == nil && h.stored != nil {
		h.Links = map[string]json.RawMessage{}
		names := design.NamesOf(h.Of.References, func(r *plan.Reference) string { return r.Name })
		return h.Links, Pick(h.Links, See(h.Of, *h.stored).Facts, names)
	}
	return h.Links, nil
}

// holding is a holder as rules see it.
func (j *Judge) holding(h *Holder) (*expr.Document, error) {
	var err error
	if h.Values == nil && h.stored != nil {
		h.Values, err = j.RuleValues(h.Of, *h.stored)
	}
	return j.Law.Document(h.Of.Collection, h.Key, h.Values), err
}

// MayShow tells whether kept values may have something to be judged: not if they are empty, as most are. It
// looks at the text alone, in which no name stands but as a name.
func (v *Version) MayShow(c *plan.Collection, kept json.RawMessage) bool {
	for _, name := range v.Law.JudgedNames(c.Collection) {
		for rest := kept; ; {
			at := bytes.Index(rest, name)
			if at < 0 {
				break
			}
			rest = rest[at+len(name):]
			if value := bytes.TrimLeft(rest, ": "); !bytes.HasPrefix(value, []byte("[]")) &&
				!bytes.HasPrefix(value, null) {
				return true
			}
		}
	}
	return false
}

// Obeying tells whether kept values of a collection have to be judged for who reads them.
func (v *Version) Obeying(c *plan.Collection) bool { return len(v.Law.JudgedNames(c.Collection)) > 0 }

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
	o := obeying{Judge: j, docs: map[store.Address]*Holder{}, verdicts: map[judgement]bool{},
		more:    map[place]*candidates{},
		filters: map[*plan.Collection]filtering{}, allowed: map[store.Address]bool{}}
	shown := make([]json.RawMessage, len(holders))
	left := make([]int, len(holders)) // holders of which something is unknown
	for i := range left {
		left[i] = i
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
	o.want = wishes{docs: map[store.Address]*plan.Collection{}, verdicts: map[judgement][]access.Condition{},
		more: map[place]*plan.Summary{}, read: map[*plan.Collection][]string{}, points: map[store.Address]pointing{}}
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

// obeying judges the kept values of some holders. It goes over them until nothing is unknown.
type obeying struct {
	*Judge
	docs     map[store.Address]*Holder // nil: it is not there
	verdicts map[judgement]bool
	more     map[place]*candidates
	want     wishes
	waits    bool // for something that is wanted

	filters map[*plan.Collection]filtering // what the database can tell by itself
	allowed map[store.Address]bool         // and has told

	partners *partners // the reader's own; nil: not known
	asked    []store.Partners
}

// filtering is the rule to read documents of a collection as the database can tell it.
type filtering struct {
	store.Filter
	exact bool       // it is all there is to tell
	fixed *fixedRule // it depends on little, nil if on more
}

// wishes are what is to be known next.
type wishes struct {
	docs     map[store.Address]*plan.Collection
	verdicts map[judgement][]access.Condition
	more     map[place]*plan.Summary
	read     map[*plan.Collection][]string // keys of documents that the database is asked about
	points   map[store.Address]pointing    // where references lead
	partners bool
}

// pointing is what is to be known of an element.
type pointing struct {
	by *plan.Reference
	is *points
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
	found []store.Candidate
	all   bool // there are no more
}

// object goes through an object in which kept values stand by their names.
func (o *obeying) object(h *Holder, c *plan.Collection, raw json.RawMessage) (json.RawMessage, error) {
	parts, err := o.partsOf(c, raw)
	if err != nil {
		return nil, err
	}
	var out json.RawMessage // nil: it is as it stands
	done := 0               // so much of raw is in it
	for _, p := range parts {
		shown, err := o.value(h, p)
		if err != nil {
			return nil, err
		}
		if !bytes.Equal(shown, p.text) {
			out = append(append(out, raw[done:p.at]...), shown...)
			done = p.at + len(p.text)
		}
	}
	if out == nil {
		return raw, nil
	}
	return append(out, raw[done:]...), nil
}

// part is a kept value in the text of an object, of which something has to be judged.
type part struct {
	*design.Kept
	at    int // where it begins
	text  json.RawMessage
	items []element // of a latest or a gather
}

// element is one of a latest or a gather as it is stored.
type element struct {
	key    string // of its source
	text   json.RawMessage
	points *points
}

// partsOf are the parts of an object. What was taken apart lately need not be again: pages remember
// documents, and hold the same text. It is held here too, so that no other can lie where it lay.
func (o *obeying) partsOf(c *plan.Collection, raw json.RawMessage) ([]part, error) {
	if len(raw) == 0 {
		return nil, nil
	}
	k := partsKey{&raw[0], len(raw), c}
	if o.parts != nil {
		if known, is := o.parts.Get(k); is {
			return known, nil
		}
	}
	var parts []part
	var wrong error
	err := scan(raw, func(name []byte, value json.RawMessage, at int) bool {
		kept := o.judged(c, name)
		if kept == nil || string(value) == "null" {
			return true
		}
		p := part{Kept: kept, at: at, text: value}
		if kept.Kind != design.Copy {
			p.items, wrong = elementsOf(kept, value)
		}
		parts = append(parts, p)
		return wrong == nil
	})
	if err = errors.Join(err, wrong); err == nil && o.parts != nil {
		o.parts.Add(k, parts)
	}
	return parts, err
}

// partsKey is a text, by where it lies.
type partsKey struct {
	begin *byte
	size  int
	of    *plan.Collection
}

// partsKnown is of how many texts the parts are remembered: some 20 MB, besides texts that pages remember.
const partsKnown = 20_000

func elementsOf(k *design.Kept, list json.RawMessage) (all []element, err error) {
	var wrong error
	err = scan(list, func(_ []byte, text json.RawMessage, _ int) bool {
		named := text
		if k.Kind == design.Latest {
			named, wrong = member(text, `"path"`)
		}
		if wrong == nil && len(named) < 2 {
			wrong = fmt.Errorf("an element of %s.%s has no name", k.In.Name, k.Name)
		}
		if wrong != nil {
			return false
		}
		key := string(named[1 : len(named)-1]) // neither paths nor keys have anything that JSON escapes
		if k.Kind == design.Latest {
			key = keyOf(key)
		}
		all = append(all, element{key, text, new(points)})
		return true
	})
	return all, errors.Join(err, wrong)
}

// judged is the kept value of a name in quotes, if something in it has to be judged.
func (o *obeying) judged(c *plan.Collection, quoted []byte) *design.Kept {
	isIt := func(name []byte) bool { return bytes.Equal(name, quoted) }
	if !slices.ContainsFunc(o.Law.JudgedNames(c.Collection), isIt) {
		return nil
	}
	return c.KeptValue(string(quoted[1 : len(quoted)-1]))
}

func (o *obeying) value(h *Holder, p part) (json.RawMessage, error) {
	if p.Kind == design.Copy {
		return o.copied(h, p.Kept, p.text)
	}
	s := h.Of.Summary(p.Kept)
	items, changed, err := o.elements(h, s, p)
	if err != nil {
		return nil, err
	}
	for i, item := range items {
		if p.Kind == design.Latest && len(o.Law.JudgedNames(s.Sources.Collection)) > 0 {
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
	byPair := s.Pair != nil && s.Pair.Access.Of(design.OpRead).Names(design.NamePair)
	if !byPair {
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
		if len(may) == len(stored) || len(stored) < s.HowMany {
			return may, len(may) < len(stored), nil
		}
	}
	all, err = o.further(h, s)
	return all, true, err
}

// keyOf is the key of a document by its path: the ids in it.
func keyOf(path string) string {
	parts := strings.Split(path, "/")
	var ids []string
	for i := 1; i < len(parts); i += 2 {
		ids = append(ids, parts[i])
	}
	return strings.Join(ids, "/")
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
		if err := o.pointing(from); err != nil {
			return nil, err
		}
		may, err := o.may(h, s.Kept, from, c.PairFields)
		if err != nil {
			return nil, err
		}
		if !may {
			continue
		}
		shown, err := Item(s, c.Key, See(s.Sources, c.Document).Facts, c.Kept)
		if err != nil {
			return nil, err
		}
		items = append(items, item{from, shown})
	}
	if len(items) < s.HowMany && !have.all && len(have.found) < mostCandidates {
		o.want.more[at], o.waits = s, true
		o.docs[Address(h.Of, h.Key)] = h
	}
	return items, nil
}

// pointing notes where the reference of a document leads that its rule asks for, if it does.
func (o *obeying) pointing(h *Holder) error {
	f, err := o.filter(h.Of)
	if err != nil || f.fixed == nil {
		return err
	}
	key, err := pointsTo(f.fixed.by, *h.stored)
	h.points = new(points)
	h.points.Store(&key)
	return err
}

// known is a holder of which something is known that is needed, nil if it is not there, or as long as
// that is not known.
func (o *obeying) known(h *Holder, enough bool) *Holder {
	if enough {
		return h
	}
	a := Address(h.Of, h.Key)
	found, looked := o.docs[a]
	if !looked {
		o.want.docs[a], o.waits = h.Of, true
	}
	return found
}

// may tells whether the viewer may be shown a source. As long as that is not known it is taken to be so.
func (o *obeying) may(h *Holder, k *design.Kept, from *Holder, pairFields json.RawMessage) (may bool, err error) {
	if access.ByReading(k) {
		f, err := o.filter(from.Of)
		if err != nil {
			return false, err
		}
		if f.fixed != nil && from.points != nil {
			if may, is := o.byPartners(f.fixed, from); is {
				return may, nil
			}
		}
		if f.exact {
			return o.mayRead(from), nil
		}
	}
	about := judgement{place{k, h.Of.Path(h.Key)}, from.Key}
	may, decided := o.verdicts[about]
	if !decided {
		o.waits = true
		o.want.verdicts[about], err = o.conditions(h, k, from, pairFields)
		return true, err
	}
	return may, nil
}

// filter is the rule to read documents of a collection, as the database can tell it.
func (o *obeying) filter(c *plan.Collection) (f filtering, err error) {
	f, known := o.filters[c]
	if !known {
		if f.Filter, f.exact, err = o.Filter(c); err == nil && f.exact {
			f.fixed, err = o.fixedRuleOf(c)
		}
		o.filters[c] = f
	}
	return f, err
}

// byPartners tells whether the viewer may read a document by where a reference of it leads and by their own pairs,
// false if it is to be found out otherwise. As long as that is not known it is taken to be so.
func (o *obeying) byPartners(rule *fixedRule, from *Holder) (may, is bool) {
	at := Address(from.Of, from.Key)
	if _, decided := o.allowed[at]; decided {
		return false, false
	}
	key := from.points.Load()
	if key == nil {
		o.want.points[at] = pointing{rule.by, from.points}
		o.waits = true
	}
	missing := o.partners == nil
	for _, ask := range rule.pairs {
		if !slices.Contains(o.asked, ask) {
			o.asked, missing = append(o.asked, ask), true
		}
	}
	if missing {
		o.want.partners, o.waits = true, true
	}
	if missing || key == nil {
		return true, true
	}
	return rule.allows(o.Judge, o.partners, *key), true
}

// lookAround gets to know where references lead, and the viewer's own pairs.
func (o *obeying) lookAround() error {
	if len(o.want.points) > 0 {
		addresses := slices.Collect(maps.Keys(o.want.points))
		found, _, err := o.stores.Known(addresses, nil)
		if err != nil {
			return err
		}
		for _, a := range addresses {
			o.allowed[a] = false // what is not there
		}
		for _, d := range found {
			a := store.Address{Collection: d.Collection, Key: d.Key}
			key, err := pointsTo(o.want.points[a].by, d)
			if err != nil {
				return err
			}
			o.want.points[a].is.Store(&key)
			delete(o.allowed, a)
		}
	}
	if !o.want.partners {
		return nil
	}
	var err error
	if o.partners, err = o.partnersFor(o.asked); err == nil && o.partners == nil {
		for c, f := range o.filters { // there are too many
			f.fixed = nil
			o.filters[c] = f
		}
	}
	return err
}

// mayRead tells whether the viewer may read a document by a rule of which the database can tell all. As long
// as that is not known it is taken to be so.
func (o *obeying) mayRead(from *Holder) bool {
	may, decided := o.allowed[Address(from.Of, from.Key)]
	if !decided {
		o.want.read[from.Of] = append(o.want.read[from.Of], from.Key)
		o.waits = true
	}
	return may || !decided
}

// ask has the database tell which documents the viewer may read.
func (o *obeying) ask() error {
	for c, keys := range o.want.read {
		allowed, err := o.stores.Allowed(c, keys, o.filters[c].Filter)
		if err != nil {
			return err
		}
		for _, key := range keys {
			o.allowed[Address(c, key)] = allowed[key]
		}
	}
	return nil
}

// conditions are those to be shown a source of a kept value in a document that may be read: see
// [access.Law.Sourcing].
func (o *obeying) conditions(h *Holder, k *design.Kept, from *Holder, pairFields json.RawMessage) ([]access.Condition,
	error) {
	var facts map[string]any
	var errs [3]error
	if k.Pair != nil && len(pairFields) > 0 {
		facts, errs[0] = Typed(k.Pair.Fields, pairFields)
	}
	holder, err := o.holding(h)
	errs[1] = err
	source, err := o.holding(from)
	errs[2] = err
	return o.Law.Sourcing(k, holder, source, facts), errors.Join(errs[:]...)
}

// fulfil gets to know what is wanted.
func (o *obeying) fulfil() error {
	if len(o.want.docs) > 0 {
		if err := o.read(); err != nil {
			return err
		}
	}
	if err := o.lookFurther(); err != nil {
		return err
	}
	if err := errors.Join(o.lookAround(), o.ask()); err != nil {
		return err
	}
	about := make([]judgement, 0, len(o.want.verdicts))
	requests := make([][]access.Condition, 0, len(o.want.verdicts))
	for one, conditions := range o.want.verdicts {
		about, requests = append(about, one), append(requests, conditions)
	}
	if len(requests) == 0 {
		return nil
	}
	verdicts, err := o.Decide(requests...)
	for i, v := range verdicts {
		o.verdicts[about[i]] = v.Allowed
	}
	return err
}

func (o *obeying) read() error {
	var addresses []store.Address
	for a := range o.want.docs {
		o.docs[a] = nil
		addresses = append(addresses, a)
	}
	found, _, err := o.stores.Known(addresses, nil)
	if err != nil {
		return err
	}
	for i := range found {
		d := &found[i]
		c := o.Plan.CollectionNumbered(d.Collection)
		o.docs[Address(c, d.Key)] = HolderOf(c, d, d.Kept)
	}
	return nil
}

// furtherLook is what is looked for together: the next sources of a value, of several documents.
type furtherLook struct {
	s          *plan.Summary
	skip, many int
}

// lookFurther reads some more sources of values, those of the same value together.
func (o *obeying) lookFurther() error {
	looks := map[furtherLook]map[int64]place{}
	for at, s := range o.want.more {
		have := o.more[at]
		if have == nil {
			have = &candidates{}
			o.more[at] = have
		}
		look := furtherLook{s, len(have.found), max(someCandidates+s.HowMany, len(have.found))}
		if looks[look] == nil {
			looks[look] = map[int64]place{}
		}
		looks[look][o.docs[Address(s.In, keyOf(at.holder))].N] = at
	}
	for look, places := range looks {
		found, err := o.stores.Candidates(look.s, slices.Collect(maps.Keys(places)), look.skip, look.many)
		if err != nil {
			return err
		}
		for _, c := range found {
			have := o.more[places[c.Target]]
			have.found = append(have.found, c)
		}
		for _, at := range places {
			have := o.more[at]
			have.all = len(have.found)-look.skip < look.many
		}
	}
	return nil
}

// Item is an element of a latest: its id and path, and what is shown of it.
func Item(s *plan.Summary, key string, facts, kept json.RawMessage) (json.RawMessage, error) {
	item := map[string]json.RawMessage{}
	id, path := IDOf(key), s.Sources.Path(key)
	if s.Kind == design.Gather {
		return json.Marshal(key)
	}
	for name, text := range map[string]string{"id": id, "path": path} {
		quoted, err := json.Marshal(text)
		if err != nil {
			return nil, err
		}
		item[name] = quoted
	}
	if err := Pick(item, facts, s.Fields); err != nil {
		return nil, err
	}
	if err := Pick(item, kept, s.KeptNames); err != nil {
		return nil, err
	}
	return json.Marshal(item)
}
