package proof

import (
	"context"
	"errors"
	"fmt"
	"log/slog"
	"slices"
	"strings"
	"time"

	"yalvo/internal/design/plan"
	"yalvo/internal/engine/running"
	"yalvo/internal/engine/store"
	"yalvo/internal/engine/store/auditsql"
	"yalvo/internal/engine/store/factsql"
	"yalvo/internal/engine/store/queuesql"
	"yalvo/internal/engine/store/readsql"
	"yalvo/internal/engine/store/versionsql"
)

// auditView is how long an audit holds on to one view of the database, and
// with it row versions that would be cleared away.
const auditView = 100 * time.Millisecond

// lookEvery is how often an idle auditor looks for what others have begun, and
// whether an audit is scheduled.
const lookEvery = time.Second

// lookAgainIn is how soon an auditor that waits for due work looks again.
const lookAgainIn = 50 * time.Millisecond

// auditor carries on with audits, and ends forgetting.
func (p *Prover) auditor(ctx context.Context) {
	for ctx.Err() == nil {
		pause, err := p.auditTurn(ctx)
		if err == nil && pause > 0 {
			err = p.besideAudits(ctx, &pause)
		}
		if err != nil && ctx.Err() == nil {
			p.Trouble("audit", err)
			pause = lookEvery
		}
		if pause == 0 {
			continue
		}
		select {
		case <-p.wake:
		case <-time.After(pause):
		case <-ctx.Done():
		}
	}
}

// besideAudits does what there is to do while no audit can go on.
func (p *Prover) besideAudits(ctx context.Context, pause *time.Duration) error {
	more, err := p.finishForgetting(ctx)
	if err == nil && !more {
		return p.auditIfDue(ctx)
	}
	*pause = 0
	return err
}

func (p *Prover) wakeAuditor() {
	select {
	case p.wake <- struct{}{}:
	default:
	}
}

// auditTurn takes one audit a step further, and tells how long to wait before
// the next.
func (p *Prover) auditTurn(ctx context.Context) (time.Duration, error) {
	v, err := p.IfAny(ctx)
	if err != nil || v == nil {
		return lookEvery, err
	}
	var a auditsql.Audit
	var there bool
	err = p.Store.View(ctx, func(tx *store.Tx) error {
		if a, there, err = auditsql.ClaimAudit(tx); err != nil || !there {
			return err
		}
		if err := inForce(tx, v); err != nil {
			return err
		}
		began := time.Now()
		for a.State == auditsql.AuditRunning && a.Step < a.Steps && time.Since(began) < auditView {
			if err := p.auditSome(ctx, v, tx, &a); err != nil {
				return err
			}
		}
		return nil
	})
	pause := time.Duration(0)
	// mending needs to see what others commit meanwhile
	if there && err == nil && a.State == auditsql.AuditRunning && a.Step >= a.Steps {
		err = p.Store.Write(ctx, func(tx *store.Tx) error {
			more, err := p.mendSome(ctx, v, tx)
			if !more {
				pause = lookAgainIn
			}
			return err
		})
	}
	if there && err == nil {
		p.logAudit(ctx, a.ID)
	}
	switch {
	case errors.Is(err, running.ErrMoved):
		return 0, p.Reload(ctx)
	case err != nil && there && ctx.Err() == nil:
		return 0, errors.Join(err, p.failAudit(ctx, a, err))
	case !there:
		pause = lookEvery
	}
	return pause, err
}

// logAudit says once that an audit has ended, and with what.
func (p *Prover) logAudit(ctx context.Context, id int64) {
	a, there, err := auditsql.FindAudit(ctx, p.Store, id)
	if err != nil || !there || a.State != auditsql.AuditFinished {
		return
	}
	level, what := slog.LevelInfo, "an audit has ended: no drift"
	if a.Drifted > 0 {
		level, what = slog.LevelWarn, "an audit has ended: it has found drift"
	}
	p.Log.Log(ctx, level, what, "audit", a.ID, "checked", a.Checked, "drifted", a.Drifted, "mending", a.Mending)
}

// inForce gives a transaction up if its version of the design is not in force.
func inForce(tx *store.Tx, v *running.Version) error {
	version, err := versionsql.DesignInForce(tx)
	if err == nil && version != v.Number {
		err = running.ErrMoved
	}
	return err
}

func (p *Prover) failAudit(ctx context.Context, a auditsql.Audit, cause error) error {
	now := time.Now()
	a.State, a.Ended, a.Error = auditsql.AuditFailed, &now, queuesql.InWords(cause)
	p.Log.Error("an audit has failed", "audit", a.ID, "error", cause)
	return p.Store.Write(ctx, func(tx *store.Tx) error { return auditsql.SaveAudit(tx, a) })
}

func endAudit(tx *store.Tx, a *auditsql.Audit) error {
	now := time.Now()
	a.State, a.Ended, a.Step = auditsql.AuditFinished, &now, a.Steps
	if err := readsql.BeginRewritten(tx); err != nil { // readers see what it saw, whoever wrote it
		return err
	}
	return auditsql.SaveAudit(tx, *a)
}

// leaveOut notes that something is being derived anew, and goes on after it.
func leaveOut(tx *store.Tx, a *auditsql.Audit, name string) error {
	if names := strings.Split(a.LeftOut, ", "); !slices.Contains(names, name) {
		a.LeftOut = strings.TrimPrefix(a.LeftOut+", "+name, ", ")
	}
	a.Step, a.Reached = a.Step+1, 0
	if a.Step == a.Steps && !(a.Mending && a.Drifted > 0) {
		return endAudit(tx, a)
	}
	return auditsql.SaveAudit(tx, *a)
}

// errOtherDesign is why an audit ends that another design has overtaken.
var errOtherDesign = errors.New("the design has changed while it ran: audit again")

// auditSome walks one span of one duplicate.
func (p *Prover) auditSome(ctx context.Context, v *running.Version, tx *store.Tx, a *auditsql.Audit) error {
	if v.Number != a.Design {
		if other, err := versionsql.BuildsAfter(tx, a.Design); err != nil || other {
			return errors.Join(err, errOtherDesign)
		}
	}
	what, err := p.inScope(ctx, v, Scope{Name: a.Name, Document: a.Document})
	var gone *running.Refusal
	if errors.As(err, &gone) {
		return endAudit(tx, a) // the document went away meanwhile, and what it held with it
	}
	if err != nil {
		return err
	}
	if a.Step >= len(what.walks) {
		return endAudit(tx, a)
	}
	w := what.walks[a.Step]
	if v.IsBuilding(w.Duplicate) {
		return leaveOut(tx, a, w.Name)
	}
	l, err := p.look(ctx, v, tx, *a, w, what.only)
	if err != nil {
		return fmt.Errorf("checking %s %s: %w", w.Kind, w.Name, err)
	}
	found, err := p.report(ctx, v, tx, a.ID, w.Duplicate, l.found)
	if err != nil {
		return err
	}
	a.Checked += l.rows
	a.Drifted += int64(len(found))
	a.Reached = l.reached
	if l.last {
		a.Step, a.Reached = a.Step+1, 0
	}
	if a.Step == a.Steps && !(a.Mending && a.Drifted > 0) {
		return endAudit(tx, a)
	}
	return auditsql.SaveAudit(tx, *a)
}

// looked is what a look at a stretch of a walk has found.
type looked struct {
	found   []auditsql.Drift
	rows    int64 // how many were compared
	reached int64
	last    bool
}

// look compares the next stretch of a walk; while no client wants anything the
// one after it too, at the same time.
func (p *Prover) look(ctx context.Context, v *running.Version, tx *store.Tx, a auditsql.Audit, w walk,
	only int64) (looked, error) {
	first, err := p.next(tx, a.ID, a.Reached, w, only)
	if err != nil {
		return looked{}, err
	}
	if first.last || !p.Store.Quiet() {
		l, err := lookAt(v, tx, w, first, only)
		p.adjust(w.Duplicate, l.rows)
		return l, err
	}
	after, err := p.next(tx, a.ID, first.span.UpTo, w, only)
	if err != nil {
		return looked{}, err
	}
	beside, failed := make(chan looked, 1), make(chan error, 1)
	go func() {
		var l looked
		err := p.Store.View(ctx, func(tx *store.Tx) (err error) {
			if err = inForce(tx, v); err == nil {
				l, err = lookAt(v, tx, w, after, only)
			}
			return err
		})
		beside <- l
		failed <- err
	}()
	l, err := lookAt(v, tx, w, first, only)
	other := <-beside
	p.adjust(w.Duplicate, l.rows)
	return looked{append(l.found, other.found...), l.rows + other.rows, other.reached, other.last},
		errors.Join(err, <-failed)
}

func lookAt(v *running.Version, tx *store.Tx, w walk, s stretch, only int64) (looked, error) {
	found, checked, err := checkWalk(v, tx, w, s.span, only)
	return looked{found, max(s.documents, checked), s.span.UpTo, s.last}, err
}

func checkWalk(v *running.Version, tx *store.Tx, w walk, span store.Span, only int64) ([]auditsql.Drift, int64, error) {
	if w.into {
		return checkContributionsTo(tx, w.Summary, only, span)
	}
	return check(v, tx, w.Duplicate, span)
}

// report names what was found and notes it, but for what only follows from
// drift found before in what it is derived from.
func (p *Prover) report(ctx context.Context, v *running.Version, tx *store.Tx, audit int64, d plan.Duplicate,
	found []auditsql.Drift) ([]auditsql.Drift, error) {
	if len(found) == 0 {
		return nil, nil
	}
	own, err := unexplained(tx, audit, d, found)
	if err != nil || len(own) == 0 {
		return nil, err
	}
	var ns []int64
	for i := range own {
		own[i].Aspect, own[i].Name = d.Kind, d.Name
		ns = append(ns, own[i].Doc, own[i].Other)
	}
	paths, err := pathsOf(v, tx, ns)
	if err != nil {
		return nil, err
	}
	for i := range own {
		own[i].Path, own[i].OtherPath = paths[own[i].Doc], paths[own[i].Other]
		if err := p.since(ctx, d, &own[i]); err != nil {
			return nil, err
		}
	}
	return own, auditsql.AddDrift(tx, audit, own)
}

// pathsOf are the paths of documents by their row numbers; those that are gone
// have none.
func pathsOf(v *running.Version, tx *store.Tx, ns []int64) (map[int64]string, error) {
	slices.Sort(ns)
	docs, err := factsql.Numbered(tx, slices.Compact(ns))
	if err != nil {
		return nil, err
	}
	paths := make(map[int64]string, len(docs))
	for _, d := range docs {
		if c := v.Plan.CollectionNumbered(d.Collection); c != nil {
			paths[d.N] = c.Path(d.Key)
		}
	}
	return paths, nil
}
