package proof

import (
	"context"
	"errors"
	"strings"
	"time"

	"yalvo/internal/engine/running"
	"yalvo/internal/engine/store"
	"yalvo/internal/engine/store/auditsql"
)

// Scope is what an audit looks at: everything, one duplicate of the design by
// its name, or what one document holds.
type Scope struct {
	Name     string // "members.follower_count", "home", "follow"; empty: all
	Document string // a path; empty: all
	Mend     bool   // mend what is found
}

// Audit is a run over the duplicates.
type Audit struct {
	ID        int64      `json:"id"`
	Duplicate string     `json:"duplicate,omitempty"`
	Document  string     `json:"document,omitempty"`
	State     string     `json:"state"` // running, stopped, finished or failed
	Mending   bool       `json:"mending"`
	Round     int        `json:"round"`    // with mending: how often everything was looked at
	Progress  float64    `json:"progress"` // 0 to 1, by the duplicates that have been walked
	Checked   int64      `json:"checked"`
	Drifted   int64      `json:"drifted"`
	Started   time.Time  `json:"started"`
	Ended     *time.Time `json:"ended,omitempty"`
	Error     string     `json:"error,omitempty"`
	LeftOut   []string   `json:"left_out,omitempty"` // what was being derived anew
}

func auditOf(a auditsql.Audit) Audit {
	out := Audit{ID: a.ID, Duplicate: a.Name, Document: a.Document, State: a.State, Mending: a.Mending, Round: a.Round,
		Progress: 1, Checked: a.Checked, Drifted: a.Drifted, Started: a.Started.UTC(), Ended: utc(a.Ended),
		Error: a.Error}
	if a.LeftOut != "" {
		out.LeftOut = strings.Split(a.LeftOut, ", ")
	}
	if a.Steps > 0 {
		out.Progress = min(1, float64(a.Step)/float64(a.Steps))
	}
	return out
}

func utc(t *time.Time) *time.Time {
	if t == nil {
		return nil
	}
	u := t.UTC()
	return &u
}

// auditsQueued is how many audits may be under way or wait.
const auditsQueued = 20

// auditsKept is how many audits are remembered.
const auditsKept = 50

// Audit begins to compare stored duplicates with the facts. It runs in the
// background, in batches on consistent views, while writes go on.
func (p *Prover) Audit(ctx context.Context, scope Scope) (Audit, error) {
	v, err := p.Now(ctx)
	if err != nil {
		return Audit{}, err
	}
	what, err := p.inScope(ctx, v, scope)
	if err != nil {
		return Audit{}, err
	}
	if err := mayBegin(v, scope, what); err != nil {
		return Audit{}, err
	}
	row := auditsql.Audit{Name: scope.Name, Document: scope.Document, Mending: scope.Mend, Steps: len(what.walks),
		Design: v.Number}
	err = p.Store.Write(ctx, func(tx *store.Tx) error {
		if queued, err := auditsql.RunningAudits(tx); err != nil || queued >= auditsQueued {
			if err == nil {
				err = running.Refuse(running.CodeTooMany, "%d audits are under way or wait for their turn: try again "+
					"when one has ended, or stop one", queued)
			}
			return err
		}
		if row, err = auditsql.AddAudit(tx, row); err != nil {
			return err
		}
		return auditsql.DropAudits(tx, auditsKept)
	})
	p.wakeAuditor()
	return auditOf(row), err
}

// Audits are the newest audits.
func (p *Prover) Audits(ctx context.Context, limit int) ([]Audit, error) {
	rows, err := auditsql.Audits(ctx, p.Store, limit)
	all := make([]Audit, len(rows))
	for i, a := range rows {
		all[i] = auditOf(a)
	}
	return all, err
}

// AuditState reads an audit.
func (p *Prover) AuditState(ctx context.Context, id int64) (Audit, error) {
	a, found, err := auditsql.FindAudit(ctx, p.Store, id)
	if err == nil && !found {
		err = running.Refuse(running.CodeNotFound, "there is no audit %d", id)
	}
	return auditOf(a), err
}

// StopAudit halts a running audit where it is; ResumeAudit lets it go on.
func (p *Prover) StopAudit(ctx context.Context, id int64) (Audit, error) {
	return p.moveAudit(ctx, id, auditsql.AuditRunning, auditsql.AuditStopped)
}

// ResumeAudit lets a stopped audit go on.
func (p *Prover) ResumeAudit(ctx context.Context, id int64) (Audit, error) {
	return p.moveAudit(ctx, id, auditsql.AuditStopped, auditsql.AuditRunning)
}

func (p *Prover) moveAudit(ctx context.Context, id int64, from, to string) (Audit, error) {
	a, err := p.AuditState(ctx, id)
	if err != nil {
		return a, err
	}
	moved, err := auditsql.SetAuditState(ctx, p.Store, id, from, to)
	if err != nil {
		return a, err
	}
	if !moved {
		return a, running.Refuse(running.CodeConflict, "audit %d is %s, not %s", id, a.State, from)
	}
	p.wakeAuditor()
	return p.AuditState(ctx, id)
}

// settingSchedule holds how often everything is audited.
const settingSchedule = "audit_every"

// AuditSchedule is how often everything is audited by itself, 0 for never.
func (p *Prover) AuditSchedule(ctx context.Context) (time.Duration, error) {
	text, err := p.Store.Setting(ctx, settingSchedule)
	if err != nil || text == "" {
		return 0, err
	}
	return time.ParseDuration(text)
}

// ScheduleAudit sets how often everything is audited by itself; 0 for never.
func (p *Prover) ScheduleAudit(ctx context.Context, every time.Duration) error {
	if every != 0 && every < time.Minute {
		return running.Refuse(running.CodeInvalid,
			"an audit can be scheduled once a minute at most, not every %s: 0 is for never", every)
	}
	return p.Store.SetSetting(ctx, settingSchedule, every.String())
}

// auditIfDue starts the scheduled audit.
func (p *Prover) auditIfDue(ctx context.Context) error {
	every, err := p.AuditSchedule(ctx)
	if err != nil || every == 0 {
		return err
	}
	last, err := auditsql.LastAudit(ctx, p.Store)
	if err != nil || time.Since(last) < every {
		return err
	}
	_, err = p.Audit(ctx, Scope{})
	var refused *running.Refusal
	if errors.As(err, &refused) && refused.Code == running.CodeBuilding {
		return nil // another time
	}
	return err
}
