package access

import (
	"fmt"
	"time"

	"yalvo/internal/design"
	"yalvo/internal/design/expr"
)

// Source knows documents and pairs.
type Source interface {
	// Know returns the values of some documents as rules see them, by their addresses,
	// without those that are not there; and which of some pairs there are.
	Know(docs []Address, pairs []Ask) (map[Address]map[string]any, map[Ask]bool, error)
}

// Address names a document.
type Address struct{ Collection, Key string }

// Ask is a question for a pair of a kind, by the keys of its ends.
type Ask struct{ Kind, From, To string }

// Verdict says whether something may be done.
type Verdict struct {
	Allowed bool
	Refused *Condition // what refused it
	Costly  bool       // it could not be worked out in the steps that a rule may take
	Words   []string   // what the rule itself tells those whom it refuses
}

// Hidden is the document that counts as missing for the caller, nil if it is something
// else that they may not do.
func (v Verdict) Hidden() *expr.Document {
	if v.Refused == nil {
		return nil
	}
	return v.Refused.Hidden
}

// Evaluator decides about requests of one caller. It remembers what it has been told, so it
// serves one moment only.
type Evaluator struct {
	law    *Law
	source Source
	me     *expr.Document // nil for a stranger
	moment time.Time
	budget *Budget

	documents map[Address]*expr.Document
	fetched   map[Address]bool
	exists    map[Address]bool // of which no more is known
	pairs     map[Ask]bool
	absent    map[Address]bool // what is as if it were not there: see [Evaluator.JudgeNamed]
}

// Evaluator makes a evaluator for a caller with an account, or for a stranger if it is empty.
func (l *Law) Evaluator(source Source, account string, now time.Time) *Evaluator {
	c := &Evaluator{law: l, source: source, moment: now, documents: map[Address]*expr.Document{},
		fetched: map[Address]bool{}, exists: map[Address]bool{}, pairs: map[Ask]bool{},
		absent: map[Address]bool{}}
	if account != "" && l.design.Accounts != nil {
		c.me = c.shared(l.design.Accounts.Name, account)
	}
	return c
}

// Within has the evaluator work out rules within a budget.
func (c *Evaluator) Within(b *Budget) *Evaluator {
	c.budget = b
	return c
}

// Budget is what the evaluator works within.
func (c *Evaluator) Budget() *Budget { return c.budget }

// Judge decides about requests, each by the conditions that stand before it. Its order is
// that of the requests.
func (c *Evaluator) Judge(requests [][]Condition) ([]Verdict, error) {
	if err := c.learn(requests); err != nil {
		return nil, err
	}
	verdicts := make([]Verdict, len(requests))
	for i, conditions := range requests {
		if err := c.budget.Spend(func() { verdicts[i] = c.decide(conditions) }); err != nil {
			return nil, err
		}
	}
	return verdicts, nil
}

// JudgeNamed decides about a request to write in which the caller has named documents: first whether they may
// read each of these, and then by the rules that stand before the request. For these what the caller may not
// read is not there: neither a document that they have named, nor the values of one that a rule comes to by a
// reference. Otherwise the rules would tell of it what its absence would not. A question for a pair is
// answered as it is: a block is no less of one for being hidden. An account that is not there, or not any
// more, may write nothing, whatever the rules say.
func (c *Evaluator) JudgeNamed(request []Condition, named [][]Condition) (of Verdict, readable []Verdict, err error) {
	if err := c.learn(append([][]Condition{request, c.beingThere()}, named...)); err != nil {
		return of, nil, err
	}
	if c.isGone() {
		for range named {
			readable = append(readable, Verdict{Allowed: true}) // it is this that refuses
		}
		return Verdict{Refused: &Condition{}, Words: []string{NoAccount(c.me.Key)}}, readable, nil
	}
	for _, conditions := range named {
		v := c.decide(conditions)
		readable = append(readable, v)
		if doc := conditions[len(conditions)-1].Hidden; !v.Allowed {
			defer c.hide(doc)()
			c.absent[addressOf(doc)] = true
			defer delete(c.absent, addressOf(doc))
		}
	}
	for length := 2; length <= 1+expr.MaxFollowed; length++ {
		unread, err := c.unread(request, length)
		if err != nil {
			return of, nil, err
		}
		for _, doc := range unread {
			defer c.hide(doc)()
		}
	}
	return c.decide(request), readable, nil
}

// NoAccount says of an account that is not there that it may write nothing.
func NoAccount(key string) string {
	return fmt.Sprintf("there is no account %s (any more): sign up with POST /v1/sign-up", key)
}

// beingThere is the condition that the caller's account is there.
func (c *Evaluator) beingThere() []Condition {
	if c.me == nil {
		return nil
	}
	return []Condition{{Rule: &design.Rule{Fixed: true}, Hidden: c.me}}
}

// isGone tells whether the caller's account, which has been looked for, is not there.
func (c *Evaluator) isGone() bool {
	return c.me != nil && c.caller() == nil && !c.exists[addressOf(c.me)]
}

// unread are the documents that the rules of a request come to by paths of some length, and that the caller
// may not read.
func (c *Evaluator) unread(request []Condition, length int) (unread []*expr.Document, err error) {
	var docs []*expr.Document
	var reading [][]Condition
	for _, on := range request {
		if on.Hidden != nil || on.Rule == nil || on.Rule.That == nil {
			continue
		}
		for _, path := range on.Rule.That.Follows {
			if len(path) != length {
				continue
			}
			doc, known := c.at(on, path, wanted{map[Address]bool{}, map[Ask]bool{}})
			if known && doc != nil && doc.Values != nil {
				docs = append(docs, doc)
				reading = append(reading, c.law.Reading(c.law.design.Collection(doc.Collection), doc))
			}
		}
	}
	verdicts, err := c.Judge(reading)
	for i, v := range verdicts {
		if !v.Allowed {
			unread = append(unread, docs[i])
		}
	}
	return unread, err
}

// hide has nothing be known of a document until what it returns is called.
func (c *Evaluator) hide(doc *expr.Document) (restore func()) {
	a := addressOf(doc)
	shared := c.shared(a.Collection, a.Key)
	values, fetched := shared.Values, c.fetched[a]
	shared.Values, c.fetched[a] = nil, true
	return func() { shared.Values, c.fetched[a] = values, fetched }
}

// IsAbsent has a document be as if it were not there, for what is decided from now on.
func (c *Evaluator) IsAbsent(doc *expr.Document) {
	c.hide(doc)
	c.absent[addressOf(doc)], c.exists[addressOf(doc)] = true, false
}

// Explain works every condition of a request out in its parts. A condition without a
// rule, or with a fixed one, has a text alone.
func (c *Evaluator) Explain(conditions []Condition) ([]expr.Part, error) {
	if err := c.learn([][]Condition{conditions}); err != nil {
		return nil, err
	}
	parts := make([]expr.Part, len(conditions))
	for i, on := range conditions {
		parts[i] = expr.Part{Text: on.Rule.Text(), Value: expr.False}
		switch {
		case on.Rule == nil:
		case on.Rule.That != nil:
			part, err := on.Rule.That.Explain(c.values(on), c.paired)
			if err != nil {
				part = expr.Part{Text: on.Rule.Text(), Value: expr.Unknown}
			}
			parts[i] = part
		case on.Rule.Fixed:
			parts[i].Value = expr.True
		}
	}
	return parts, nil
}

// Work works out an expression that is about some documents, the facts of a pair and other
// values. The error may wrap [expr.ErrAbsent].
func (c *Evaluator) Work(rule *expr.Rule, about Condition) (any, error) {
	about.Rule = &design.Rule{That: rule}
	if err := c.learn([][]Condition{{about}}); err != nil {
		return nil, err
	}
	return rule.Of(c.values(about), c.paired)
}

// Holds tells whether a condition holds, which may take twice the steps if it was tried
// before in other company.
func (c *Evaluator) Holds(rule *expr.Rule, about Condition, again bool) (bool, error) {
	about.Rule = &design.Rule{That: rule}
	if err := c.learn([][]Condition{{about}}); err != nil {
		return false, err
	}
	if again {
		return rule.StillAllows(c.values(about), c.paired)
	}
	return rule.Allows(c.values(about), c.paired)
}

func (c *Evaluator) decide(conditions []Condition) Verdict {
	for i, on := range conditions {
		v := Verdict{Refused: &conditions[i]}
		if on.Hidden != nil && on.Hidden.Values == nil && !c.exists[addressOf(on.Hidden)] {
			return v // there is no such document
		}
		if on.Rule == nil {
			return v
		}
		if on.Rule.Otherwise != "" {
			v.Words = []string{on.Rule.Otherwise}
		}
		if on.Rule.That == nil {
			if on.Rule.Fixed {
				continue
			}
			return v
		}
		holds, err := on.Rule.That.Allows(c.values(on), c.paired)
		if holds {
			continue
		}
		v.Costly = err != nil
		if v.Words == nil && on.Hidden == nil {
			if why, err := on.Rule.That.Explain(c.values(on), c.paired); err == nil {
				v.Words = why.Refusing()
			}
		}
		return v
	}
	return Verdict{Allowed: true}
}

// now is the time as rules see it.
func (c *Evaluator) now() string { return design.FormatTime(c.moment) }

// values are what a rule may name.
func (c *Evaluator) values(on Condition) map[string]any {
	v := map[string]any{design.NameNow: c.now(), design.NamePair: on.Pair}
	if on.Pair == nil {
		v[design.NamePair] = map[string]any{}
	}
	for name, doc := range on.Given {
		v[name] = doc
	}
	for name, value := range on.Values {
		v[name] = value
	}
	v[design.NameMe] = c.caller()
	return v
}

// caller is the caller's account, nil if it is not there any more.
func (c *Evaluator) caller() *expr.Document {
	if c.me != nil && c.me.Values == nil && c.fetched[addressOf(c.me)] {
		return nil
	}
	return c.me
}

// Exists tells the evaluator that a document is there: it does not ask for that.
func (c *Evaluator) Exists(collection, key string) { c.exists[Address{collection, key}] = true }

// cannot tells whether there can be no such pair: of a document with itself.
func (c *Evaluator) cannot(kind string, from, to *expr.Document) bool {
	return from.Collection == to.Collection && from.Key == to.Key && !c.law.design.Pair(kind).Self
}

func (c *Evaluator) paired(kind string, from, to *expr.Document) bool {
	return !c.cannot(kind, from, to) && c.pairs[Ask{kind, from.Key, to.Key}] && !c.absent[addressOf(from)] &&
		!c.absent[addressOf(to)]
}

// Filter is the rule to read documents of a collection, as far as it can be worked out from
// what is stored: it lets through all that the caller may read, and may let others through
// unless it is exact. Of nested documents it says nothing about what they lie under. If who
// is given, it is for a caller who is there, and nobody is it for one who is not.
func (c *Evaluator) Filter(in *design.Collection) (f, nobody expr.Filter, who *expr.Document, err error) {
	rule := in.Access.Of(design.OpRead)
	switch {
	case rule == nil || rule.That == nil && !rule.Fixed:
		f.Kind = expr.Never
		return f, f, nil, nil
	case rule.That == nil:
		f.Kind = expr.Always
		return f, f, nil, nil
	}
	filter := func(me *expr.Document) expr.Filter {
		return rule.That.Filter(design.NameDoc, map[string]*expr.Document{design.NameMe: me},
			map[string]any{design.NameNow: c.now()})
	}
	if c.me == nil || !rule.That.Names(design.NameMe) {
		return filter(c.me), f, nil, nil
	}
	if rule.That.Reading(design.NameMe) {
		err = c.learn([][]Condition{{{Rule: rule, Hidden: c.me}}})
		return filter(c.caller()), f, nil, err
	}
	if c.exists[addressOf(c.me)] || c.me.Values != nil {
		return filter(c.me), f, nil, nil
	}
	return filter(c.me), filter(nil), c.me, nil
}
