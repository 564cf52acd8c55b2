package facts

import (
	"cmp"
	"context"
	"errors"
	"fmt"
	"slices"
	"strings"

	"yalvo/internal/design"
	"yalvo/internal/running"
	"yalvo/internal/store"
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
// /writes/ and its number.
func (w *Writer) Batch(ctx context.Context, caller running.Caller, items []Item) (Result, error) {
	return w.write(ctx, caller, nil, func(u Unit) (Result, error) {
		u.again = false // what was done before an item cannot be given up for it
		if err := u.lockAll(items); err != nil {
			return Result{}, err
		}
		var all Result
		var mistakes []design.Mistake
		for i, item := range items {
			one, err := w.item(ctx, u, item, Cause{Actor: caller.Me})
			var refusal *running.Refusal
			if errors.As(err, &refusal) {
				mistakes = append(mistakes, inBatch(i, refusal)...)
				continue
			}
			if err != nil {
				return Result{}, err
			}
			all.All = append(all.All, one)
			all.Fresh = all.Fresh || one.Fresh
			all.Read, all.Wrote = all.Read+one.Read, all.Wrote+one.Wrote
		}
		if len(mistakes) > 0 {
			refusal := running.Invalid(mistakes[:min(len(mistakes), mostTold)])
			refusal.Detail = fmt.Sprintf("%d of %d writes can be done, so nothing was written", len(all.All),
				len(items))
			return Result{}, refusal
		}
		last, err := u.Tx.LastPosition()
		all.Position = running.UpTo(last)
		return all, err
	})
}

// lockAll locks what the items edit, in ascending order, before any of them is done: two
// batches do not wait for each other in a circle. Where something is removed the ends
// of pairs too, which whoever removes them waits for.
func (u Unit) lockAll(items []Item) error {
	var edited, ends []store.Address
	strength := store.Edited
	for _, item := range items {
		switch item.Do {
		case DoEdit, DoRemove:
			if c, key, err := u.Locate(item.Path); err == nil {
				edited = append(edited, running.Address(c, key))
			}
			if item.Do == DoRemove {
				strength = store.Removed
			}
		case DoSet, DoUnset:
			if p := u.Plan.Pair(item.Link.Pair); p != nil {
				ends = append(ends, running.Address(p.From, item.Link.From), running.Address(p.To, item.Link.To))
			}
		}
	}
	if strength == store.Removed {
		edited = append(edited, ends...)
	}
	slices.SortFunc(edited, func(a, b store.Address) int {
		return cmp.Or(cmp.Compare(a.Collection, b.Collection), cmp.Compare(a.Key, b.Key))
	})
	_, err := u.Tx.LockTargets(slices.Compact(edited), strength)
	return err
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
