package running

import (
	"context"

	"yalvo/internal/engine/store"
	"yalvo/internal/engine/store/versionsql"
)

// Applied says what applying a design did.
type Applied struct {
	Version int
	Changed bool
	Steps   int      // that are to be done to what is stored, in the background
	Without []string // services that have not taken it up yet
}

// TakenUp is the answer when this service and the others work by the newest design.
func (a *App) TakenUp(ctx context.Context, changed bool) (Applied, error) {
	if err := a.Reload(ctx); err != nil {
		return Applied{}, err
	}
	v := a.inForce.Load()
	without, err := a.others(ctx, v.Number)
	return Applied{v.Number, changed, len(v.Builds), without}, err
}

// Design is the file in force, false if there is none.
func (a *App) Design(ctx context.Context) (store.Design, bool, error) {
	return versionsql.CurrentDesign(a.Store.Looking(ctx))
}
