package engine

import (
	"context"
	"errors"
	"fmt"
	"log/slog"
	"strings"
	"sync"
	"sync/atomic"
	"time"

	"yalvo/internal/design"
	"yalvo/internal/plan"
	"yalvo/internal/store"
)

// Engine runs one app.
type Engine struct {
	store   *store.Store
	log     *slog.Logger
	running atomic.Pointer[running]

	wake     map[plan.Lane]chan struct{} // a worker of the lane has something to do
	settled  broadcast                   // some due work was finished
	owners   owners                      // whose timelines were read lately
	stop     context.CancelFunc
	workers  sync.WaitGroup
	striding stride        // of the audit at hand; only the auditor looks at it
	auditing chan struct{} // an audit was begun
	Patience Patience      // with receivers of what triggers send
	inserted atomic.Int64  // entries written since this process last swept the timelines
}

// running is the design in force, with its plan.
type running struct {
	version int
	plan    *plan.Plan
}

// New makes an engine on a store and takes up the design applied last, if any.
func New(ctx context.Context, s *store.Store, log *slog.Logger) (*Engine, error) {
	e := &Engine{store: s, log: log, wake: map[plan.Lane]chan struct{}{}, auditing: make(chan struct{}, 1), Patience: Patience{10 * time.Second, time.Second}}
	for _, lane := range plan.Lanes {
		e.wake[lane] = make(chan struct{}, 1)
	}
	return e, e.reload(ctx)
}

// reload takes up the newest design, which another service may have applied.
func (e *Engine) reload(ctx context.Context) error {
	d, applied, err := e.store.CurrentDesign(ctx)
	if err != nil || !applied {
		return err
	}
	if now := e.running.Load(); now != nil && now.version == d.Version {
		return nil
	}
	read, err := design.Read(d.File, []byte(d.Source))
	if err != nil {
		return err
	}
	p, err := e.store.Plan(ctx, read)
	if err != nil {
		return err
	}
	e.running.Store(&running{d.Version, p})
	return nil
}

// Plan is the plan in force, or a refusal if no design was applied by this
// service or another one on the database.
func (e *Engine) Plan(ctx context.Context) (*plan.Plan, error) {
	r, err := e.planned(ctx)
	if err != nil {
		return nil, err
	}
	return r.plan, nil
}

// ifPlanned is the design in force, nil if there is none yet: then nothing can
// be due.
func (e *Engine) ifPlanned(ctx context.Context) (*running, error) {
	r, err := e.planned(ctx)
	var none *Refusal
	if errors.As(err, &none) {
		return nil, nil
	}
	return r, err
}

func (e *Engine) planned(ctx context.Context) (*running, error) {
	if r := e.running.Load(); r != nil {
		return r, nil
	}
	if err := e.reload(ctx); err != nil {
		return nil, err
	}
	if r := e.running.Load(); r != nil {
		return r, nil
	}
	return nil, refuse(CodeNoDesign, "no design has been applied yet: run `yalvo apply FILE`")
}

// Applied says what applying a design did.
type Applied struct {
	Version int
	Changed bool
}

// Apply puts a checked design in force. In this release a design can be
// changed until the first document has been written under it.
func (e *Engine) Apply(ctx context.Context, file string, d *design.Design) (Applied, error) {
	if now, applied, err := e.store.CurrentDesign(ctx); err != nil {
		return Applied{}, err
	} else if applied && now.Source == string(d.Source) {
		return Applied{now.Version, false}, e.reload(ctx)
	}
	err := e.store.Write(ctx, func(tx *store.Tx) error {
		if err := tx.LockDesign(); err != nil {
			return err
		}
		if err := fitsWhatIsStored(tx, d); err != nil {
			return err
		}
		return tx.AddDesign(file, string(d.Source))
	})
	if err != nil {
		return Applied{}, err
	}
	if err := e.reload(ctx); err != nil {
		return Applied{}, err
	}
	return Applied{e.running.Load().version, true}, nil
}

// fitsWhatIsStored: a design in use can change in what is not stored.
func fitsWhatIsStored(tx *store.Tx, next *design.Design) error {
	has, err := tx.HasDocuments()
	if err != nil || !has {
		return err
	}
	now, _, err := tx.CurrentDesign()
	if err != nil {
		return err
	}
	running, err := design.Read(now.File, []byte(now.Source))
	if err != nil {
		return fmt.Errorf("the running design cannot be read any more: %w", err)
	}
	differ := design.StoredDifferently(running, next)
	if len(differ) == 0 {
		return nil
	}
	return refuse(CodeDesignHeld, "documents have been written under the running design, and %s would be stored differently: then only triggers and what timelines carry can change yet. Use another database or data folder for the new design", strings.Join(differ, ", "))
}

// Design is the file in force as it was applied, false if there is none.
func (e *Engine) Design(ctx context.Context) (store.Design, bool, error) {
	return e.store.CurrentDesign(ctx)
}

// collection resolves a name of the design.
func (r *running) collection(name string) (*plan.Collection, error) {
	c := r.plan.Collection(name)
	if c == nil {
		return nil, refuse(CodeUnknownName, "the design has no collection %q", name)
	}
	return c, nil
}

func (r *running) pair(name string) (*plan.Pair, error) {
	p := r.plan.Pair(name)
	if p == nil {
		return nil, refuse(CodeUnknownName, "the design has no pair %q", name)
	}
	return p, nil
}

func (r *running) timeline(name string) (*plan.Timeline, error) {
	t := r.plan.Timeline(name)
	if t == nil {
		return nil, refuse(CodeUnknownName, "the design has no timeline %q", name)
	}
	return t, nil
}
