package engine

import (
	"context"
	"crypto/sha256"
	"encoding/json"
	"errors"
	"fmt"
	"slices"
	"strings"
	"time"

	"github.com/google/uuid"

	"yalvo/internal/design"
	"yalvo/internal/plan"
	"yalvo/internal/store"
)

// Draft is a document to be created.
type Draft struct {
	Collection string
	Parent     string // the parent's key, empty for a collection of its own
	ID         string // chosen by the client, empty for one of the server's
	Fields     map[string]any
}

// errTaken ends the transaction of a creation whose id is taken.
var errTaken = errors.New("the id is taken")

// Create adds a document. With a client's id it can be repeated: the same
// draft again changes nothing and gets the document as it is now.
func (e *Engine) Create(ctx context.Context, caller Caller, draft Draft) (Result, error) {
	var made *creation
	result, err := e.write(ctx, caller, func(r *running, tx *store.Tx) (Result, error) {
		var err error
		if made, err = r.prepare(draft, caller); err != nil {
			return Result{}, err
		}
		return made.carryOut(tx)
	})
	if errors.Is(err, errTaken) {
		return e.repeatedCreation(ctx, made)
	}
	return result, err
}

// historyLimit is how many changes of one document are looked through.
const historyLimit = 1000

// repeatedCreation tells a repetition from a second document of the same id.
func (e *Engine) repeatedCreation(ctx context.Context, made *creation) (Result, error) {
	there, found, err := e.store.Document(ctx, store.Address{Collection: made.in.Number, Key: made.key})
	if err != nil {
		return Result{}, err
	}
	if !found || string(there.MadeFrom) != string(made.digest) {
		return Result{}, refuse(CodeConflict, "%s exists already and was created differently: edit it, or choose another id", made.in.Path(made.key))
	}
	history, err := e.store.About(ctx, made.in.Path(made.key), historyLimit)
	if err != nil {
		return Result{}, err
	}
	result := Result{Document: view(made.in, there), Read: 1}
	if born := slices.IndexFunc(history, func(r store.Record) bool { return r.Kind == plan.Created }); born >= 0 {
		result.Position = at(history[born].Seq)
		return result, nil
	}
	last, err := e.store.LastPosition(ctx)
	result.Position = upTo(last)
	return result, err
}

// creation is a draft that fits the design.
type creation struct {
	running *running
	in      *plan.Collection
	parent  string
	key     string
	fields  map[string]any
	digest  []byte
	why     cause
}

func (r *running) prepare(draft Draft, caller Caller) (*creation, error) {
	c, err := r.collection(draft.Collection)
	if err != nil {
		return nil, err
	}
	m := &creation{running: r, in: c, parent: draft.Parent, why: cause{actor: caller.Me}}
	if draft.ID == "" {
		id, err := uuid.NewV7()
		if err != nil {
			return nil, err
		}
		draft.ID = id.String()
	}
	if wrong := design.CheckID(draft.ID); wrong != "" {
		return nil, invalid([]design.Mistake{{Pointer: "/id", Code: design.MistakeType, Detail: wrong}})
	}
	m.key = draft.ID
	if c.Parent != nil {
		m.key = draft.Parent + "/" + draft.ID
	}
	if m.digest, err = digest(draft.Fields); err != nil {
		return nil, err
	}
	filled, mistakes := fillDefaults(c.Collection.Fields, draft.Fields, caller)
	mistakes = append(mistakes, keptMistakes(c, filled)...)
	if len(mistakes) == 0 {
		m.fields, mistakes = design.AcceptAll(c.Collection.Fields, filled)
	}
	if len(mistakes) > 0 {
		return nil, invalid(under("/fields", mistakes))
	}
	return m, nil
}

// digest is the same for the same fields, whatever their order.
func digest(fields map[string]any) ([]byte, error) {
	text, err := json.Marshal(fields) // keys are sorted
	if err != nil {
		return nil, err
	}
	sum := sha256.Sum256(text)
	return sum[:], nil
}

func fillDefaults(fields []*design.Field, given map[string]any, caller Caller) (map[string]any, []design.Mistake) {
	filled := make(map[string]any, len(given))
	for name, v := range given {
		filled[name] = v
	}
	var mistakes []design.Mistake
	for _, f := range fields {
		if filled[f.Name] != nil || f.Default == nil {
			continue
		}
		switch {
		case f.Default.Now:
			filled[f.Name] = design.FormatTime(time.Now())
		case !f.Default.Me:
			filled[f.Name] = f.Default.Literal
		case caller.Me != "":
			filled[f.Name] = caller.Me
		case f.Required:
			mistakes = append(mistakes, design.Mistake{Pointer: "/" + f.Name, Code: design.MistakeNobody,
				Detail: fmt.Sprintf("%q defaults to the caller's account, and the request does not say whose it is", f.Name)})
		}
	}
	return filled, mistakes
}

// keptMistakes tells a client that writes a kept value what it is.
func keptMistakes(c *plan.Collection, fields map[string]any) []design.Mistake {
	var mistakes []design.Mistake
	for _, k := range c.Kept {
		if _, written := fields[k.Name]; written {
			mistakes = append(mistakes, design.Mistake{Pointer: "/" + k.Name, Code: design.MistakeKept,
				Detail: fmt.Sprintf("%q is kept by Yalvo and cannot be written: change the facts it is derived from", k.Name)})
		}
	}
	return mistakes
}

// carryOut writes the document with all that belongs to it: what it points at
// is held until the commit, so that copies are right and targets exist.
func (m *creation) carryOut(tx *store.Tx) (Result, error) {
	held, err := m.hold(tx)
	if err != nil {
		return Result{}, err
	}
	doc := store.Document{Collection: m.in.Number, Key: m.key, MadeFrom: m.digest}
	if m.in.Parent != nil {
		doc.Parent = held.parent.N
	}
	if doc.Fields, err = json.Marshal(m.fields); err != nil {
		return Result{}, err
	}
	if doc.Kept, err = m.firstKept(held); err != nil {
		return Result{}, err
	}
	if fresh, err := tx.Insert(&doc); err != nil {
		return Result{}, err
	} else if !fresh {
		return Result{}, errTaken
	}
	if err := m.attach(tx, doc, held); err != nil {
		return Result{}, err
	}
	change := plan.Change{Kind: plan.Created, Collection: m.in, Doc: doc.N, Parent: doc.Parent, After: held.targets(), RankAfter: ranks(m.in, doc.Created, m.fields)}
	// The journal comes after the insert: of two changes of one document the
	// later one has the higher position.
	position, err := m.running.commit(tx, store.Record{Kind: plan.Created, Subject: m.in.Path(m.key)}, change, m.why)
	if err != nil {
		return Result{}, err
	}
	err = m.running.fireDocument(tx, design.OnCreated, m.in, doc, nil, m.why.from(position))
	return Result{Document: view(m.in, doc), Position: at(position), Fresh: true, Read: held.many(), Wrote: 1}, err
}

func (m *creation) hold(tx *store.Tx) (holding, error) {
	if m.in.Parent == nil {
		return hold(tx, m.in, m.fields, nil)
	}
	if _, wrong := m.in.Parent.ParseKey(m.parent); wrong != "" {
		return holding{}, refuse(CodeNotFound, "there is no parent %s", m.in.Parent.Path(m.parent))
	}
	return hold(tx, m.in, m.fields, &store.Address{Collection: m.in.Parent.Number, Key: m.parent})
}

// firstKept: copies as their targets now are, summaries of nothing.
func (m *creation) firstKept(held holding) (json.RawMessage, error) {
	kept := map[string]json.RawMessage{}
	for _, count := range m.in.Counts {
		kept[count.Name] = json.RawMessage("0")
	}
	for _, s := range m.in.Summaries {
		kept[s.Name] = emptyOf(s)
	}
	for _, c := range m.in.Copies {
		var err error
		if kept[c.Name], err = card(c, held.at[c.Via]); err != nil {
			return nil, err
		}
	}
	return json.Marshal(kept)
}

func (m *creation) attach(tx *store.Tx, doc store.Document, held holding) error {
	targets := map[plan.Number]int64{}
	for ref, target := range held.at {
		targets[ref.Number] = target.N
	}
	if err := tx.SetPointers(doc.N, targets); err != nil {
		return err
	}
	for _, u := range m.in.Uniques {
		if err := claim(tx, u, m.fields[u.Name], doc.N); err != nil {
			return err
		}
	}
	for _, c := range m.in.Copies {
		if target := held.at[c.Via]; c.Frozen && target != nil {
			given, err := card(c, target)
			if err != nil {
				return err
			}
			if err := tx.NoteOrigin(c.Number, target.N, doc.N, given); err != nil {
				return err
			}
		}
	}
	at := ranks(m.in, doc.Created, m.fields)
	for _, t := range m.in.EntersInto {
		if author := held.at[t.By]; author != nil {
			if err := tx.Post(t.Number, author.N, at[t], doc.N, t.Own && t.Deliver != design.Pull); err != nil {
				return err
			}
		}
	}
	return nil
}

func claim(tx *store.Tx, u *plan.Unique, value any, doc int64) error {
	if value == nil {
		return nil
	}
	free, err := tx.ClaimUnique(u.Number, fmt.Sprint(value), doc)
	if err != nil || free {
		return err
	}
	return invalid([]design.Mistake{{Pointer: "/fields/" + u.Name, Code: design.MistakeTaken,
		Detail: fmt.Sprintf("%q is taken: another document has %v", u.Name, value)}})
}

// holding is what a write hangs on, held until it commits.
type holding struct {
	at     map[*plan.Reference]*store.Document
	parent *store.Document
}

func (h holding) targets() plan.Targets {
	targets := plan.Targets{}
	for ref, doc := range h.at {
		targets[ref] = doc.N
	}
	return targets
}

func (h holding) many() int {
	if h.parent != nil {
		return len(h.at) + 1
	}
	return len(h.at)
}

// hold locks the targets of a document's references, and its parent if given.
func hold(tx *store.Tx, c *plan.Collection, fields map[string]any, parent *store.Address) (holding, error) {
	strength := store.Existing
	var wanted []store.Address
	for _, ref := range c.References {
		if key, ok := fields[ref.Name].(string); ok {
			wanted = append(wanted, store.Address{Collection: ref.To.Number, Key: key})
			if len(ref.Copies) > 0 {
				strength = store.Unchanged
			}
		}
	}
	if parent != nil {
		wanted = append(wanted, *parent)
	}
	found, err := tx.LockTargets(wanted, strength)
	if err != nil {
		return holding{}, err
	}
	h := holding{at: map[*plan.Reference]*store.Document{}}
	var mistakes []design.Mistake
	for _, ref := range c.References {
		key, ok := fields[ref.Name].(string)
		if !ok {
			continue
		}
		target, there := found[store.Address{Collection: ref.To.Number, Key: key}]
		if !there {
			mistakes = append(mistakes, design.Mistake{Pointer: "/fields/" + ref.Name, Code: design.MistakeNoTarget,
				Detail: fmt.Sprintf("there is no document %s", ref.To.Path(key))})
			continue
		}
		h.at[ref] = &target
	}
	if parent != nil {
		doc, there := found[*parent]
		if !there {
			return holding{}, refuse(CodeNotFound, "there is no parent %s", c.Parent.Path(strings.TrimSuffix(parent.Key, "/")))
		}
		h.parent = &doc
	}
	if len(mistakes) > 0 {
		return holding{}, invalid(mistakes)
	}
	return h, nil
}
