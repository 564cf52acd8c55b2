package versions

import (
	"context"

	"yalvo/internal/compare"
	"yalvo/internal/running"
	"yalvo/internal/store"
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
		if err := tx.LockDesign(); err != nil {
			return err
		}
		if err := inForce(tx, v); err != nil {
			return err
		}
		left, err := tx.BuildsLeft()
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
		first, err := tx.NextBuild(v.Number)
		if err != nil {
			return err
		}
		builds := []store.Build{{Version: v.Number, Nth: first, Does: string(compare.Load), Name: "facts"}}
		for i, s := range compare.Everything(v.Plan) {
			builds = append(builds, store.Build{Version: v.Number, Nth: first + 1 + i, Does: string(s.Do),
				Aspect: s.Aspect, Name: s.Name, Shows: string(s.Shows)})
		}
		return tx.AddBuilds(builds)
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

// EndLoad has what follows from loaded facts derived. It returns the version of the
// design in force, whose steps say how far that is.
func (k *Keeper) EndLoad(ctx context.Context) (int, error) {
	v, err := k.Now(ctx)
	if err != nil {
		return 0, err
	}
	ended := false
	err = k.Store.Write(ctx, func(tx *store.Tx) error {
		ended, err = tx.EndLoad()
		return err
	})
	if err == nil && !ended {
		err = running.Refuse(running.CodeConflict, "no load is under way")
	}
	if err != nil {
		return 0, err
	}
	k.wakeUp()
	return v.Number, k.Reload(ctx)
}
