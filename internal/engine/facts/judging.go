package facts

import (
	"cmp"
	"encoding/json"
	"errors"
	"maps"
	"slices"
	"strings"

	"yalvo/internal/design"
	"yalvo/internal/design/access"
	"yalvo/internal/design/expr"
	"yalvo/internal/design/plan"
	"yalvo/internal/engine/judging"
	"yalvo/internal/engine/running"
	"yalvo/internal/engine/store"
	"yalvo/internal/engine/store/factsql"
)

// judge decides about one operation of the client's own, as things stand now: nil where
// everything is allowed, as to what follows from a client's change.
func (u Unit) judge() *judging.Judge { return u.app.Judge(u.Version, u.who, judging.Within(u.Tx)) }

// mayCreate refuses a creation that the caller may not make, and references to what is
// not there for them. It is allowed by what rules were told lately, where that is enough:
// the statement that writes looks whether it is still so. It is refused by what there is now.
func (m *creation) mayCreate(u Unit) error {
	if u.recalls && !u.afresh {
		if j := u.app.Recall(u.Version, u.who, judging.Within(u.Tx)); j != nil {
			err := m.mayBy(u, j.Judge)
			if err == nil || len(j.Relied) == 0 {
				m.relied = j.Relied
				return err
			}
		}
	}
	return m.mayBy(u, u.judge())
}

// mayBeAccount keeps accounts to those who sign in with them, before anything else is said of a draft: where the
// design has them sign in here, signing up with its limits is the one way to get one; where a provider signs
// them in, whom it knows by an id is the only one to take that.
func (u Unit) mayBeAccount(c *plan.Collection, draft Draft) error {
	d := u.Plan.Design
	switch {
	case !u.who.Judged || draft.SigningUp || d.Accounts == nil || d.Accounts.Name != c.Name:
		return nil
	case d.SignIn != nil:
		return running.Refuse(running.CodeNotAllowed, "accounts are created by signing up: POST /v1/sign-up")
	case u.app != nil && u.app.Provided && draft.ID != "" && draft.ID != u.who.Me:
		return running.Refuse(running.CodeNotAllowed, "the id of an account is for whom a token of that id signs in: "+
			"leave it out, or sign up with that token")
	}
	return nil
}

func (m *creation) mayBy(u Unit, j *judging.Judge) error {
	if m.judge = j; j == nil {
		return nil
	}
	if d := m.version.Plan.Design; m.key == u.who.Me && d.Accounts != nil && d.Accounts.Name == m.in.Name {
		j.IsThere(m.in, m.key) // it is about to be
	}
	given := slices.Sorted(maps.Keys(m.given))
	request := j.Law.Creating(m.in.Collection, j.Law.Document(m.in.Collection, m.key, m.facts), given)
	refs, targets := pointingAt(j.Law, m.in.References, m.facts)
	of, readable, err := j.DecideNamed(request, targets)
	if err != nil {
		return err
	}
	if err := j.Refusal(of); err != nil {
		if m.in.Parent != nil && of.Hidden() != nil {
			return noParent(m.in, m.parent)
		}
		return err
	}
	return noTargets(refs, m.facts, readable)
}

// pointingAt are the conditions to point at what references lead to: it must be there for
// the caller.
func pointingAt(law *access.Law, refs []*plan.Reference, facts map[string]any) ([]*plan.Reference,
	[][]access.Condition) {
	var set []*plan.Reference
	var requests [][]access.Condition
	for _, ref := range refs {
		if key, points := facts[ref.Name].(string); points {
			set = append(set, ref)
			requests = append(requests, law.Reading(ref.To.Collection, law.Document(ref.To.Collection, key, nil)))
		}
	}
	return set, requests
}

func noTargets(refs []*plan.Reference, facts map[string]any, verdicts []access.Verdict) error {
	var mistakes []design.Mistake
	for i, v := range verdicts {
		if !v.Allowed {
			mistakes = append(mistakes, noTarget(refs[i], facts[refs[i].Name].(string)))
		}
	}
	if len(mistakes) > 0 {
		return running.Invalid(mistakes)
	}
	return nil
}

// editing is an edit of a locked document, as whoever asks for it sees that.
type editing struct {
	*judging.Judge // nil: they see all, and may do all
	in             *plan.Collection
	before         store.Document
	seen           running.Document
	hidden         []string       // values that they may not read
	doc            *expr.Document // as rules see it
}

// beginEdit begins an edit: who may not read the document is told that there is none.
func (u Unit) beginEdit(c *plan.Collection, doc store.Document) (*editing, error) {
	e := &editing{Judge: u.judge(), in: c, before: doc, seen: running.See(c, doc)}
	if e.Judge == nil {
		return e, nil
	}
	values, err := u.RuleValues(c, doc)
	if err == nil {
		e.doc = e.Law.Document(c.Collection, doc.Key, values)
		err = e.MayRead(c, doc)
	}
	if err == nil {
		e.seen, err = e.Show(c, doc)
	}
	if err == nil && len(c.Access.Narrowed()) > 0 {
		var hidden [][]string
		if hidden, err = e.Hidden(c, []judging.Valued{{Key: doc.Key, Values: values}}); err == nil {
			e.hidden = hidden[0]
		}
	}
	return e, err
}

// may refuses an edit that the caller may not make. Whoever may not edit the document, whatever the patch,
// is not told either why a patch could not be made.
func (e *editing) may(rev revision, wrong error) error {
	if e.Judge == nil {
		return wrong
	}
	if wrong != nil {
		return cmp.Or(e.AllowWrite(e.Law.Editing(e.in.Collection, e.doc, e.doc, nil)), wrong)
	}
	values := maps.Clone(e.doc.Values)
	for _, f := range e.in.Collection.Fields {
		delete(values, f.Name)
	}
	maps.Copy(values, rev.facts)
	changed := e.Law.Document(e.in.Collection, e.doc.Key, values)
	var redirected []*plan.Reference
	for _, ref := range e.in.References {
		if slices.Contains(rev.touched, ref.Name) {
			redirected = append(redirected, ref)
		}
	}
	refs, targets := pointingAt(e.Law, redirected, rev.facts)
	of, readable, err := e.DecideNamed(e.Law.Editing(e.in.Collection, e.doc, changed, rev.touched), targets)
	if err != nil {
		return err
	}
	if err := e.Refusal(of); err != nil {
		return err
	}
	return noTargets(refs, rev.facts, readable)
}

// mayRemove refuses a removal that the caller may not make, and answers with the document as they see it.
func (u Unit) mayRemove(c *plan.Collection, doc store.Document) (running.Document, error) {
	j := u.judge()
	if j == nil {
		return running.See(c, doc), nil
	}
	if err := j.MayRead(c, doc); err != nil {
		return running.Document{}, err
	}
	values, err := u.RuleValues(c, doc)
	if err != nil {
		return running.Document{}, err
	}
	if err := j.AllowWrite(j.Law.Removing(c.Collection, j.Law.Document(c.Collection, doc.Key, values))); err != nil {
		return running.Document{}, err
	}
	return j.Show(c, doc)
}

// blindly tells whether somebody who writes a pair is not told how it stood before: they may not read it, or
// not if it stands with some facts. It decides by the facts that it stands with, nil if it does not.
func (u Unit) blindly(j *judging.Judge, p *plan.Pair, link running.Link, stood func() (map[string]any, error)) (bool,
	error) {
	var facts map[string]any
	if rule := p.Access.Of(design.OpRead); rule != nil && rule.That != nil && rule.That.Names(design.NamePair) {
		var err error
		if facts, err = stood(); err != nil {
			return false, err
		}
	}
	from, to := ends(j, p, link)
	verdicts, err := j.Decide(j.Law.ReadingPair(p.Pair, from, to, facts))
	return err == nil && !verdicts[0].Allowed, err
}

func ends(j *judging.Judge, p *plan.Pair, link running.Link) (from, to *expr.Document) {
	return j.Law.Document(p.From.Collection, link.From, nil), j.Law.Document(p.To.Collection, link.To, nil)
}

// mayPair refuses to set a pair where the caller may not read both ends, before anything is said of its facts.
func (u Unit) mayPair(p *plan.Pair, link running.Link) error {
	j := u.judge()
	if j == nil {
		return nil
	}
	from, to := ends(j, p, link)
	return j.Allow(append(j.Law.Reading(p.From.Collection, from), j.Law.Reading(p.To.Collection, to)...))
}

// maySet refuses to set a pair that the caller may not set, and tells whether it is set blindly.
func (u Unit) maySet(p *plan.Pair, link running.Link, facts map[string]any) (blind bool, err error) {
	j := u.judge()
	if j == nil {
		return false, nil
	}
	from, to := ends(j, p, link)
	if err := j.AllowWrite(j.Law.Setting(p.Pair, from, to, facts)); err != nil {
		return false, err
	}
	return u.blindly(j, p, link, func() (map[string]any, error) { return u.standing(p, link) })
}

// standing are the facts that a pair stands with, nil if it does not.
func (u Unit) standing(p *plan.Pair, link running.Link) (map[string]any, error) {
	stands, there, err := factsql.PairBetween(u.Tx, p, link.From, link.To)
	if err != nil || !there {
		return nil, err
	}
	return running.Typed(p.Fields, stands.Fields)
}

// unsetting is what may be done about the end of a pair.
type unsetting struct {
	end   bool // it may be ended
	blind bool // whoever asks is not told whether it stood
}

// mayUnset refuses to end a pair that the caller may not end. Its ends need not be readable: who has been
// blocked may still take back what they did. But then the rule is asked as if neither they nor the pair
// were there, and decides what is answered, whether it stands or not; and it is ended only if the rule
// allows that as things are, too.
func (u Unit) mayUnset(p *plan.Pair, link running.Link) (unsetting, error) {
	j := u.judge()
	if j == nil {
		return unsetting{end: true}, nil
	}
	facts, err := u.standing(p, link)
	if err != nil {
		return unsetting{}, err
	}
	from, to := ends(j, p, link)
	there, err := j.Decide(j.Law.Reading(p.From.Collection, from), j.Law.Reading(p.To.Collection, to),
		j.Law.ReadingPair(p.Pair, from, to, facts))
	if err != nil {
		return unsetting{}, err
	}
	asIs, _, err := j.DecideNamed(j.Law.Unsetting(p.Pair, from, to, facts), nil)
	if err != nil {
		return unsetting{}, err
	}
	if there[0].Allowed && there[1].Allowed && there[2].Allowed {
		return unsetting{end: true}, j.Refusal(asIs)
	}
	var missing error
	for i, end := range []*expr.Document{to, from} {
		if v := there[1-i]; !v.Allowed {
			j.IsAbsent(end)
			missing = j.Refusal(v)
		}
	}
	from, to = ends(j, p, link)
	told, _, err := j.DecideNamed(j.Law.Unsetting(p.Pair, from, to, nil), nil)
	if err == nil && !told.Allowed {
		err = cmp.Or(missing, j.Refusal(told))
	}
	return unsetting{end: asIs.Allowed, blind: true}, err
}

// shown is a document in the answer to a write, as the caller may see it. Of one that they may not read they
// are told what they know: the facts that they have given, and the version that this is to them.
func shown(j *judging.Judge, c *plan.Collection, doc store.Document, given map[string]any,
	version int64) (running.Document, error) {
	err := j.MayRead(c, doc)
	if err == nil {
		return j.Show(c, doc)
	}
	var refusal *running.Refusal
	if !errors.As(err, &refusal) {
		return running.Document{}, err
	}
	seen := running.See(c, doc)
	seen.Version, seen.Building, seen.Kept = version, nil, json.RawMessage("{}")
	seen.Facts, err = running.Stored(given)
	return seen, err
}

// holdersTold names what holds a document, to those who may read all.
func (u Unit) holdersTold(holders []string) string {
	if u.who.Judged && u.Law.Guards() {
		return "others point at it"
	}
	return "others point at it: " + strings.Join(holders, ", ")
}
