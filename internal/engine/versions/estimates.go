package versions

import (
	"context"
	"errors"
	"time"

	"yalvo/internal/design/compare"
	"yalvo/internal/design/plan"
	"yalvo/internal/engine/running"
	"yalvo/internal/engine/store"
	"yalvo/internal/engine/store/versionsql"
)

// time says how long the steps of a comparison would take: a stretch of each is
// done, timed and undone.
func (k *Keeper) time(ctx context.Context, c *compare.Comparison, base int, d *Difference) error {
	if base == 0 {
		return nil
	}
	for _, s := range c.Steps {
		if s.IfMisfits || s.Do == compare.Sweep {
			continue
		}
		p, err := k.timed(ctx, c, s, d)
		if err != nil {
			return err
		}
		d.Steps = append(d.Steps, p)
		d.Seconds += p.Seconds
	}
	return nil
}

func (k *Keeper) timed(ctx context.Context, c *compare.Comparison, s compare.Step, d *Difference) (Planned, error) {
	p := Planned{Does: string(s.Do), Name: s.Name, Aspect: string(s.Aspect), Shows: string(s.Shows)}
	err := k.Store.Upkeep(ctx, func(tx *store.Tx) error {
		future, err := lookUp(tx, c)
		if err != nil {
			return err
		}
		b := versionsql.Build{Does: string(s.Do), Aspect: s.Aspect, Name: s.Name, Shows: string(s.Shows)}
		try := step{Version: &running.Version{Plan: future, Rewrites: nextForm(future, c)}, tx: tx, build: &b, ctx: ctx,
			width: triedWidth, swept: &sweeping{}}
		if err := try.count(); err != nil {
			return err
		}
		p.Many = b.Total
		began := time.Now()
		if s.Aspect == plan.AspectTimeline { // there may be nothing posted under its number yet
			p.Many, b.Rows = d.manyEntries(s.Name), triedEntries
			err = versionsql.TryEntries(tx, triedEntries)
		} else {
			_, err = try.some()
		}
		if took := time.Since(began).Seconds(); b.Rows > 0 && took > 0 {
			p.Rate = float64(b.Rows) / took
			p.Seconds = float64(p.Many) / p.Rate
		}
		return errors.Join(err, errUndone)
	})
	if errs, is := err.(interface{ Unwrap() []error }); is && len(errs.Unwrap()) == 1 {
		err = nil // but that it was undone
	}
	return p, err
}

// triedEntries is how many entries are written to see how long that takes.
const triedEntries = 5000

// manyEntries is how many entries a timeline is to have.
func (d *Difference) manyEntries(name string) int64 {
	for _, c := range d.Changes {
		if c.Kind == "timeline" && c.Name == name && len(c.Effects) > 0 {
			return c.Effects[0].Many
		}
	}
	return 0
}

// lookUp is the plan of the new design with the numbers that names have; those that
// they would get anew are numbers of nothing.
func lookUp(tx *store.Tx, c *compare.Comparison) (*plan.Plan, error) {
	was := map[versionsql.Named]string{}
	for _, r := range c.Renames {
		was[versionsql.Named{Kind: r.Kind, Name: r.To}] = r.From
	}
	for _, r := range c.Retired {
		was[versionsql.Named{Kind: r.Kind, Name: r.Name}] = ""
	}
	return versionsql.LookUp(tx, c.To, was)
}

// nextForm has a plan's collections and pairs be in the form that they would have.
func nextForm(p *plan.Plan, c *compare.Comparison) map[string]*compare.Rewrite {
	for name, r := range c.Rewrites {
		if !r.Needed {
			continue
		}
		if col := p.Collection(name); col != nil {
			col.Shape++
		} else if pair := p.Pair(name); pair != nil {
			pair.Shape++
		}
	}
	return c.Rewrites
}
