package engine

import (
	"context"
	"encoding/json"
	"errors"
	"fmt"
	"reflect"
	"strings"

	"yalvo/internal/design"
	"yalvo/internal/plan"
	"yalvo/internal/store"
)

// Target names a document, and the version the client has seen if it cares.
type Target struct {
	Collection string
	Key        string
	Version    int64 // 0: whatever it is now
}

// Patch edits a document's fields. A patch that changes nothing writes nothing.
func (e *Engine) Patch(ctx context.Context, caller Caller, target Target, patch Patch) (Result, error) {
	return e.write(ctx, caller, func(r *running, tx *store.Tx) (Result, error) {
		c, doc, err := r.lockForEdit(tx, target)
		if err != nil {
			return Result{}, err
		}
		ed, err := c.edited(doc, patch)
		if err != nil {
			return Result{}, placed(err, patch)
		}
		if len(ed.touched) == 0 {
			return unchanged(tx, Result{Document: view(c.Collection, doc), Read: 1})
		}
		return r.carryOutEdit(tx, c.Collection, doc, ed, cause{actor: caller.Me})
	})
}

// unchanged is the result of a write that found everything as it was to be.
// The change that made it so may be still settling, so a reader waits for all.
func unchanged(tx *store.Tx, result Result) (Result, error) {
	last, err := tx.LastPosition()
	result.Position = upTo(last)
	return result, err
}

// editable is a collection seen by an edit.
type editable struct{ *plan.Collection }

func (r *running) lockForEdit(tx *store.Tx, target Target) (editable, store.Document, error) {
	c, err := r.collection(target.Collection)
	if err != nil {
		return editable{}, store.Document{}, err
	}
	doc, found, err := tx.LockForEdit(store.Address{Collection: c.Number, Key: target.Key})
	if err == nil {
		err = checkTarget(c, target, doc, found)
	}
	return editable{c}, doc, err
}

func checkTarget(c *plan.Collection, target Target, doc store.Document, found bool) error {
	if !found {
		return notFound(c, target.Key)
	}
	if target.Version != 0 && target.Version != doc.Version {
		return refuse(CodeStale, "%s is at version %d, and the request was made for version %d: read it again", c.Path(doc.Key), doc.Version, target.Version)
	}
	return nil
}

func notFound(c *plan.Collection, key string) *Refusal {
	return refuse(CodeNotFound, "there is no document %s", c.Path(key))
}

// edition is what an edit makes of a document.
type edition struct {
	fields  map[string]any
	touched []string // fields whose value differs, in the design's order
}

func (c editable) edited(doc store.Document, patch Patch) (edition, error) {
	merged, err := patch.fields(view(c.Collection, doc))
	if err != nil {
		return edition{}, err
	}
	before, err := decodeFields(doc.Fields)
	if err != nil {
		return edition{}, err
	}
	after, err := decodeFields(merged)
	if err != nil || after == nil {
		return edition{}, invalid([]design.Mistake{{Pointer: "/fields", Code: design.MistakeType, Detail: "fields must be an object"}})
	}
	if mistakes := keptMistakes(c.Collection, after); len(mistakes) > 0 {
		return edition{}, invalid(under("/fields", mistakes))
	}
	accepted, mistakes := design.AcceptAll(c.Collection.Collection.Fields, after)
	was, _ := design.AcceptAll(c.Collection.Collection.Fields, before) // an older value that no longer fits counts as different
	ed := edition{fields: accepted}
	for _, f := range c.Collection.Collection.Fields {
		if reflect.DeepEqual(was[f.Name], accepted[f.Name]) {
			continue
		}
		ed.touched = append(ed.touched, f.Name)
		if f.Fixed {
			mistakes = append(mistakes, design.Mistake{Pointer: "/" + f.Name, Code: design.MistakeFixed,
				Detail: fmt.Sprintf("%q never changes after creation", f.Name)})
		}
	}
	if len(mistakes) > 0 {
		return edition{}, invalid(under("/fields", mistakes))
	}
	return ed, nil
}

// placed says where in a patch the mistakes of a refusal were written. Those that
// [ReadOperations] or the patch itself found are there already.
func placed(err error, patch Patch) error {
	var r *Refusal
	if !errors.As(err, &r) || r.Code != CodeInvalid {
		return err
	}
	for i, m := range r.Mistakes {
		if strings.HasPrefix(m.Pointer, "/fields") {
			r.Mistakes[i].Pointer = patch.place(m.Pointer)
		}
	}
	return r
}

// carryOutEdit writes an edit of a locked document.
func (r *running) carryOutEdit(tx *store.Tx, c *plan.Collection, doc store.Document, ed edition, why cause) (Result, error) {
	moved, err := r.moved(tx, c, doc, ed)
	if err != nil {
		return Result{}, err
	}
	was := doc.Fields
	if doc.Fields, err = json.Marshal(ed.fields); err != nil {
		return Result{}, err
	}
	if err := tx.Update(&doc, moved.cards); err != nil {
		return Result{}, err
	}
	if err := r.reattach(tx, c, doc, ed, moved); err != nil {
		return Result{}, err
	}
	position, err := r.commit(tx, store.Record{Kind: plan.Changed, Subject: c.Path(doc.Key), Detail: strings.Join(ed.touched, ", ")},
		plan.Change{Kind: plan.Changed, Collection: c, Doc: doc.N, Parent: doc.Parent,
			Before: moved.before, After: moved.after, Touched: ed.touched, RankBefore: moved.rankBefore, RankAfter: moved.rankAfter}, why)
	if err != nil {
		return Result{}, err
	}
	err = r.fireDocument(tx, design.OnChanged, c, doc, was, why.from(position))
	return Result{Document: view(c, doc), Position: at(position), Fresh: true, Read: 1 + len(moved.pointers), Wrote: 1}, err
}

// move is where an edit's references pointed and now point.
type move struct {
	before, after         plan.Targets
	rankBefore, rankAfter map[*plan.Timeline]int64
	pointers              map[plan.Number]int64      // the references that changed; 0: cleared
	cards                 map[string]json.RawMessage // the copies that came with them
}

func (r *running) moved(tx *store.Tx, c *plan.Collection, doc store.Document, ed edition) (move, error) {
	m := move{before: plan.Targets{}, after: plan.Targets{}, pointers: map[plan.Number]int64{}, cards: map[string]json.RawMessage{}}
	if len(c.References) == 0 {
		return m, nil
	}
	was, err := decodeFields(doc.Fields)
	if err != nil {
		return m, err
	}
	m.rankBefore, m.rankAfter = ranks(c, doc.Created, was), ranks(c, doc.Created, ed.fields)
	stood, err := tx.Pointers([]int64{doc.N})
	if err != nil {
		return m, err
	}
	for _, p := range stood {
		if ref := r.plan.ReferenceNumbered(p.Reference); ref != nil {
			m.before[ref], m.after[ref] = p.Target, p.Target
		}
	}
	touched := map[string]any{}
	for _, ref := range c.References {
		for _, name := range ed.touched {
			if name == ref.Name {
				touched[name] = ed.fields[name]
			}
		}
	}
	if len(touched) == 0 {
		return m, nil
	}
	held, err := hold(tx, c, touched, nil)
	if err != nil {
		return m, err
	}
	for _, target := range held.at {
		if target.N == doc.N { // it points at itself: as it is to be
			if target.Fields, err = json.Marshal(ed.fields); err != nil {
				return m, err
			}
		}
	}
	given, err := tx.Given(doc.N) // once it is locked: an edit that held it until now may just have frozen one
	if err != nil {
		return m, err
	}
	for _, ref := range c.References {
		if _, is := touched[ref.Name]; !is {
			continue
		}
		delete(m.after, ref)
		m.pointers[ref.Number] = 0
		if target := held.at[ref]; target != nil {
			m.after[ref], m.pointers[ref.Number] = target.N, target.N
		}
		for _, copied := range ref.Copies {
			if copied.Frozen && given[copied.Number] {
				continue
			}
			if m.cards[copied.Name], err = card(copied, held.at[ref]); err != nil {
				return m, err
			}
			if target := held.at[ref]; copied.Frozen && target != nil {
				if err := tx.NoteOrigin(copied.Number, target.N, doc.N, m.cards[copied.Name]); err != nil {
					return m, err
				}
			}
		}
	}
	return m, nil
}

func (r *running) reattach(tx *store.Tx, c *plan.Collection, doc store.Document, ed edition, m move) error {
	if err := tx.SetPointers(doc.N, m.pointers); err != nil {
		return err
	}
	for _, u := range c.Uniques {
		for _, name := range ed.touched {
			if name != u.Name {
				continue
			}
			if err := tx.ReleaseUnique(u.Number, doc.N); err != nil {
				return err
			}
			if err := claim(tx, u, ed.fields[u.Name], doc.N); err != nil {
				return err
			}
		}
	}
	for _, t := range c.EntersInto {
		before, after := m.before[t.By], m.after[t.By]
		if before == after && m.rankBefore[t] == m.rankAfter[t] {
			continue
		}
		if before != 0 {
			if err := tx.Unpost(t.Number, before, m.rankBefore[t], doc.N); err != nil {
				return err
			}
		}
		if after != 0 {
			if err := tx.Post(t.Number, after, m.rankAfter[t], doc.N, false); err != nil {
				return err
			}
		}
	}
	return nil
}
