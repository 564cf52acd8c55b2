package facts

import (
	"context"
	"crypto/sha256"
	"encoding/json"
	"errors"
	"fmt"
	"maps"
	"slices"
	"time"

	"github.com/google/uuid"

	"yalvo/internal/design"
	"yalvo/internal/design/plan"
	"yalvo/internal/engine/judging"
	"yalvo/internal/engine/metering"
	"yalvo/internal/engine/running"
	"yalvo/internal/engine/store"
	"yalvo/internal/engine/store/factsql"
)

// Draft is a document to be created.
type Draft struct {
	Collection string
	Parent     string // the parent's key, empty for a collection of its own
	ID         string // chosen by the client, empty for one of the server's
	Facts      map[string]any
	SigningUp  bool // it is the account of whoever signs up
}

// ErrTaken ends the transaction of a creation whose id is taken.
var ErrTaken = errors.New("the id is taken")

// Create adds a document. With a client's id it can be repeated: the same draft
// of the same account changes nothing and gets the document as it is now.
func (w *Writer) Create(ctx context.Context, caller running.Caller, draft Draft) (Result, error) {
	var made *creation
	plain := func(v *running.Version) bool {
		c := v.Plan.Collection(draft.Collection)
		return c != nil && !v.Fires(design.OnCreated, draft.Collection) &&
			len(design.PicturesIn(c.Collection.Fields, draft.Facts)) == 0
	}
	result, err := w.write(ctx, caller, plain, func(u Unit) (Result, error) {
		var err error
		if made, err = u.prepare(draft, Cause{Actor: caller.Me}); err != nil {
			return Result{}, err
		}
		return made.carryOut(u)
	})
	if errors.Is(err, ErrTaken) {
		return w.repeatedCreation(ctx, caller.Viewer, made)
	}
	return result, err
}

// CreateWith is [Writer.Create] of a document for which something else is written in the same
// transaction: both, or neither. The key is the document's.
func (w *Writer) CreateWith(ctx context.Context, caller running.Caller, draft Draft,
	also func(tx *store.Tx, key string) error) (Result, error) {
	return w.write(ctx, caller, nil, func(u Unit) (Result, error) {
		made, err := u.prepare(draft, Cause{Actor: caller.Me})
		if err != nil {
			return Result{}, err
		}
		result, err := made.carryOut(u)
		if err != nil {
			return Result{}, err
		}
		return result, also(u.Tx, made.key)
	})
}

// Create adds a document within a unit. It fails with [ErrTaken] if the id is
// taken.
func (u Unit) Create(draft Draft, why Cause) (Result, error) {
	made, err := u.prepare(draft, why)
	if err != nil {
		return Result{}, err
	}
	return made.carryOut(u)
}

// historyLimit is how many changes of one document are looked through.
const historyLimit = 1000

// repeatedCreation tells a repetition from a second document of the same id.
func (w *Writer) repeatedCreation(ctx context.Context, who running.Viewer, made *creation) (Result, error) {
	there, found, err := factsql.Document(w.Store.Looking(ctx), made.in, made.key)
	if err != nil {
		return Result{}, err
	}
	path := made.in.Path(made.key)
	if !found || string(there.MadeFrom) != string(made.digest) {
		return Result{}, taken(path)
	}
	j := w.JudgeNow(ctx, made.version, who)
	if err := j.MayRead(made.in, there); running.IsMissing(err) {
		return Result{}, taken(path) // as a document of somebody else
	} else if err != nil {
		return Result{}, err
	}
	history, err := factsql.About(w.Store.Looking(ctx), path, historyLimit)
	if err != nil {
		return Result{}, err
	}
	seen, err := j.Show(made.in, there)
	if err != nil {
		return Result{}, err
	}
	result := Result{Document: seen, Read: 1}
	born := slices.IndexFunc(history, func(r factsql.Record) bool { return r.Kind == plan.Created })
	if born >= 0 {
		result.Position = running.At(history[born].Seq)
		return result, nil
	}
	last, err := factsql.LastPosition(w.Store.Looking(ctx))
	result.Position = running.UpTo(last)
	return result, err
}

func taken(path string) error {
	return running.Refuse(running.CodeConflict,
		"%s exists already and was created differently: edit it, or choose another id", path)
}

// Repeated is the result of a creation that is repeated under the key that the service had
// given the document, false if it is of another draft, or of another account.
func (w *Writer) Repeated(ctx context.Context, caller running.Caller, c *plan.Collection, key string,
	written map[string]any) (Result, bool, error) {
	v, err := w.Now(ctx)
	if err != nil {
		return Result{}, false, err
	}
	made := &creation{version: v, in: c, key: key}
	if made.digest, err = digest(caller.Me, written); err != nil {
		return Result{}, false, err
	}
	result, err := w.repeatedCreation(ctx, caller.Viewer, made)
	var refusal *running.Refusal
	if errors.As(err, &refusal) && refusal.Code == running.CodeConflict {
		return Result{}, false, nil
	}
	return result, err == nil, err
}

// creation is a draft that fits the design.
type creation struct {
	version *running.Version
	in      *plan.Collection
	parent  string
	key     string
	given   map[string]any // what the client wrote
	facts   map[string]any
	fields  json.RawMessage // the facts as they are stored
	digest  []byte
	why     Cause
	relied  []factsql.Relied // what it is allowed by
	judge   *judging.Judge   // who has allowed it
}

// errStale gives a unit up that was allowed by what has changed meanwhile: it is run again,
// and asks for what there is now.
var errStale = errors.New("what the rules were told has changed")

func (u Unit) prepare(draft Draft, why Cause) (*creation, error) {
	c, err := u.Collection(draft.Collection)
	if err != nil {
		return nil, err
	}
	if err := u.mayBeAccount(c, draft); err != nil {
		return nil, err
	}
	m := &creation{version: u.Version, in: c, parent: draft.Parent, given: draft.Facts, why: why}
	if m.key, err = keyFor(c, draft); err != nil {
		return nil, err
	}
	if m.digest, err = digest(why.Actor, draft.Facts); err != nil {
		return nil, err
	}
	filled, mistakes := fillDefaults(c.Collection.Fields, draft.Facts, why.Actor)
	mistakes = append(mistakes, keptMistakes(c, filled)...)
	if len(mistakes) == 0 {
		m.facts, mistakes = c.Collection.AcceptWhole(filled)
	}
	if len(mistakes) > 0 {
		return nil, running.Invalid(running.Under("/facts", mistakes))
	}
	if m.fields, err = Encoded(m.facts); err != nil {
		return nil, err
	}
	if err := m.mayCreate(u); err != nil {
		return nil, err
	}
	if err := u.mayRefer(c, m.facts, nil); err != nil {
		return nil, err
	}
	return m, u.tryConditions(c, m.key, m.facts, why.Actor)
}

// keyFor is the key of a document to be created, with an id of the server's if
// the client chose none.
func keyFor(c *plan.Collection, draft Draft) (string, error) {
	if draft.ID == "" {
		id, err := uuid.NewV7()
		if err != nil {
			return "", err
		}
		draft.ID = id.String()
	}
	if wrong := design.CheckID(draft.ID); wrong != "" {
		return "", running.Invalid([]design.Mistake{{Pointer: "/id", Code: design.MistakeType, Detail: wrong}})
	}
	if c.Parent == nil {
		return draft.ID, nil
	}
	if _, wrong := c.Parent.ParseKey(draft.Parent); wrong != "" {
		return "", noParent(c, draft.Parent)
	}
	return draft.Parent + "/" + draft.ID, nil
}

func noParent(c *plan.Collection, key string) *running.Refusal {
	return running.Refuse(running.CodeNotFound, "there is no parent %s", c.Parent.Path(key))
}

// digest is the same for the same account and facts, whatever their order.
func digest(account string, facts map[string]any) ([]byte, error) {
	text, err := json.Marshal(facts) // keys are sorted
	if err != nil {
		return nil, err
	}
	sum := sha256.Sum256(append([]byte(account+"\n"), text...))
	return sum[:], nil
}

func fillDefaults(fields []*design.Field, given map[string]any, me string) (map[string]any, []design.Mistake) {
	filled := maps.Clone(given)
	if filled == nil {
		filled = map[string]any{}
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
		case me != "":
			filled[f.Name] = me
		case f.Required:
			mistakes = append(mistakes, design.Mistake{Pointer: "/" + f.Name, Code: design.MistakeNobody,
				Detail: fmt.Sprintf("%q defaults to the caller's account, and the request does not say whose it is",
					f.Name)})
		}
	}
	return filled, mistakes
}

// keptMistakes tells a client that writes a kept value what it is.
func keptMistakes(c *plan.Collection, facts map[string]any) []design.Mistake {
	var mistakes []design.Mistake
	for _, k := range c.Kept {
		if _, written := facts[k.Name]; written {
			mistakes = append(mistakes, design.Mistake{Pointer: "/" + k.Name, Code: design.MistakeKept,
				Detail: fmt.Sprintf("%q is kept by Yalvo and cannot be written: change the facts it is derived from",
					k.Name)})
		}
	}
	return mistakes
}

// carryOut writes the document with all that belongs to it.
func (m *creation) carryOut(u Unit) (Result, error) {
	write := m.planned(u)
	made, err := factsql.Create(u.Tx, write)
	if err != nil {
		return Result{}, err
	}
	if made.Stale {
		return Result{}, errStale
	}
	if made.Position == 0 {
		return Result{}, m.refusal(u, write, made)
	}
	u.wrote("create "+m.in.Name, m.why, metering.Counts{Times: 1, Documents: 1, Entries: made.Own})
	if err := u.refersTo(m.in, m.key, m.facts, nil); err != nil {
		return Result{}, err
	}
	seen, err := shown(m.judge, m.in, made.Document, m.given, 1)
	if err != nil {
		return Result{}, err
	}
	result := Result{Document: seen, Position: running.At(made.Position), Fresh: true, Read: len(made.Found), Wrote: 1}
	return result, u.fireDocument(design.OnCreated, m.in, made.Document, nil, m.why.from(made.Position))
}

// planned is the write with the due work that follows from it.
func (m *creation) planned(u Unit) factsql.Creation {
	write := factsql.Creation{In: m.in, Key: m.key, Parent: m.parent, MadeFrom: m.digest,
		Design: u.Number, Relied: m.relied,
		Targets: map[*plan.Reference]string{}, Change: m.why.Change,
		Record: factsql.Record{Kind: plan.Created, Subject: m.in.Path(m.key), Actor: m.why.Actor, Cause: m.why.Change}}
	change := plan.Change{Kind: plan.Created, Collection: m.in, Doc: plan.NewRow, Parent: plan.ParentRow,
		After: plan.Targets{}, Touched: slices.Collect(maps.Keys(m.facts)), Mark: m.why.Mark}
	for _, ref := range m.in.References {
		if key, points := m.facts[ref.Name].(string); points {
			write.Targets[ref] = key
			change.After[ref] = plan.TargetRow(ref)
		}
	}
	write.Due, write.Fields = u.Plan.Due(change), m.fields
	return write
}

// refusal says why nothing was written.
func (m *creation) refusal(u Unit, write factsql.Creation, made factsql.Created) error {
	if err := u.stillHolds(made.Design, nil); err != nil {
		return err
	}
	if m.in.Parent != nil && !slices.Contains(made.Found, 0) {
		return noParent(m.in, m.parent)
	}
	if len(made.Taken) > 0 { // by this very document, if its creation is repeated
		there, _, err := factsql.Known(u.Tx, []store.Address{running.Address(m.in, m.key)}, nil)
		if err != nil {
			return err
		}
		if len(there) > 0 {
			return ErrTaken
		}
	}
	var mistakes []design.Mistake
	for _, ref := range m.in.References {
		if key, points := write.Targets[ref]; points && !slices.Contains(made.Found, ref.Number) {
			mistakes = append(mistakes, noTarget(ref, key))
		}
	}
	for _, unique := range m.in.Uniques {
		if slices.Contains(made.Taken, unique.Number) {
			mistakes = append(mistakes, takenValue(unique, m.facts[unique.Name]))
		}
	}
	if len(mistakes) > 0 {
		return running.Invalid(mistakes)
	}
	return ErrTaken
}

func noTarget(ref *plan.Reference, key string) design.Mistake {
	return design.Mistake{Pointer: "/facts/" + ref.Name, Code: design.MistakeNoTarget,
		Detail: fmt.Sprintf("there is no document %s", ref.To.Path(key))}
}

func takenValue(u *plan.Unique, value any) design.Mistake {
	return design.Mistake{Pointer: "/facts/" + u.Name, Code: design.MistakeTaken,
		Detail: fmt.Sprintf("%q is taken: another document has %v", u.Name, value)}
}
