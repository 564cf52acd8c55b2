package facts

import (
	"cmp"
	"maps"
	"slices"
	"strings"

	"yalvo/internal/access"
	"yalvo/internal/design"
	"yalvo/internal/expr"
	"yalvo/internal/plan"
	"yalvo/internal/running"
	"yalvo/internal/store"
)

// judge decides about one operation of the client's own, as things stand now: nil where
// everything is allowed, as to what follows from a client's change.
func (u Unit) judge() *running.Judge { return u.Judge(u.who, u.Tx.Known) }

// mayCreate refuses a creation that the caller may not make, and references to what is
// not there for them. It is allowed by what rules were told lately, where that is enough:
// the statement that writes looks whether it is still so. It is refused by what there is now.
func (m *creation) mayCreate(u Unit) error {
	if u.app != nil && !u.afresh {
		if j := u.app.Recall(u.Version, u.who, u.Tx.Known); j != nil {
			err := m.mayBy(j.Judge)
			if err == nil || len(j.Relied) == 0 {
				m.relied = j.Relied
				return err
			}
		}
	}
	return m.mayBy(u.judge())
}

func (m *creation) mayBy(j *running.Judge) error {
	if j == nil {
		return nil
	}
	given := slices.Sorted(maps.Keys(m.given))
	requests := [][]access.Condition{j.Law.Creating(m.in.Collection,
		j.Law.Document(m.in.Collection, m.key, m.facts), given)}
	refs, targets := pointingAt(j.Law, m.in.References, m.facts)
	verdicts, err := j.Decide(append(requests, targets...)...)
	if err != nil {
		return err
	}
	if err := j.Refusal(verdicts[0]); err != nil {
		if m.in.Parent != nil && verdicts[0].Hidden() != nil {
			return noParent(m.in, m.parent)
		}
		return err
	}
	return noTargets(refs, m.facts, verdicts[1:])
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

// editing decides about an edit of a locked document.
type editing struct {
	*running.Judge
	in     *plan.Collection
	before store.Document
	doc    *expr.Document
}

// mayEdit begins to decide about an edit: who may not read the document is told that
// there is none.
func (u Unit) mayEdit(c *plan.Collection, doc store.Document) (*editing, error) {
	j := u.judge()
	if j == nil {
		return nil, nil
	}
	values, err := u.RuleValues(c, doc)
	if err != nil {
		return nil, err
	}
	return &editing{j, c, doc, j.Law.Document(c.Collection, doc.Key, values)}, j.MayRead(c, doc)
}

// mayTry refuses a patch that could not be made, and would say why, to who may not edit
// the document whatever the patch; and one that asks for values they may not read.
func (e *editing) mayTry(patch Patch, wrong error) error {
	if e == nil {
		return wrong
	}
	operations, asks := patch.(Operations)
	if wrong == nil && (!asks || len(e.in.Access.Narrowed()) == 0) {
		return nil
	}
	if err := e.Allow(e.Law.Editing(e.in.Collection, e.doc, e.doc, nil)); err != nil || !asks {
		return cmp.Or(err, wrong)
	}
	hidden, err := e.Hidden(e.in, e.doc.Key, e.doc.Values)
	if err != nil {
		return err
	}
	for _, name := range hidden {
		if at := operations.asksFor(name); at != "" {
			return running.Refuse(running.CodeNotAllowed, "the patch asks for %s, which may not be read", at)
		}
	}
	return wrong
}

// asksFor is the path of an operation that depends on a value of a document, empty if none
// does.
func (p Operations) asksFor(name string) string {
	for _, op := range p {
		var path string // given, as was checked
		switch op.Kind() {
		case "test":
			path, _ = op.Path()
		case "copy", "move":
			path, _ = op.From()
		default:
			continue
		}
		for _, place := range []string{"/facts/" + name, "/kept/" + name} {
			if within(path, place) || path == "" || within(place, path) {
				return path
			}
		}
	}
	return ""
}

// may refuses an edit that the caller may not make.
func (e *editing) may(rev revision) error {
	if e == nil {
		return nil
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
	requests := [][]access.Condition{e.Law.Editing(e.in.Collection, e.doc, changed, rev.touched)}
	verdicts, err := e.Decide(append(requests, targets...)...)
	if err != nil {
		return err
	}
	if err := e.Refusal(verdicts[0]); err != nil {
		return err
	}
	return noTargets(refs, rev.facts, verdicts[1:])
}

// mayRemove refuses a removal that the caller may not make.
func (u Unit) mayRemove(c *plan.Collection, doc store.Document) error {
	j := u.judge()
	if j == nil {
		return nil
	}
	if err := j.MayRead(c, doc); err != nil {
		return err
	}
	values, err := u.RuleValues(c, doc)
	if err != nil {
		return err
	}
	return j.Allow(j.Law.Removing(c.Collection, j.Law.Document(c.Collection, doc.Key, values)))
}

// maySet refuses to set a pair that the caller may not set.
func (u Unit) maySet(p *plan.Pair, link running.Link, facts map[string]any) error {
	j := u.judge()
	if j == nil {
		return nil
	}
	return j.Allow(j.Law.Setting(p.Pair, j.Law.Document(p.From.Collection, link.From, nil),
		j.Law.Document(p.To.Collection, link.To, nil), facts))
}

// mayUnset refuses to end a pair that the caller may not end. Where there is none, it
// tells no more of the ends than the caller may read.
func (u Unit) mayUnset(p *plan.Pair, link running.Link) error {
	j := u.judge()
	if j == nil {
		return nil
	}
	stands, there, err := u.Tx.PairBetween(p, link.From, link.To)
	if err != nil {
		return err
	}
	from, to := j.Law.Document(p.From.Collection, link.From, nil), j.Law.Document(p.To.Collection, link.To, nil)
	if !there {
		return j.Allow(append(append(j.Law.Reading(p.From.Collection, from), j.Law.Reading(p.To.Collection, to)...),
			j.Law.Unsetting(p.Pair, from, to, nil)...))
	}
	facts, err := running.Typed(p.Fields, stands.Fields)
	if err != nil {
		return err
	}
	return j.Allow(j.Law.Unsetting(p.Pair, from, to, facts))
}

// shown is a document in the answer to a write, as the caller may see it.
func (u Unit) shown(c *plan.Collection, doc store.Document) (running.Document, error) {
	return u.judge().Show(c, doc)
}

// holdersTold names what holds a document, to those who may read all.
func (u Unit) holdersTold(holders []string) string {
	if u.who.Judged && u.Law.Guards() {
		return "others point at it"
	}
	return "others point at it: " + strings.Join(holders, ", ")
}
