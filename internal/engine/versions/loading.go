package versions

import (
	"context"
	"math"

	"yalvo/internal/design"
	"yalvo/internal/design/compare"
	"yalvo/internal/engine/running"
	"yalvo/internal/engine/store"
	"yalvo/internal/engine/store/factsql"
	"yalvo/internal/engine/store/loadsql"
	"yalvo/internal/engine/store/versionsql"
)

// BeginLoad has everything that is derived wait for facts that are going to be
// loaded, and be derived anew when [Keeper.EndLoad] is called. A load that is under
// way goes on. It returns the version of the design in force.
func (k *Keeper) BeginLoad(ctx context.Context) (int, error) {
	v, err := k.Now(ctx)
	if err != nil {
		return 0, err
	}
	err = k.Store.Write(ctx, func(tx *store.Tx) error {
		if err := versionsql.LockDesign(tx); err != nil {
			return err
		}
		if err := inForce(tx, v); err != nil {
			return err
		}
		left, err := versionsql.BuildsLeft(tx)
		if err != nil {
			return err
		}
		if len(left) > 0 && left[0].Does == string(compare.Load) {
			return nil
		}
		if len(left) > 0 {
			return running.Refuse(running.CodeConflict, "what version %d of the design asks for is not done yet: %d "+
				"steps are left. Load when it is done", left[0].Version, len(left))
		}
		first, err := versionsql.NextBuild(tx, v.Number)
		if err != nil {
			return err
		}
		newest, err := tx.NewestDocument()
		if err != nil {
			return err
		}
		builds := []versionsql.Build{{Version: v.Number, Nth: first, Does: string(compare.Load), Name: "facts",
			Reached: newest}}
		for i, s := range compare.Everything(v.Plan) {
			builds = append(builds, versionsql.Build{Version: v.Number, Nth: first + 1 + i, Does: string(s.Do),
				Aspect: s.Aspect, Name: s.Name, Shows: string(s.Shows)})
		}
		return versionsql.AddBuilds(tx, builds)
	})
	if moved(err) {
		return 0, running.Refuse(running.CodeConflict, "another design has just been put in force: try again")
	}
	if err == nil {
		err = k.Reload(ctx)
	}
	if err != nil {
		return 0, err
	}
	unaware, err := k.KnownToLoad(ctx)
	if len(unaware) > 0 {
		k.Log.Warn("a load has begun that another service does not know of yet", "services", unaware)
	}
	return v.Number, err
}

// Loose is how many loaded documents point by a reference at what is not there, and what becomes of them.
type Loose struct {
	Reference string          `json:"reference"`
	WhenGone  design.WhenGone `json:"when_gone"`
	Documents int             `json:"documents"`
}

// EndLoad has what follows from loaded facts derived. It returns the version of the
// design in force, whose steps say how far that is, and what of the loaded points at what is not there: that comes
// to the end which the design has for it.
func (k *Keeper) EndLoad(ctx context.Context) (int, []Loose, error) {
	v, err := k.Now(ctx)
	if err != nil {
		return 0, nil, err
	}
	var loose []Loose
	err = k.Store.Write(ctx, func(tx *store.Tx) error {
		after, is, err := loadsql.EndLoad(tx)
		if err == nil && !is {
			err = running.Refuse(running.CodeConflict, "no load is under way")
		}
		if err == nil {
			err = loadsql.LoadGivenLater(tx)
		}
		if err == nil {
			loose, err = looseAfter(tx, v, after)
		}
		return err
	})
	if err != nil {
		return 0, nil, err
	}
	for _, l := range loose {
		k.Log.Warn("documents were loaded that point at what is not there", "by", l.Reference, "documents", l.Documents,
			"when_gone", l.WhenGone)
	}
	k.wakeUp()
	return v.Number, loose, k.Reload(ctx)
}

func looseAfter(tx *store.Tx, v *running.Version, after int64) ([]Loose, error) {
	all := []Loose{}
	for _, c := range v.Plan.Collections {
		for _, r := range c.References {
			if r.WhenGone == design.GoneLeave {
				continue // the design says that this may be
			}
			some, err := factsql.LooseIn(tx, r, store.Span{After: after, UpTo: math.MaxInt64})
			if err != nil {
				return nil, err
			}
			if len(some) > 0 {
				all = append(all, Loose{c.Name + "." + r.Name, r.WhenGone, len(some)})
			}
		}
	}
	return all, nil
}
