package album

import (
	"context"
	"time"

	"yalvo/internal/engine/pictures"
	"yalvo/internal/engine/store"
	"yalvo/internal/engine/store/picturesql"
)

// How often it is looked for pictures that nothing refers to, and for files that nothing is known of.
const (
	sweepEvery       = 5 * time.Second
	lookThroughEvery = 24 * time.Hour
	atOnce           = 100
)

// Sweep takes pictures away that nothing refers to, until the context ends.
func (a *Album) Sweep(ctx context.Context) {
	if a.files == nil {
		return
	}
	tick := time.NewTicker(sweepEvery)
	defer tick.Stop()
	for lookedThrough := (time.Time{}); ; {
		if err := a.SweepNow(ctx); err != nil && ctx.Err() == nil {
			a.Trouble("sweeping pictures", err)
		}
		if time.Since(lookedThrough) > lookThroughEvery {
			lookedThrough = time.Now()
			if err := a.TakeUp(ctx); err != nil && ctx.Err() == nil {
				a.Trouble("taking up pictures that were brought along", err)
			}
		}
		select {
		case <-ctx.Done():
			return
		case <-tick.C:
		}
	}
}

// SweepNow takes those away that are known to be referred to no more.
func (a *Album) SweepNow(ctx context.Context) error {
	if a.files == nil {
		return nil
	}
	for {
		ids, err := picturesql.LoosePictures(ctx, a.Store, uploadAge, atOnce)
		if err != nil {
			return err
		}
		for _, id := range ids {
			if err := a.drop(ctx, id); err != nil {
				return err
			}
		}
		if len(ids) < atOnce {
			return nil
		}
	}
}

// drop takes a picture away unless something refers to it. Its files go first: without them
// it is as if it were not there, and sent again it is made anew.
func (a *Album) drop(ctx context.Context, id string) error {
	return a.Store.Write(ctx, func(tx *store.Tx) error {
		if err := picturesql.LockPicture(tx, id); err != nil {
			return err
		}
		gone, err := picturesql.DropPicture(tx, id)
		if err != nil || !gone {
			return err
		}
		for _, size := range pictures.Sizes {
			if err := a.files.Remove(fileName(id, size)); err != nil {
				return err
			}
		}
		return nil
	})
}

// Forget takes away what forgotten accounts have uploaded and no document refers to, and
// whatever has come to be referred to by none.
func (a *Album) Forget(ctx context.Context, forgotten int64) error {
	v, err := a.Now(ctx)
	if err != nil {
		return err
	}
	if accounts := v.Plan.Design.Accounts; accounts != nil {
		err = a.Store.Write(ctx, func(tx *store.Tx) error {
			return picturesql.ForgetUploads(tx, forgotten, v.Plan.Collection(accounts.Name))
		})
		if err != nil {
			return err
		}
	}
	return a.SweepNow(ctx)
}
