package store

import (
	"context"
	"encoding/json"
	"time"

	"yalvo/internal/plan"
)

// Audit is one run over the duplicates.
type Audit struct {
	ID       int64
	Name     string // one duplicate only, empty for all
	Document string // one document only, by its path, empty for all
	State    string // running, stopped, finished or failed
	Mending  bool   // what is found is mended at the end
	Step     int
	Steps    int
	Reached  int64
	Checked  int64
	Drifted  int64
	Started  time.Time
	Ended    *time.Time
	Error    string
}

// The states of an audit.
const (
	AuditRunning  = "running"
	AuditStopped  = "stopped"
	AuditFinished = "finished"
	AuditFailed   = "failed"
)

// Drift is a stored duplicate that differs from what the facts say.
type Drift struct {
	Seq       int64
	Aspect    plan.Aspect
	Name      string
	Kind      string // missing, surplus, different, dangling, orphaned or short
	Doc       int64  // the document that holds it
	Other     int64  // the document it comes from or leads to, 0 if there is none
	Meant     int64  // of a reference, the document it should point at
	Path      string
	OtherPath string
	Stored    json.RawMessage
	Expected  json.RawMessage
	Since     *time.Time // when the facts became so, as far as that is known
	Mended    *time.Time
}

// AddAudit begins an audit.
func (s *Store) AddAudit(ctx context.Context, a Audit) (Audit, error) {
	err := s.db.WithContext(ctx).Raw(`
		INSERT INTO audits (name, document, mending, steps) VALUES (?, ?, ?, ?)
		RETURNING *`, a.Name, a.Document, a.Mending, a.Steps).Scan(&a).Error
	return a, err
}

// Audits are the newest audits, newest first.
func (s *Store) Audits(ctx context.Context, limit int) ([]Audit, error) {
	var all []Audit
	err := s.db.WithContext(ctx).Raw("SELECT * FROM audits ORDER BY id DESC LIMIT ?", limit).Scan(&all).Error
	return all, err
}

// Audit reads an audit, false if there is none of that number.
func (s *Store) Audit(ctx context.Context, id int64) (Audit, bool, error) {
	var a Audit
	got := s.db.WithContext(ctx).Raw("SELECT * FROM audits WHERE id = ?", id).Scan(&a)
	return a, got.RowsAffected > 0, got.Error
}

// SetAuditState moves an audit from one state to another, false if it is in neither.
func (s *Store) SetAuditState(ctx context.Context, id int64, from, to string) (bool, error) {
	got := s.db.WithContext(ctx).Exec(`
		UPDATE audits SET state = ?, ended = CASE WHEN ? = 'running' THEN NULL ELSE now() END
		WHERE id = ? AND state = ?`, to, to, id, from)
	return got.RowsAffected > 0, got.Error
}

// BeginMending has a finished audit go on with mending what it found, false if
// it is not finished.
func (s *Store) BeginMending(ctx context.Context, id int64) (bool, error) {
	got := s.db.WithContext(ctx).Exec(`
		UPDATE audits SET state = 'running', mending = true, step = steps, reached = 0, ended = NULL
		WHERE id = ? AND state = 'finished'`, id)
	return got.RowsAffected > 0, got.Error
}

// ClaimAudit takes the oldest running audit that no other service is at.
func (tx *Tx) ClaimAudit() (Audit, bool, error) {
	var a Audit
	got := tx.db.Raw("SELECT * FROM audits WHERE state = 'running' ORDER BY id LIMIT 1 FOR UPDATE SKIP LOCKED").Scan(&a)
	return a, got.RowsAffected > 0, got.Error
}

// SaveAudit writes how far a claimed audit has come.
func (tx *Tx) SaveAudit(a Audit) error {
	return tx.db.Exec(`
		UPDATE audits SET state = ?, step = ?, reached = ?, checked = ?, drifted = ?, ended = ?, error = ?
		WHERE id = ?`, a.State, a.Step, a.Reached, a.Checked, a.Drifted, a.Ended, a.Error, a.ID).Error
}

// AddDrift notes what an audit has found.
func (tx *Tx) AddDrift(audit int64, found []Drift) error {
	for _, d := range found {
		err := tx.db.Exec(`
			INSERT INTO drift (audit, aspect, name, kind, doc, other, meant, path, other_path, stored, expected, since)
			VALUES (?, ?, ?, ?, ?, ?, ?, ?, ?, ?::jsonb, ?::jsonb, ?)`,
			audit, string(d.Aspect), d.Name, d.Kind, d.Doc, d.Other, d.Meant, d.Path, d.OtherPath, textOrNull(d.Stored), textOrNull(d.Expected), d.Since).Error
		if err != nil {
			return err
		}
	}
	return nil
}

func textOrNull(raw json.RawMessage) any {
	if raw == nil {
		return nil
	}
	return string(raw)
}

// DriftOf is what an audit has found, in that order, after a given row.
// left: only what is not mended.
func (s *Store) DriftOf(ctx context.Context, audit, after int64, left bool, limit int) ([]Drift, error) {
	return (&Tx{s.db.WithContext(ctx)}).DriftOf(audit, after, left, limit)
}

// DriftOf is the same within a transaction. Key: drift (audit, seq).
func (tx *Tx) DriftOf(audit, after int64, left bool, limit int) ([]Drift, error) {
	var found []Drift
	err := tx.db.Raw(`
		SELECT seq, aspect, name, kind, doc, other, path, other_path, coalesce(stored, 'null') AS stored,
		       coalesce(expected, 'null') AS expected, since, mended
		FROM drift WHERE audit = ? AND seq > ? AND (NOT ? OR mended IS NULL)
		ORDER BY seq LIMIT ?`, audit, after, left, limit).Scan(&found).Error
	return found, err
}

// DriftIn tells which documents an audit has found drift at, for one duplicate
// and aspect: those that hold it, and those at the other end.
func (tx *Tx) DriftIn(audit int64, aspect plan.Aspect, name string) (docs, others map[int64]bool, err error) {
	var rows []struct{ Doc, Other, Meant int64 }
	err = tx.db.Raw("SELECT doc, other, meant FROM drift WHERE audit = ? AND aspect = ? AND name = ?", audit, string(aspect), name).Scan(&rows).Error
	docs, others = map[int64]bool{}, map[int64]bool{}
	for _, r := range rows {
		docs[r.Doc], others[r.Other], others[r.Meant] = true, true, true
	}
	return docs, others, err
}

// MarkMended notes that drift was mended.
func (tx *Tx) MarkMended(audit, seq int64) error {
	return tx.db.Exec("UPDATE drift SET mended = clock_timestamp() WHERE audit = ? AND seq = ?", audit, seq).Error
}

// DropAudits forgets audits and what they found, but for the newest.
func (tx *Tx) DropAudits(keep int) error {
	err := tx.db.Exec("DELETE FROM audits WHERE state <> 'running' AND id <= (SELECT max(id) FROM audits) - ?", keep).Error
	if err != nil {
		return err
	}
	return tx.db.Exec("DELETE FROM drift d WHERE NOT EXISTS (SELECT 1 FROM audits a WHERE a.id = d.audit)").Error
}

// LastAudit is when the newest audit of everything began, the zero time if there was none.
func (s *Store) LastAudit(ctx context.Context) (time.Time, error) {
	var at []time.Time
	err := s.db.WithContext(ctx).Raw("SELECT started FROM audits WHERE name = '' AND document = '' ORDER BY id DESC LIMIT 1").Scan(&at).Error
	if err != nil || len(at) == 0 {
		return time.Time{}, err
	}
	return at[0], nil
}

// Setting is a setting of the app, empty if it was never made.
func (s *Store) Setting(ctx context.Context, name string) (string, error) {
	return setting(s.db.WithContext(ctx), name)
}

// SetSetting makes a setting.
func (s *Store) SetSetting(ctx context.Context, name, value string) error {
	return s.db.WithContext(ctx).Exec(`
		INSERT INTO settings (name, value) VALUES (?, ?)
		ON CONFLICT (name) DO UPDATE SET value = excluded.value`, name, value).Error
}

// View runs a function on a consistent view of the database: everything it
// reads is as of one moment. Its statements go over many rows at once, so each
// is planned for what it is given. What it writes must not meet other writers.
func (s *Store) View(ctx context.Context, run func(*Tx) error) error {
	return s.Write(ctx, func(tx *Tx) error {
		for _, sql := range []string{"SET TRANSACTION ISOLATION LEVEL REPEATABLE READ", "SET LOCAL plan_cache_mode = force_custom_plan", "SET LOCAL enable_seqscan = on"} {
			if err := tx.db.Exec(sql).Error; err != nil {
				return err
			}
		}
		return run(tx)
	})
}
