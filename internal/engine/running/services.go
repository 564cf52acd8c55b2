package running

import (
	"context"
	"slices"
	"time"
)

// signed is what a service has shown that it works by.
type signed struct {
	session, version int
	loading          bool
}

// Sign shows other services which version of the design this one works by. The
// session is the one it looks for work with: a new one has to sign anew.
func (a *App) Sign(ctx context.Context, session int) error {
	now := signed{session: session}
	if v := a.inForce.Load(); v != nil {
		now.version, now.loading = v.Number, v.Loading()
	}
	if now == a.signed {
		return nil
	}
	if now.session != a.signed.session { // until then nobody sees it, and waits for it
		a.seen.Store(false)
	}
	err := a.Store.Sign(ctx, a.Name, now.version, now.loading)
	if err == nil {
		a.signed = now
		a.seen.Store(true)
	}
	return err
}

// How long an applied design is waited for, and how often that is looked at.
// Services look for a new one several times a second.
const (
	takeUpPatience = 3 * time.Second
	takeUpLook     = 20 * time.Millisecond
)

// others waits until all services have taken up a version of the design. It
// answers with those that have not.
func (a *App) others(ctx context.Context, version int) ([]string, error) {
	return a.waitForOthers(ctx, func() ([]string, error) { return a.Store.Lagging(ctx, version) })
}

// KnownToLoad waits until all services know that a load is under way, and answers with
// those that do not.
func (a *App) KnownToLoad(ctx context.Context) ([]string, error) {
	return a.waitForOthers(ctx, func() ([]string, error) { return a.Store.NotLoading(ctx) })
}

func (a *App) waitForOthers(ctx context.Context, lagging func() ([]string, error)) ([]string, error) {
	deadline := time.Now().Add(takeUpPatience)
	for {
		lag, err := lagging()
		if err != nil {
			return nil, err
		}
		lag = slices.DeleteFunc(lag, func(name string) bool { return name == a.Name })
		if len(lag) == 0 || time.Now().After(deadline) {
			return lag, nil
		}
		select {
		case <-time.After(takeUpLook):
		case <-ctx.Done():
			return lag, ctx.Err()
		}
	}
}
