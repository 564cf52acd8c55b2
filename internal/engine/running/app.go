package running

import (
	"context"
	"errors"
	"log/slog"
	"sync"
	"sync/atomic"
	"time"

	"yalvo/internal/design"
	"yalvo/internal/design/access"
	"yalvo/internal/design/language"
	"yalvo/internal/engine/metering"
	"yalvo/internal/engine/store"
	"yalvo/internal/engine/store/versionsql"
)

// App is the app that a service runs.
type App struct {
	Name string // the service's, for other services and messages
	// Provided: an identity provider signs accounts in, by ids that it gives.
	Provided bool
	Store    *store.Store
	Log      *slog.Logger
	Meter    *metering.Meter
	Sizes    map[string]int // of memories that are of another size than usual: to measure what each gains
	Signals

	inForce   atomic.Pointer[Version]
	reloading sync.Mutex // so that an older version never follows a newer one
	compared  compared   // under its lock
	outage    outage
	pulse     pulse
	full      atomic.Bool // the database has had no room left
	signed    signed
	seen      atomic.Bool  // other services see that it is there: see [App.Sign]
	given     atomic.Int64 // see Gave
	lookedAt  atomic.Int64 // see looked
}

// Remember is of how much a memory remembers, usually of so much.
func (a *App) Remember(memory string, usual int) int {
	if size, is := a.Sizes[memory]; is {
		return size
	}
	return usual
}

// Gave notes that a position has been given out: nobody who asks for it needs to be looked up.
func (a *App) Gave(position int64) {
	for known := a.given.Load(); known < position && !a.given.CompareAndSwap(known, position); {
		known = a.given.Load()
	}
}

// Given tells whether a position is known to have been given out, or a later one.
func (a *App) Given(position int64) bool { return position <= a.given.Load() }

// New makes an app on a store and takes up the design applied last, if any.
func New(ctx context.Context, name string, s *store.Store, log *slog.Logger) (*App, error) {
	a := &App{Name: name, Store: s, Log: log, Meter: metering.New(), Signals: newSignals()}
	return a, a.Reload(ctx)
}

// Reload takes up the newest design, which another service may have applied.
func (a *App) Reload(ctx context.Context) error {
	onceOf(ctx).drop()
	a.reloading.Lock()
	defer a.reloading.Unlock()
	at := time.Now()
	d, applied, err := versionsql.CurrentDesign(a.Store.Looking(ctx))
	if err != nil || !applied {
		return err
	}
	left, err := versionsql.BuildsLeft(a.Store.Looking(ctx))
	if err != nil {
		return err
	}
	now := a.inForce.Load()
	same := now != nil && now.Number == d.Version
	if now != nil && now.Number > d.Version || same && sameSteps(now.Builds, left) {
		a.looked(at)
		return nil
	}
	var read *design.Design
	if same { // there are other steps left of it, that is all
		read = now.Plan.Design
	} else if read, err = language.Read(d.File, []byte(d.Source)); err != nil {
		return err
	}
	p, err := versionsql.Plan(a.Store.Looking(ctx), read)
	if err != nil {
		return err
	}
	v := &Version{Number: d.Version, Plan: p, Law: access.New(read), Builds: left}
	if err := a.prepare(ctx, v); err != nil {
		return err
	}
	a.inForce.Store(v)
	a.looked(at)
	return nil
}

// TakeUp is [App.Reload] if the design was seen, after a moment, to have moved on to a version, or so
// many steps to be left of what it asks for.
func (a *App) TakeUp(ctx context.Context, at time.Time, version, steps int) error {
	v := a.inForce.Load()
	if version == 0 || v != nil && (v.Number > version || v.Number == version && len(v.Builds) == steps) {
		a.looked(at)
		return nil
	}
	return a.Reload(ctx)
}

// Now is the version in force, or a refusal if no design was applied by this
// service or another one on the database.
func (a *App) Now(ctx context.Context) (*Version, error) {
	v, err := a.IfAny(ctx)
	if err == nil && v == nil {
		err = Refuse(CodeNoDesign, "no design has been applied yet: run `yalvo apply FILE`")
	}
	return v, err
}

// IfAny is the version in force, nil if there is none yet: then nothing can be
// due. A request that has one goes on with it: see [OneVersion].
func (a *App) IfAny(ctx context.Context) (*Version, error) {
	return onceOf(ctx).take(func() (*Version, error) {
		if v := a.inForce.Load(); v != nil && a.leased() {
			return v, nil
		}
		if a.inForce.Load() == nil {
			err := a.Reload(ctx)
			return a.inForce.Load(), err
		}
		err := a.lookAgain(ctx)
		return a.inForce.Load(), err
	})
}

// ErrMoved is why a transaction is given up that was planned with a version of
// the design that is no longer in force. It is planned anew and tried again.
var ErrMoved = errors.New("the design has changed")
