package facts

import (
	"cmp"
	"context"
	"errors"
	"fmt"
	"slices"
	"strings"

	"yalvo/internal/design"
	"yalvo/internal/engine/judging"
	"yalvo/internal/engine/running"
	"yalvo/internal/engine/store"
	"yalvo/internal/engine/store/factsql"
)

// Item is one write of a batch.
type Item struct {
	Do      Do
	Path    string         // of the collection to create in, or of the document to edit or remove
	ID      string         // create: chosen by the client, empty for one of the server's
	Facts   map[string]any // create, and set: the pair's own, nil to leave them as they are
	Patch   MergePatch     // edit
	Version int64          // edit, remove: 0 for whatever it is now
	Link    running.Link   // set, unset
}

// Do is what an item does.
type Do string

// The kinds of items.
const (
	DoCreate Do = "create"
	DoEdit   Do = "edit"
	DoRemove Do = "remove"
	DoSet    Do = "set"
	DoUnset  Do = "unset"
)

// MostItems is how many writes a batch may have: so many locks are held, for so long.
const MostItems = 500

// mostTold is how many mistakes of a batch are told at once.
const mostTold = 50

// Batch does several writes in one transaction, in their order: all of them or none.
// Each sees what those before it have done. The result has one for each; its position
// stands for all of them. What cannot be done is told of every item, with pointers below
// /writes/ and its number. Of what rules refuse nothing is locked, and nothing stays locked once they have.
func (w *Writer) Batch(ctx context.Context, caller running.Caller, items []Item) (Result, error) {
	return w.write(ctx, caller, nil, func(u Unit) (Result, error) {
		u.again = false // what was done before an item cannot be given up for it
		b := batch{Unit: u, items: items, refused: map[int]*running.Refusal{}}
		if err := b.lock(); err != nil {
			return Result{}, err
		}
		return b.run(ctx, w, Cause{Actor: caller.Me})
	})
}

// batch is some writes of one transaction.
type batch struct {
	Unit
	items   []Item
	refused map[int]*running.Refusal // what was refused before anything was done
}

func (b *batch) run(ctx context.Context, w *Writer, why Cause) (all Result, err error) {
	var mistakes []design.Mistake
	done := 0
	for i, item := range b.items {
		one, err := b.inTurn(ctx, w, i, item, why)
		var refusal *running.Refusal
		if errors.As(err, &refusal) {
			if mistakes = append(mistakes, inBatch(i, refusal)...); b.judge() != nil && byRules(refusal) {
				mistakes = append(mistakes, b.laterRefused(i)...)
				return Result{}, refusalOf(mistakes, len(b.items))
			}
			continue
		}
		if err != nil {
			return Result{}, err
		}
		done++
		all.All = append(all.All, one)
		all.Fresh = all.Fresh || one.Fresh
		all.Read, all.Wrote = all.Read+one.Read, all.Wrote+one.Wrote
	}
	if len(mistakes) > 0 {
		return Result{}, refusalOf(mistakes, len(b.items))
	}
	last, err := factsql.LastPosition(b.Tx)
	all.Position = running.UpTo(last)
	return all, err
}

// inTurn does a write when those before it have been done. One that was refused before is looked at again
// first: they may have opened the way.
func (b *batch) inTurn(ctx context.Context, w *Writer, i int, item Item, why Cause) (Result, error) {
	if was := b.refused[i]; was != nil {
		again, err := b.refusal(item)
		if err != nil {
			return Result{}, err
		}
		if again != nil {
			return Result{}, again
		}
	}
	return w.item(ctx, b.Unit, item, why)
}

// byRules tells whether something was refused to whoever asked, and not to anybody.
func byRules(r *running.Refusal) bool {
	return r.Code == running.CodeNotAllowed || r.Code == running.CodeNotFound
}

// laterRefused are the mistakes of items after one that rules refuse, as far as they were refused from the first
// and none before them creates what they are about.
func (b *batch) laterRefused(after int) (mistakes []design.Mistake) {
	created := map[string]bool{}
	for i, item := range b.items {
		if item.Do == DoCreate && item.ID != "" {
			created[strings.Trim(item.Path, "/")+"/"+item.ID] = true
		}
		if was := b.refused[i]; i > after && was != nil && !created[strings.Trim(item.Path, "/")] {
			mistakes = append(mistakes, inBatch(i, was)...)
		}
	}
	return mistakes
}

func refusalOf(mistakes []design.Mistake, items int) error {
	wrong := map[string]bool{}
	for _, m := range mistakes {
		wrong[strings.SplitN(m.Pointer, "/", 4)[2]] = true
	}
	refusal := running.Invalid(mistakes[:min(len(mistakes), mostTold)])
	refusal.Detail = fmt.Sprintf("%d of %d writes cannot be done, so nothing was written", len(wrong), items)
	return refusal
}

// refusal is why rules refuse an edit or a removal as things are, nil if they do not. Nothing is locked for that.
func (b *batch) refusal(item Item) (*running.Refusal, error) {
	c, key, err := b.Locate(item.Path)
	if err != nil {
		return nil, nil // which is told in its turn
	}
	doc, found, err := factsql.Document(b.Tx, c, key)
	if err != nil {
		return nil, err
	}
	target := Target{Collection: c.Name, Key: key, Version: item.Version}
	if item.Do == DoRemove {
		_, err = b.removable(c, target, doc, found)
	} else {
		_, _, err = b.revised(c, target, doc, found, item.Patch)
	}
	var refusal *running.Refusal
	if errors.As(err, &refusal) {
		err = nil
	}
	return refusal, err
}

// lock locks what the items edit, in ascending order, before any of them is done: two
// batches do not wait for each other in a circle. Where something is removed the ends
// of pairs too, which whoever removes them waits for. Of what the caller may not write nothing is locked.
func (b *batch) lock() error {
	var wanted []store.Address
	strength, j := factsql.Edited, b.judge()
	if slices.ContainsFunc(b.items, func(item Item) bool { return item.Do == DoRemove }) {
		strength = factsql.Removed
	}
	for i, item := range b.items {
		var some []store.Address
		var err error
		switch item.Do {
		case DoEdit, DoRemove:
			some, err = b.edited(j, i)
		case DoSet, DoUnset:
			if strength == factsql.Removed {
				some, err = b.ends(j, item)
			}
		}
		if err != nil {
			return err
		}
		wanted = append(wanted, some...)
	}
	slices.SortFunc(wanted, func(a, b store.Address) int {
		return cmp.Or(cmp.Compare(a.Collection, b.Collection), cmp.Compare(a.Key, b.Key))
	})
	_, err := factsql.LockTargets(b.Tx, slices.Compact(wanted), strength)
	return err
}

// edited is the document that an item edits or removes, none if that is refused.
func (b *batch) edited(j *judging.Judge, i int) ([]store.Address, error) {
	if j != nil {
		refusal, err := b.refusal(b.items[i])
		if err != nil {
			return nil, err
		}
		if refusal != nil {
			b.refused[i] = refusal
			return nil, nil
		}
	}
	c, key, err := b.Locate(b.items[i].Path)
	if err != nil {
		return nil, nil // which is told in its turn
	}
	return []store.Address{running.Address(c, key)}, nil
}

// ends are the ends of the pair that an item sets or unsets, none if its rules refuse that.
func (b *batch) ends(j *judging.Judge, item Item) ([]store.Address, error) {
	p := b.Plan.Pair(item.Link.Pair)
	if p == nil {
		return nil, nil // which is told in its turn
	}
	if j != nil {
		from, to := ends(j, p, item.Link)
		request := j.Law.Setting(p.Pair, from, to, item.Facts)
		if item.Do == DoUnset {
			request = j.Law.Unsetting(p.Pair, from, to, nil)
		}
		if v, _, err := j.DecideNamed(request, nil); err != nil || !v.Allowed {
			return nil, err
		}
	}
	return []store.Address{running.Address(p.From, item.Link.From), running.Address(p.To, item.Link.To)}, nil
}

// inBatch says of an item's refusal where in the batch it is.
func inBatch(nth int, r *running.Refusal) []design.Mistake {
	at := fmt.Sprintf("/writes/%d", nth)
	if len(r.Mistakes) == 0 {
		return []design.Mistake{{Pointer: at, Code: r.Code, Detail: r.Detail}}
	}
	return running.Under(at, r.Mistakes)
}

func (w *Writer) item(ctx context.Context, u Unit, item Item, why Cause) (Result, error) {
	switch item.Do {
	case DoCreate:
		return w.createItem(ctx, u, item, why)
	case DoSet:
		return u.SetPair(item.Link, item.Facts, why)
	case DoUnset:
		return u.UnsetPair(item.Link, why)
	}
	c, key, err := u.Locate(item.Path)
	if err != nil {
		return Result{}, err
	}
	target := Target{Collection: c.Name, Key: key, Version: item.Version}
	if item.Do == DoRemove {
		return u.Remove(target, why)
	}
	return u.Edit(target, item.Patch, why)
}

func (w *Writer) createItem(ctx context.Context, u Unit, item Item, why Cause) (Result, error) {
	path := strings.Trim(item.Path, "/")
	c, key, err := u.Locate(path + "/" + cmp.Or(item.ID, "id"))
	if err != nil {
		return Result{}, running.Refuse(running.CodeUnknownName, "%q is no collection, with its parents: write it as "+
			"in posts, or posts/p1/notes", design.Clip(item.Path))
	}
	parent := ""
	if c.Parent != nil {
		parent = key[:strings.LastIndexByte(key, '/')]
	}
	made, err := u.prepare(Draft{Collection: c.Name, Parent: parent, ID: item.ID, Facts: item.Facts}, why)
	if err != nil {
		return Result{}, err
	}
	result, err := made.carryOut(u)
	if errors.Is(err, ErrTaken) {
		return w.repeatedCreation(ctx, u.who, made)
	}
	return result, err
}
