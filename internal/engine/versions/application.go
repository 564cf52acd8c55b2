package versions

import (
	"context"
	"encoding/json"
	"errors"
	"slices"
	"strings"

	"yalvo/internal/design"
	"yalvo/internal/design/compare"
	"yalvo/internal/design/language"
	"yalvo/internal/design/plan"
	"yalvo/internal/engine/facts"
	"yalvo/internal/engine/running"
	"yalvo/internal/engine/store"
	"yalvo/internal/engine/store/listsql"
	"yalvo/internal/engine/store/versionsql"
)

// Request is a design that is to be put in force.
type Request struct {
	File   string
	Design *design.Design
	Author string   // who asks for it
	Base   int      // the version that it was compared with, 0 for whichever is in force
	Drop   []string // names of the facts that may be lost
}

// Apply puts a design in force and has everything done that it asks for. Its steps
// are left for the background: the answer says how many. Of two at once, one is
// compared with the other.
func (k *Keeper) Apply(ctx context.Context, r Request) (running.Applied, error) {
	for {
		got, err := k.applyTo(ctx, r)
		var refused *running.Refusal
		if r.Base == 0 && errors.As(err, &refused) && refused.Code == running.CodeOtherBase {
			continue
		}
		return got, err
	}
}

// applyTo puts a design in force if the one that it is compared with still is.
func (k *Keeper) applyTo(ctx context.Context, r Request) (running.Applied, error) {
	now, applied, err := versionsql.CurrentDesign(k.Store.Looking(ctx))
	if err != nil {
		return running.Applied{}, err
	}
	if err := isBase(r.Base, now.Version); err != nil {
		return running.Applied{}, err
	}
	if applied && now.Source == string(r.Design.Source) {
		return k.TakenUp(ctx, false)
	}
	from := &design.Design{}
	if applied {
		if from, err = read(now); err != nil {
			return running.Applied{}, err
		}
	}
	c, err := compared(r.File, from, r.Design)
	if err != nil {
		return running.Applied{}, err
	}
	if err := k.Store.Write(ctx, func(tx *store.Tx) error { return change(tx, r, now.Version, c) }); err != nil {
		if errors.Is(err, versionsql.ErrNumbers) {
			err = running.Refuse(running.CodeNoNumbers, "the designs that were in force in this database have had so "+
				"many names that no new ones can be numbered: load a dump of it into another database")
		}
		return running.Applied{}, err
	}
	got, err := k.TakenUp(ctx, true)
	if err == nil {
		k.Log.Info("a design was put in force", "app", r.Design.App, "version", got.Version, "file", r.File,
			"steps", got.Steps, "not taken up by", got.Without)
	}
	k.wakeUp()
	return got, err
}

func isBase(base, version int) error {
	if base == 0 || base == version {
		return nil
	}
	return running.Refuse(running.CodeOtherBase, "version %d of the design is in force, and this one was compared "+
		"with version %d: look at the difference again", version, base)
}

// read reads a design that was in force.
func read(d store.Design) (*design.Design, error) {
	return language.Read(d.File, []byte(d.Source))
}

// compared is the comparison, its problems with the name of the new file.
func compared(file string, from, to *design.Design) (*compare.Comparison, error) {
	c, err := compare.Designs(from, to)
	var problems design.Problems
	if errors.As(err, &problems) {
		for i := range problems {
			problems[i].File = file
		}
	}
	return c, err
}

// change puts a design in force, if the one it was compared with still is.
func change(tx *store.Tx, r Request, base int, c *compare.Comparison) error {
	if err := versionsql.LockDesign(tx); err != nil {
		return err
	}
	now, _, err := versionsql.CurrentDesign(tx)
	if err != nil {
		return err
	}
	if now.Version != base {
		return running.Refuse(running.CodeOtherBase, "another design has just been put in force, version %d: look at "+
			"the difference with that one", now.Version)
	}
	left, err := versionsql.BuildsLeft(tx)
	if err != nil {
		return err
	}
	if len(left) > 0 {
		return running.Refuse(running.CodeConflict, "what version %d of the design asks for is not done yet: %d steps "+
			"are left, now %s %s. Apply this one when it is done", left[0].Version, len(left), left[0].Does,
			left[0].Name)
	}
	has, err := versionsql.HasDocuments(tx)
	if err != nil {
		return err
	}
	if err := mayDrop(tx, r.Drop, c); err != nil {
		return err
	}
	return carryOut(tx, r, c, has)
}

// mayDrop refuses to lose facts that nobody named.
func mayDrop(tx *store.Tx, drop []string, c *compare.Comparison) error {
	var unnamed []string
	for _, name := range c.Dropping() {
		if slices.Contains(drop, name) {
			continue
		}
		holder, _, _ := strings.Cut(name, ".")
		stored, err := versionsql.HasAny(tx, c.OldName(holder))
		if err != nil {
			return err
		}
		if stored {
			unnamed = append(unnamed, name)
		}
	}
	if len(unnamed) == 0 {
		return nil
	}
	return running.Refuse(running.CodeWouldDrop, "what is stored of %s would be lost: "+
		"name it to drop it, or keep it in "+
		"the design; if it only has another name now, say `was:` there", strings.Join(unnamed, ", "))
}

// carryOut numbers the names of the new design, notes its steps and puts it in force.
func carryOut(tx *store.Tx, r Request, c *compare.Comparison, stored bool) error {
	retired := map[compare.Named]plan.Number{}
	for _, name := range c.Retired {
		n, err := versionsql.Retire(tx, name.Kind, name.Name)
		if err != nil {
			return err
		}
		retired[name] = n
	}
	var kinds, was, is []string
	for _, name := range c.Renames {
		kinds, was, is = append(kinds, name.Kind), append(was, name.From), append(is, name.To)
	}
	if err := versionsql.Rename(tx, kinds, was, is); err != nil {
		return err
	}
	did, err := json.Marshal(c.Differences)
	if err != nil {
		return err
	}
	version, err := versionsql.AddDesign(tx, store.Design{File: r.File, Source: string(r.Design.Source),
		Author: r.Author, Did: did})
	if err != nil {
		return err
	}
	p, err := versionsql.Plan(tx, r.Design) // what cannot be planned is not put in force
	if err != nil {
		return err
	}
	if err := nextShapes(tx, p, c); err != nil {
		return err
	}
	if !stored {
		return listsql.IndexLists(tx, p)
	}
	builds, err := buildsOf(tx, p, version, c, retired)
	if err != nil {
		return err
	}
	return versionsql.AddBuilds(tx, builds)
}

// nextShapes has facts whose stored form changes be written in the new one.
func nextShapes(tx *store.Tx, p *plan.Plan, c *compare.Comparison) error {
	for name, r := range c.Rewrites {
		if !r.Needed {
			continue
		}
		if err := versionsql.NextShape(tx, subject(p, name)); err != nil {
			return err
		}
	}
	return nil
}

// subject is the number of a collection or a pair; no two share a name.
func subject(p *plan.Plan, name string) plan.Number {
	if c := p.Collection(name); c != nil {
		return c.Number
	}
	return p.Pair(name).Number
}

func buildsOf(tx *store.Tx, p *plan.Plan, version int, c *compare.Comparison,
	retired map[compare.Named]plan.Number) ([]versionsql.Build, error) {
	var all []versionsql.Build
	for i, s := range c.Steps {
		if s.IfMisfits {
			has, err := versionsql.HasMisfits(tx, subject(p, s.Name))
			if err != nil {
				return nil, err
			}
			if !has {
				continue
			}
		}
		b := versionsql.Build{Version: version, Nth: i + 1, Does: string(s.Do), Aspect: s.Aspect, Name: s.Name,
			Shows: string(s.Shows)}
		if s.Do == compare.Sweep {
			kind, name, _ := strings.Cut(s.Name, " ")
			if b.Number = retired[compare.Named{Kind: kind, Name: name}]; b.Number == 0 {
				continue // it never had one
			}
		}
		all = append(all, b)
	}
	return all, nil
}

// Keeper keeps the design in force, and changes it.
type Keeper struct {
	*running.App
	writer *facts.Writer
	builder
}

// New makes a keeper.
func New(writer *facts.Writer) *Keeper {
	return &Keeper{App: writer.App, writer: writer, builder: builder{wake: make(chan struct{}, 1)}}
}
