package facts

import (
	"context"
	"encoding/json"
	"errors"
	"fmt"
	"maps"
	"reflect"
	"slices"
	"strings"

	"yalvo/internal/design"
	"yalvo/internal/design/plan"
	"yalvo/internal/engine/metering"
	"yalvo/internal/engine/running"
	"yalvo/internal/engine/store"
	"yalvo/internal/engine/store/factsql"
	"yalvo/internal/engine/store/keptsql"
	"yalvo/internal/engine/store/timelinesql"
	"yalvo/internal/engine/store/versionsql"
)

// Target names a document, and the version the client has seen if it cares.
type Target struct {
	Collection string
	Key        string
	Version    int64 // 0: whatever it is now
}

// Patch edits a document's facts. A patch that changes nothing writes nothing.
func (w *Writer) Patch(ctx context.Context, caller running.Caller, target Target, patch Patch) (Result, error) {
	return w.Write(ctx, caller, func(u Unit) (Result, error) {
		result, err := u.Edit(target, patch, Cause{Actor: caller.Me})
		return result, placed(err, patch)
	})
}

// Edit edits a document within a unit.
func (u Unit) Edit(target Target, patch Patch, why Cause) (Result, error) {
	c, err := u.Collection(target.Collection)
	if err != nil {
		return Result{}, err
	}
	if _, err := factsql.LockTargets(u.Tx, u.first, factsql.Unchanged); err != nil {
		return Result{}, err
	}
	doc, found, err := factsql.LockForEdit(u.Tx, c, target.Key)
	if err != nil {
		return Result{}, err
	}
	e, rev, err := u.revised(c, target, doc, found, patch)
	if err == nil && len(rev.touched) > 0 {
		err = u.tryConditions(c, doc.Key, rev.facts, why.Actor)
	}
	if err == nil {
		err = u.mayRefer(c, rev.facts, rev.before)
	}
	if err != nil {
		return Result{}, err
	}
	if len(rev.touched) == 0 {
		var history []factsql.Record
		if len(e.hidden) == 0 { // the last edit may have been of what they may not read
			if history, err = factsql.About(u.Tx, c.Path(doc.Key), 1); err != nil {
				return Result{}, err
			}
		}
		return u.unchanged(history, Result{Document: e.seen, Read: 1})
	}
	result, doc, err := u.carryOutEdit(c, doc, rev, why)
	if err == nil {
		result.Document, err = shown(e.Judge, c, doc, patch.given(), e.seen.Version+1)
	}
	return result, err
}

// revised is what an edit makes of a document as it was read, if the caller may make it.
func (u Unit) revised(c *plan.Collection, target Target, doc store.Document, found bool, patch Patch) (e *editing,
	rev revision, err error) {
	e = &editing{}
	if found {
		e, err = u.beginEdit(c, doc)
	}
	if err == nil {
		err = checkTarget(c, target, e.seen, found)
	}
	if err != nil {
		return e, rev, err
	}
	rev, err = e.revise(patch)
	return e, rev, e.may(rev, err)
}

func checkTarget(c *plan.Collection, target Target, doc running.Document, found bool) error {
	if !found {
		return running.NotFound(c, target.Key)
	}
	if target.Version != 0 && target.Version != doc.Version {
		return running.Refuse(running.CodeStale,
			"%s is at version %d, and the request was made for version %d: read it again",
			doc.Path, doc.Version, target.Version)
	}
	return nil
}

// revision is what an edit makes of a document.
type revision struct {
	facts   map[string]any
	before  map[string]any
	touched []string         // fields whose value differs, or is given blindly, in the design's order
	unfit   []design.Mistake // what did not fit before and was left as it is
}

// revise applies a patch to the document as the caller sees it: it can test, copy, move and take away what
// they may read. What is hidden from them stays as it is, unless they give it another value. Then it counts
// as changed, whatever it was: that it was the same would tell it.
func (e *editing) revise(patch Patch) (revision, error) {
	c, doc := e.in, e.before
	patched, err := patch.apply(e.seen)
	if err != nil {
		return revision{}, err
	}
	before, err := running.Typed(c.Collection.Fields, doc.Fields)
	if err != nil {
		return revision{}, err
	}
	after, err := running.Decode(patched)
	if err != nil || after == nil {
		return revision{}, running.Invalid([]design.Mistake{{Pointer: "/facts", Code: design.MistakeType,
			Detail: "facts must be an object"}})
	}
	if mistakes := keptMistakes(c, after); len(mistakes) > 0 {
		return revision{}, running.Invalid(running.Under("/facts", mistakes))
	}
	stored, err := running.Decode(doc.Fields)
	if err != nil {
		return revision{}, err
	}
	blindly := e.restore(after, stored, patch)
	accepted, mistakes := design.AcceptAll(c.Collection.Fields, after)
	rev := revision{facts: accepted, before: before}
	if len(mistakes) > 0 {
		if mistakes, err = rev.leave(stored, after, blindly, mistakes); err != nil {
			return revision{}, err
		}
	}
	for _, f := range c.Collection.Fields {
		same := reflect.DeepEqual(before[f.Name], accepted[f.Name]) && !slices.Contains(blindly, f.Name)
		if same || design.Mentioned(rev.unfit, f.Name) {
			continue
		}
		rev.touched = append(rev.touched, f.Name)
		if f.Fixed {
			mistakes = append(mistakes, design.Mistake{Pointer: "/" + f.Name, Code: design.MistakeFixed,
				Detail: fmt.Sprintf("%q never changes after creation", f.Name)})
		}
	}
	if len(mistakes) == 0 {
		mistakes = rev.check(c.Collection, before)
	}
	if len(mistakes) > 0 {
		return revision{}, running.Invalid(running.Under("/facts", mistakes))
	}
	return rev, nil
}

// restore puts what is hidden from the caller back into patched facts, and answers with what of it the patch
// has given another value.
func (e *editing) restore(after, stored map[string]any, patch Patch) (given []string) {
	for _, name := range e.hidden {
		if e.in.Collection.Field(name) == nil {
			continue
		}
		_, is := after[name]
		_, said := patch.given()[name]
		if is || said {
			given = append(given, name)
			continue
		}
		if v, was := stored[name]; was {
			after[name] = v
		}
	}
	return given
}

// check returns the mistakes of checks that the edit breaks. Those that are about none
// of the fields that it changes did not hold before.
func (r *revision) check(c *design.Collection, before map[string]any) []design.Mistake {
	if len(r.touched) == 0 {
		return nil
	}
	fit := maps.Clone(r.facts)
	maps.DeleteFunc(fit, func(name string, _ any) bool { return design.Mentioned(r.unfit, name) })
	var own []design.Mistake
	for _, b := range c.Broken(fit, before) {
		if b.OfEdits() || b.About(r.touched) {
			own = append(own, b.Mistake)
			continue
		}
		r.unfit = append(r.unfit, b.Mistake)
	}
	return own
}

// leave lets what does not fit the design in force be as it was before the edit, and
// returns the mistakes that the edit itself makes: those of what is given blindly too.
func (r *revision) leave(stored, after map[string]any, blindly []string,
	mistakes []design.Mistake) ([]design.Mistake, error) {
	var own []design.Mistake
	for _, m := range mistakes {
		name, _, _ := strings.Cut(strings.TrimPrefix(m.Pointer, "/"), "/")
		if !reflect.DeepEqual(stored[name], after[name]) || slices.Contains(blindly, name) {
			own = append(own, m)
			continue
		}
		if r.unfit = append(r.unfit, m); after[name] != nil {
			r.facts[name] = after[name]
		}
	}
	return own, nil
}

// placed says where in a patch the mistakes of a refusal were written. Those that
// [ReadOperations] or the patch itself found are there already.
func placed(err error, patch Patch) error {
	var r *running.Refusal
	if !errors.As(err, &r) || r.Code != running.CodeInvalid {
		return err
	}
	for i, m := range r.Mistakes {
		if strings.HasPrefix(m.Pointer, "/facts") {
			r.Mistakes[i].Pointer = patch.place(m.Pointer)
		}
	}
	return r
}

// carryOutEdit writes an edit of a locked document, and answers with that as it is then.
func (u Unit) carryOutEdit(c *plan.Collection, doc store.Document, rev revision, why Cause) (Result, store.Document,
	error) {
	result, err := u.writeEdit(c, &doc, rev, why)
	return result, doc, err
}

func (u Unit) writeEdit(c *plan.Collection, doc *store.Document, rev revision, why Cause) (Result, error) {
	m, err := u.redirect(c, *doc, rev)
	if err != nil {
		return Result{}, err
	}
	was, rankBefore := doc.Fields, doc.Ranks
	if doc.Fields, err = Encoded(rev.facts); err != nil {
		return Result{}, err
	}
	if err := factsql.Update(u.Tx, c, doc, rev.touched, m.cards); err != nil {
		return Result{}, err
	}
	if err := u.noteUnfit(c, *doc, rev.unfit); err != nil {
		return Result{}, err
	}
	if err := u.refersTo(c, doc.Key, rev.facts, rev.before); err != nil {
		return Result{}, err
	}
	change := plan.Change{Kind: plan.Changed, Collection: c, Doc: doc.N, Parent: doc.Parent, Before: m.before,
		After: m.after, Touched: rev.touched, RankBefore: rankBefore, RankAfter: doc.Ranks}
	if err := u.reattach(*doc, rev, m, change); err != nil {
		return Result{}, err
	}
	record := factsql.Record{Kind: plan.Changed, Subject: c.Path(doc.Key), Detail: strings.Join(rev.touched, ", ")}
	position, err := u.commit(record, change, why)
	if err != nil {
		return Result{}, err
	}
	u.wrote(editOf(c, rev.touched), why, metering.Counts{Times: 1, Documents: 1})
	result := Result{Position: running.At(position), Fresh: true, Read: 1 + len(m.pointers), Wrote: 1}
	return result, u.fireDocument(design.OnChanged, c, *doc, was, why.from(position))
}

// noteUnfit goes on listing what did not fit before an edit and does not after it.
func (u Unit) noteUnfit(c *plan.Collection, doc store.Document, unfit []design.Mistake) error {
	if len(unfit) == 0 {
		return nil
	}
	all := make([]versionsql.Misfit, len(unfit))
	for i, m := range unfit {
		all[i] = versionsql.MisfitOf(c.Number, doc.N, 0, doc.Version, m)
	}
	return versionsql.NoteMisfits(u.Tx, all)
}

// redirection is where an edit's references pointed and now point.
type redirection struct {
	before, after plan.Targets
	pointers      map[plan.Number]int64      // the references that changed; 0: cleared
	cards         map[string]json.RawMessage // the copies that came with them
}

// redirect locks the targets of the references that an edit changes, and makes
// the copies that come with them.
func (u Unit) redirect(c *plan.Collection, doc store.Document, rev revision) (redirection, error) {
	m := redirection{before: plan.Targets{}, after: plan.Targets{}, pointers: map[plan.Number]int64{},
		cards: map[string]json.RawMessage{}}
	if len(c.References) == 0 {
		return m, nil
	}
	stood, err := factsql.Pointers(u.Tx, []int64{doc.N})
	if err != nil {
		return m, err
	}
	for _, p := range stood {
		if ref := u.Plan.ReferenceNumbered(p.Reference); ref != nil {
			m.before[ref], m.after[ref] = p.Target, p.Target
		}
	}
	changed := slices.DeleteFunc(slices.Clone(c.References),
		func(r *plan.Reference) bool { return !slices.Contains(rev.touched, r.Name) })
	if len(changed) == 0 {
		return m, nil
	}
	held, err := u.hold(doc, changed, rev.facts)
	if err != nil {
		return m, err
	}
	given, err := keptsql.Given(u.Tx, doc.N) // once it is locked: an edit that held it may just have frozen one
	if err != nil {
		return m, err
	}
	for _, ref := range changed {
		if err := u.point(&m, doc, rev, ref, held[ref], given); err != nil {
			return m, err
		}
	}
	return m, nil
}

// point notes that a reference points at a target now, nil for nowhere.
func (u Unit) point(m *redirection, doc store.Document, rev revision, ref *plan.Reference, target *store.Document,
	given map[plan.Number]bool) error {
	delete(m.after, ref)
	m.pointers[ref.Number] = 0
	if target != nil {
		m.after[ref], m.pointers[ref.Number] = target.N, target.N
		if target.N == doc.N { // it points at itself: as it is to be
			raw, err := json.Marshal(rev.facts)
			if err != nil {
				return err
			}
			target.Fields = raw
		}
	}
	for _, copied := range ref.Copies {
		if copied.Frozen && given[copied.Number] {
			continue
		}
		value, err := keptsql.Card(u.Tx, copied, target)
		if err != nil {
			return err
		}
		m.cards[copied.Name] = value
		if copied.Frozen && target != nil {
			if err := keptsql.NoteOrigin(u.Tx, copied.Number, target.N, doc.N, value); err != nil {
				return err
			}
		}
	}
	return nil
}

// hold locks the targets of some references of a document, so that they stay
// until the commit and what is copied of them stays right.
func (u Unit) hold(doc store.Document, refs []*plan.Reference,
	facts map[string]any) (map[*plan.Reference]*store.Document, error) {
	strength := factsql.Existing
	var wanted []store.Address
	for _, ref := range refs {
		if key, points := facts[ref.Name].(string); points {
			wanted = append(wanted, running.Address(ref.To, key))
			if len(ref.Copies) > 0 {
				strength = factsql.Unchanged
			}
		}
	}
	if err := u.inOrder(doc, wanted); err != nil {
		return nil, err
	}
	found, err := factsql.LockTargets(u.Tx, wanted, strength)
	if err != nil {
		return nil, err
	}
	held := map[*plan.Reference]*store.Document{}
	var mistakes []design.Mistake
	for _, ref := range refs {
		key, points := facts[ref.Name].(string)
		if !points {
			continue
		}
		target, there := found[running.Address(ref.To, key)]
		if !there {
			mistakes = append(mistakes, noTarget(ref, key))
			continue
		}
		held[ref] = &target
	}
	if len(mistakes) > 0 {
		return nil, running.Invalid(mistakes)
	}
	return held, nil
}

// inOrder gives the unit up if documents with lower numbers than a locked one
// are to be locked, unless they have been or it cannot be run again.
func (u Unit) inOrder(doc store.Document, wanted []store.Address) error {
	wanted = slices.DeleteFunc(slices.Clone(wanted), func(a store.Address) bool { return slices.Contains(u.first, a) })
	if !u.again || len(wanted) == 0 {
		return nil
	}
	// Not the document itself: two who edit it, and hold it so before, would wait for each other.
	below, err := factsql.Below(u.Tx, doc.N, wanted)
	if err == nil && len(below) > 0 {
		err = outOfOrder{append(below, u.first...)}
	}
	return err
}

// reattach brings in line what is noted beside an edited document: where it
// points, its unique values, its posts.
func (u Unit) reattach(doc store.Document, rev revision, m redirection, change plan.Change) error {
	if err := factsql.SetPointers(u.Tx, doc.N, m.pointers); err != nil {
		return err
	}
	for _, unique := range change.Collection.Uniques {
		if !slices.Contains(rev.touched, unique.Name) {
			continue
		}
		free, err := factsql.SetUnique(u.Tx, unique, doc.N)
		if err != nil {
			return err
		}
		if !free {
			return running.Invalid([]design.Mistake{takenValue(unique, rev.facts[unique.Name])})
		}
	}
	for i, t := range change.Collection.EntersInto {
		if err := u.repost(t, doc.N, m, change.RankBefore[i], change.RankAfter[i]); err != nil {
			return err
		}
	}
	return nil
}

// repost notes whose post a document is now, and at which place.
func (u Unit) repost(t *plan.Timeline, doc int64, m redirection, rankBefore, rankAfter int64) error {
	before, after := plan.AuthorAt(rankBefore, m.before[t.By]), plan.AuthorAt(rankAfter, m.after[t.By])
	if before == after && rankBefore == rankAfter {
		return nil
	}
	if before != 0 {
		post := timelinesql.Posted{Author: before, Rank: rankBefore, Doc: doc}
		if err := timelinesql.Unpost(u.Tx, t.Number, post); err != nil {
			return err
		}
	}
	if after == 0 {
		return nil
	}
	return timelinesql.Post(u.Tx, t.Number, after, rankAfter, doc)
}

// Clear empties one reference of a locked document, as an edit. It may leave a document
// that does not fit.
func (u Unit) Clear(ref *plan.Reference, doc store.Document, why Cause) error {
	facts, err := running.Decode(doc.Fields)
	if err != nil {
		return err
	}
	delete(facts, ref.Name)
	_, unfit := ref.In.Collection.AcceptWhole(facts) // nobody is there to be told: it is listed
	_, _, err = u.carryOutEdit(ref.In, doc, revision{facts: facts, touched: []string{ref.Name}, unfit: unfit}, why)
	return err
}
