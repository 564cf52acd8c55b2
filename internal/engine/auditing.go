package engine

import (
	"context"
	"encoding/json"
	"errors"
	"fmt"
	"slices"
	"strings"
	"time"

	"yalvo/internal/design"
	"yalvo/internal/plan"
	"yalvo/internal/store"
)

// Scope is what an audit looks at: everything, one duplicate of the design by
// its name, or what one document holds.
type Scope struct {
	Name     string // "members.follower_count", "home", "follow"; empty: all
	Document string // a path; empty: all
	Mend     bool   // mend what is found
}

// audited is a scope made ready: what to walk, and where.
type audited struct {
	walks []walk
	only  int64 // one document's row number, 0 for all
}

// walk is one duplicate's turn in an audit.
type walk struct {
	plan.Duplicate
	into bool // of one document: the sources of its summary are walked, not the document itself
}

// Audit begins to compare stored duplicates with the facts. It runs in the
// background, in batches on consistent views, while writes go on.
func (e *Engine) Audit(ctx context.Context, scope Scope) (store.Audit, error) {
	r, err := e.planned(ctx)
	if err != nil {
		return store.Audit{}, err
	}
	what, err := e.inScope(ctx, r, scope)
	if err != nil {
		return store.Audit{}, err
	}
	a, err := e.store.AddAudit(ctx, store.Audit{Name: scope.Name, Document: scope.Document, Mending: scope.Mend, Steps: len(what.walks)})
	e.wakeAuditor()
	return a, err
}

func (e *Engine) inScope(ctx context.Context, r *running, scope Scope) (audited, error) {
	all := r.plan.Duplicates()
	named := all
	if scope.Name != "" {
		named = slices.DeleteFunc(slices.Clone(all), func(d plan.Duplicate) bool { return d.Name != scope.Name })
		if len(named) == 0 {
			return audited{}, refuse(CodeUnknownName, "the design has no duplicate %q: there are %s", scope.Name, strings.Join(namesOf(all), ", "))
		}
	}
	if scope.Document == "" {
		return audited{walks: walksOf(named, nil)}, nil
	}
	c, key, err := r.locate(scope.Document)
	if err != nil {
		return audited{}, err
	}
	what := audited{walks: walksOf(named, c)}
	if what.only, err = e.number(ctx, c, key); err != nil {
		return what, err
	}
	if len(what.walks) == 0 {
		return what, refuse(CodeUnknownName, "%s holds no %q", scope.Document, scope.Name)
	}
	return what, nil
}

// walksOf are the walks through some duplicates; of one document, if a
// collection is given, through what it holds and what adds up to that.
func walksOf(duplicates []plan.Duplicate, of *plan.Collection) []walk {
	var walks []walk
	for _, d := range duplicates {
		if of == nil || d.Walked == of {
			walks = append(walks, walk{Duplicate: d})
		}
		if of != nil && d.Kind == plan.Weighed && d.Summary.In == of {
			walks = append(walks, walk{d, true})
		}
	}
	return walks
}

func namesOf(duplicates []plan.Duplicate) []string {
	var names []string
	for _, d := range duplicates {
		if !slices.Contains(names, d.Name) {
			names = append(names, d.Name)
		}
	}
	return names
}

// locate finds the collection and the key that a path means.
func (r *running) locate(path string) (*plan.Collection, string, error) {
	parts := strings.Split(strings.Trim(path, "/"), "/")
	if len(parts) < 2 || len(parts)%2 != 0 {
		return nil, "", refuse(CodeInvalid, "%q is no path of a document: write collection/id", path)
	}
	c, err := r.collection(parts[len(parts)-2])
	if err != nil {
		return nil, "", err
	}
	var ids []string
	for i := 1; i < len(parts); i += 2 {
		ids = append(ids, parts[i])
	}
	key := strings.Join(ids, "/")
	if _, wrong := c.ParseKey(key); wrong != "" || c.Path(key) != strings.Trim(path, "/") {
		return nil, "", refuse(CodeNotFound, "there is no document %s", path)
	}
	return c, key, nil
}

// auditView is how long an audit holds on to one view of the database, and
// with it row versions that would be cleared away.
const auditView = 100 * time.Millisecond

// How many documents one step of an audit walks.
const (
	auditDocuments = 2000
	auditSources   = 500
	auditOwners    = 250
	auditInto      = 20_000 // sources of one document
)

// stride is how many documents the next step of an audit walks. Where they
// hold little, more of them are walked at a time.
type stride struct {
	audit int64
	name  string
	kind  plan.Aspect
	width int
}

const (
	strideRows = 20_000 // what a step should compare at least
	strideMost = 20_000
)

func (e *Engine) stride(audit int64, d plan.Duplicate) int {
	if s := e.striding; s.audit == audit && s.name == d.Name && s.kind == d.Kind {
		return s.width
	}
	e.striding = stride{audit, d.Name, d.Kind, firstStride(d.Kind)}
	return e.striding.width
}

func (e *Engine) adjust(d plan.Duplicate, rows int64) {
	if rows < strideRows && d.Kind != plan.Weighed {
		e.striding.width = min(2*e.striding.width, strideMost)
	}
}

func firstStride(aspect plan.Aspect) int {
	switch aspect {
	case plan.Entered, plan.Posted:
		return auditOwners
	case plan.Weighed, plan.ChosenFrom:
		return auditSources
	}
	return auditDocuments
}

// auditor carries on with audits, whoever began them.
func (e *Engine) auditor(ctx context.Context) {
	for ctx.Err() == nil {
		more, err := e.auditTurn(ctx)
		if err == nil && !more {
			more, err = e.finishForgetting(ctx)
		}
		if err != nil && ctx.Err() == nil {
			e.log.Error("audit", "error", err)
		}
		if more && err == nil {
			continue
		}
		select {
		case <-e.auditing:
		case <-time.After(time.Second):
		case <-ctx.Done():
		}
	}
}

func (e *Engine) wakeAuditor() {
	select {
	case e.auditing <- struct{}{}:
	default:
	}
}

// auditTurn takes one audit a step further. It tells whether there was one.
func (e *Engine) auditTurn(ctx context.Context) (bool, error) {
	r, err := e.ifPlanned(ctx)
	if err != nil || r == nil {
		return false, err
	}
	var a store.Audit
	var there, mending bool
	err = e.store.View(ctx, func(tx *store.Tx) error {
		var err error
		if a, there, err = tx.ClaimAudit(); err != nil || !there {
			return err
		}
		for began := time.Now(); a.State == store.AuditRunning && time.Since(began) < auditView; {
			if mending = a.Step >= a.Steps; mending {
				break // that needs to see what others commit meanwhile
			}
			if err := e.auditSome(ctx, r, tx, &a); err != nil {
				return err
			}
		}
		return nil
	})
	if there && mending && err == nil {
		err = e.store.Write(ctx, func(tx *store.Tx) error { return e.mendSome(ctx, r, tx) })
	}
	if err != nil && there && ctx.Err() == nil {
		return true, errors.Join(err, e.failAudit(ctx, a, err))
	}
	return there, err
}

func (e *Engine) failAudit(ctx context.Context, a store.Audit, cause error) error {
	now := time.Now()
	a.State, a.Ended, a.Error = store.AuditFailed, &now, cause.Error()
	return e.store.Write(ctx, func(tx *store.Tx) error { return tx.SaveAudit(a) })
}

// auditSome walks one span of one duplicate.
func (e *Engine) auditSome(ctx context.Context, r *running, tx *store.Tx, a *store.Audit) error {
	what, err := e.inScope(ctx, r, Scope{Name: a.Name, Document: a.Document})
	var gone *Refusal
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
	d := w.Duplicate
	span, many, last, err := e.spanOf(tx, a, w, what.only)
	if err != nil {
		return err
	}
	found, checked, err := r.checkWalk(tx, w, span, what.only)
	if err != nil {
		return fmt.Errorf("checking %s %s: %w", d.Kind, d.Name, err)
	}
	if found, err = e.report(ctx, r, tx, a.ID, d, found); err != nil {
		return err
	}
	e.adjust(d, max(many, checked))
	a.Checked += max(many, checked)
	a.Drifted += int64(len(found))
	a.Reached = span.UpTo
	if last {
		a.Step, a.Reached = a.Step+1, 0
	}
	if a.Step == a.Steps && !(a.Mending && a.Drifted > 0) {
		return endAudit(tx, a)
	}
	return tx.SaveAudit(*a)
}

// spanOf is the next span of a walk: how many rows it has, and whether it is the last.
func (e *Engine) spanOf(tx *store.Tx, a *store.Audit, w walk, only int64) (store.Span, int64, bool, error) {
	var span store.Span
	var many int64
	var err error
	limit := auditInto
	switch {
	case w.into:
		span, many, err = tx.SourceSpan(w.Summary, only, a.Reached, limit)
	case only != 0:
		return store.Span{After: only - 1, UpTo: only}, 1, true, nil
	default:
		limit = e.stride(a.ID, w.Duplicate)
		span, many, err = tx.Span(w.Walked.Number, a.Reached, limit)
	}
	return span, many, many < int64(limit), err
}

func (r *running) checkWalk(tx *store.Tx, w walk, span store.Span, only int64) ([]store.Drift, int64, error) {
	if w.into {
		return checkContributionsTo(tx, w.Summary, only, span)
	}
	return r.check(tx, w.Duplicate, span)
}

func endAudit(tx *store.Tx, a *store.Audit) error {
	now := time.Now()
	a.State, a.Ended, a.Step = store.AuditFinished, &now, a.Steps
	return tx.SaveAudit(*a)
}

// report names what was found and notes it, but for what only follows from
// drift found before in what it is derived from.
func (e *Engine) report(ctx context.Context, r *running, tx *store.Tx, audit int64, d plan.Duplicate, found []store.Drift) ([]store.Drift, error) {
	if len(found) == 0 {
		return nil, nil
	}
	own, err := unexplained(tx, audit, d, found)
	if err != nil {
		return nil, err
	}
	var ns []int64
	for i := range own {
		own[i].Aspect, own[i].Name = d.Kind, d.Name
		ns = append(ns, own[i].Doc, own[i].Other)
	}
	paths, err := r.paths(tx, ns)
	if err != nil {
		return nil, err
	}
	for i := range own {
		own[i].Path, own[i].OtherPath = paths[own[i].Doc], paths[own[i].Other]
		if err := e.date(ctx, d, &own[i]); err != nil {
			return nil, err
		}
	}
	return own, tx.AddDrift(audit, own)
}

// paths are the paths of documents by their row numbers; those that are gone
// have none.
func (r *running) paths(tx *store.Tx, ns []int64) (map[int64]string, error) {
	slices.Sort(ns)
	docs, err := tx.Numbered(slices.Compact(ns))
	if err != nil {
		return nil, err
	}
	paths := make(map[int64]string, len(docs))
	for _, d := range docs {
		if c := r.plan.CollectionNumbered(d.Collection); c != nil {
			paths[d.N] = c.Path(d.Key)
		}
	}
	return paths, nil
}

// Audits are the newest audits.
func (e *Engine) Audits(ctx context.Context, limit int) ([]store.Audit, error) {
	return e.store.Audits(ctx, limit)
}

// AuditState reads an audit.
func (e *Engine) AuditState(ctx context.Context, id int64) (store.Audit, error) {
	a, found, err := e.store.Audit(ctx, id)
	if err == nil && !found {
		err = refuse(CodeNotFound, "there is no audit %d", id)
	}
	return a, err
}

// Drift is what an audit has found.
func (e *Engine) Drift(ctx context.Context, id, after int64, limit int) ([]store.Drift, error) {
	if _, err := e.AuditState(ctx, id); err != nil {
		return nil, err
	}
	found, err := e.store.DriftOf(ctx, id, after, false, limit)
	if err != nil {
		return nil, err
	}
	return found, e.inWords(ctx, found)
}

// inWords replaces what only the database understands, places in an order and
// row numbers, by times and paths.
func (e *Engine) inWords(ctx context.Context, found []store.Drift) error {
	r, err := e.planned(ctx)
	if err != nil {
		return err
	}
	for i := range found {
		f := &found[i]
		d, there := r.plan.Duplicate(f.Aspect, f.Name)
		if !there {
			continue
		}
		if f.Stored, err = e.valueInWords(ctx, d, f.Kind, f.Stored); err != nil {
			return err
		}
		if f.Expected, err = e.valueInWords(ctx, d, f.Kind, f.Expected); err != nil {
			return err
		}
	}
	return nil
}

func (e *Engine) valueInWords(ctx context.Context, d plan.Duplicate, kind string, raw json.RawMessage) (json.RawMessage, error) {
	if len(raw) == 0 || string(raw) == "null" {
		return raw, nil
	}
	switch {
	case d.Kind == plan.Entered && kind != "short":
		var entry entryFound
		if err := json.Unmarshal(raw, &entry); err != nil {
			return nil, err
		}
		keys, err := e.store.Keys(ctx, []int64{entry.Author})
		if err != nil {
			return nil, err
		}
		return json.Marshal(map[string]any{d.Timeline.By.Name: keys[entry.Author], "at": placeInWords(d.Timeline, entry.Rank)})
	case d.Kind == plan.Posted:
		rank, err := json.Number(raw).Int64()
		if err != nil {
			return nil, err
		}
		return json.Marshal(placeInWords(d.Timeline, rank))
	case d.Kind == plan.Weighed && (d.Summary.Kind == design.Latest || d.Summary.Kind == design.Gather || d.Summary.Timed()):
		micros, err := json.Number(raw).Int64()
		if err != nil {
			return nil, err
		}
		return json.Marshal(design.FormatTime(time.UnixMicro(micros)))
	}
	return raw, nil
}

func placeInWords(t *plan.Timeline, rank int64) any {
	if t.Order != nil && t.Order.Type == design.Integer {
		return rank
	}
	return design.FormatTime(time.UnixMicro(rank))
}

// StopAudit halts a running audit where it is; ResumeAudit lets it go on.
func (e *Engine) StopAudit(ctx context.Context, id int64) (store.Audit, error) {
	return e.moveAudit(ctx, id, store.AuditRunning, store.AuditStopped)
}

// ResumeAudit lets a stopped audit go on.
func (e *Engine) ResumeAudit(ctx context.Context, id int64) (store.Audit, error) {
	return e.moveAudit(ctx, id, store.AuditStopped, store.AuditRunning)
}

func (e *Engine) moveAudit(ctx context.Context, id int64, from, to string) (store.Audit, error) {
	a, err := e.AuditState(ctx, id)
	if err != nil {
		return a, err
	}
	moved, err := e.store.SetAuditState(ctx, id, from, to)
	if err != nil {
		return a, err
	}
	if !moved {
		return a, refuse(CodeConflict, "audit %d is %s, not %s", id, a.State, from)
	}
	e.wakeAuditor()
	return e.AuditState(ctx, id)
}

// settingSchedule holds how often everything is audited.
const settingSchedule = "audit_every"

// AuditSchedule is how often everything is audited by itself, 0 for never.
func (e *Engine) AuditSchedule(ctx context.Context) (time.Duration, error) {
	text, err := e.store.Setting(ctx, settingSchedule)
	if err != nil || text == "" {
		return 0, err
	}
	return time.ParseDuration(text)
}

// ScheduleAudit sets how often everything is audited by itself; 0 for never.
func (e *Engine) ScheduleAudit(ctx context.Context, every time.Duration) error {
	if every != 0 && every < time.Minute {
		return refuse(CodeInvalid, "an audit can be scheduled once a minute at most, not every %s: 0 is for never", every)
	}
	return e.store.SetSetting(ctx, settingSchedule, every.String())
}

// auditsKept is how many audits are remembered.
const auditsKept = 50

// auditIfDue starts the scheduled audit and forgets old ones.
func (e *Engine) auditIfDue(ctx context.Context) error {
	every, err := e.AuditSchedule(ctx)
	if err != nil || every == 0 {
		return err
	}
	last, err := e.store.LastAudit(ctx)
	if err != nil || time.Since(last) < every {
		return err
	}
	if err := e.store.Write(ctx, func(tx *store.Tx) error { return tx.DropAudits(auditsKept) }); err != nil {
		return err
	}
	_, err = e.Audit(ctx, Scope{})
	return err
}
