package auditsql

import (
	"context"
	"encoding/json"
	"fmt"
	"strings"
	"time"

	"yalvo/internal/design/plan"
	"yalvo/internal/engine/store"
)

// Audit is one run over the duplicates.
type Audit struct {
	ID       int64
	Name     string // one duplicate only, empty for all
	Document string // one document only, by its path, empty for all
	State    string // running, stopped, finished or failed
	Mending  bool   // what is found is mended at the end
	Round    int    // with mending: how often everything was looked at
	Step     int
	Steps    int
	Reached  int64
	Checked  int64
	Drifted  int64
	Started  time.Time
	Ended    *time.Time
	Error    string
	Design   int    // the version of the design that it goes by
	LeftOut  string // names of what was being derived anew, separated by commas
}

// The states of an audit.
const (
	AuditRunning  = "running"
	AuditStopped  = "stopped"
	AuditFinished = "finished"
	AuditFailed   = "failed"
)

// The kinds of drift.
const (
	Missing   = "missing"   // what should be there is not
	Surplus   = "surplus"   // what is there should not be
	Different = "different" // it is there with another value, or at another place
	Dangling  = "dangling"  // it leads to nothing
	Orphaned  = "orphaned"  // it lies under nothing
	Short     = "short"     // a timeline that was cut holds too few entries
)

// Drift is a stored duplicate that differs from what the facts say.
type Drift struct {
	Seq       int64
	Aspect    plan.Aspect
	Name      string
	Kind      string
	Doc       int64 // the document that holds it
	Other     int64 // the document it comes from or leads to, 0 if there is none
	Meant     int64 // of a reference, the document it should point at
	Path      string
	OtherPath string
	Stored    json.RawMessage
	Expected  json.RawMessage
	Since     *time.Time // when the facts became so, as far as that is known
	Mended    *time.Time
}

// AddAudit begins an audit.
func AddAudit(tx *store.Tx, a Audit) (Audit, error) {
	err := tx.DB.Raw(`
		INSERT INTO audits (name, document, mending, steps, design) VALUES (?, ?, ?, ?, ?)
		RETURNING *`, a.Name, a.Document, a.Mending, a.Steps, a.Design).Scan(&a).Error
	return a, err
}

// RunningAudits is how many have not ended or been stopped.
func RunningAudits(tx *store.Tx) (int, error) {
	var n int
	err := tx.DB.Raw("SELECT count(*) FROM audits WHERE state = 'running'").Scan(&n).Error
	return n, err
}

// Audits are the newest audits, newest first.
func Audits(ctx context.Context, s *store.Store, limit int) ([]Audit, error) {
	var all []Audit
	err := s.DB.WithContext(ctx).Raw("SELECT * FROM audits ORDER BY id DESC LIMIT ?", limit).Scan(&all).Error
	return all, err
}

// FindAudit reads an audit, false if there is none of that number.
func FindAudit(ctx context.Context, s *store.Store, id int64) (Audit, bool, error) {
	var a Audit
	got := s.DB.WithContext(ctx).Raw("SELECT * FROM audits WHERE id = ?", id).Scan(&a)
	return a, got.RowsAffected > 0, got.Error
}

// SetAuditState moves an audit from one state to another, false if it is in neither.
func SetAuditState(ctx context.Context, s *store.Store, id int64, from, to string) (bool, error) {
	got := s.DB.WithContext(ctx).Exec(`
		UPDATE audits SET state = ?, ended = CASE WHEN ? = 'running' THEN NULL ELSE now() END
		WHERE id = ? AND state = ?`, to, to, id, from)
	return got.RowsAffected > 0, got.Error
}

// BeginMending has a finished audit go on with mending what it found, false if
// it is not finished.
func BeginMending(ctx context.Context, s *store.Store, id int64) (bool, error) {
	got := s.DB.WithContext(ctx).Exec(`
		UPDATE audits SET state = 'running', mending = true, step = steps, reached = 0, ended = NULL
		WHERE id = ? AND state = 'finished'`, id)
	return got.RowsAffected > 0, got.Error
}

// ClaimAudit takes the oldest running audit that no other service is at.
func ClaimAudit(tx *store.Tx) (Audit, bool, error) {
	var a Audit
	got := tx.DB.Raw("SELECT * FROM audits WHERE state = 'running' ORDER BY id LIMIT 1 FOR UPDATE SKIP LOCKED").Scan(&a)
	return a, got.RowsAffected > 0, got.Error
}

// SaveAudit writes how far a claimed audit has come.
func SaveAudit(tx *store.Tx, a Audit) error {
	return tx.DB.Exec(`
		UPDATE audits SET state = ?, round = ?, step = ?, reached = ?, checked = ?, drifted = ?, ended = ?, error = ?,
			left_out = ?
		WHERE id = ?`, a.State, a.Round, a.Step, a.Reached, a.Checked, a.Drifted, a.Ended, a.Error,
		a.LeftOut, a.ID).Error
}

// AddDrift notes what an audit has found in the round it is in.
func AddDrift(tx *store.Tx, audit int64, found []Drift) error {
	n := len(found)
	aspects, names, kinds := make(store.Texts, n), make(store.Texts, n), make(store.Texts, n)
	docs, others, meant := make(store.Bigints, n), make(store.Bigints, n), make(store.Bigints, n)
	paths, otherPaths, sinces := make(store.Texts, n), make(store.Texts, n), make(store.Texts, n)
	stored, expected := make(store.Texts, n), make(store.Texts, n)
	for i, d := range found {
		aspects[i], names[i], kinds[i] = string(d.Aspect), d.Name, d.Kind
		docs[i], others[i], meant[i] = d.Doc, d.Other, d.Meant
		paths[i], otherPaths[i], stored[i], expected[i] = d.Path, d.OtherPath, inBrief(d.Stored), inBrief(d.Expected)
		if d.Since != nil {
			sinces[i] = d.Since.Format(time.RFC3339Nano)
		}
	}
	return tx.DB.Exec(`
		INSERT INTO drift (audit, round, aspect, name, kind, doc, other, meant, path, other_path, stored, expected,
			since)
		SELECT a.id, a.round, f.aspect, f.name, f.kind, f.doc, f.other, f.meant, f.path, f.other_path,
		       nullif(f.stored, '')::jsonb, nullif(f.expected, '')::jsonb, nullif(f.since, '')::timestamptz
		FROM audits a, unnest(?::text[], ?::text[], ?::text[], ?::bigint[], ?::bigint[], ?::bigint[], ?::text[],
			?::text[], ?::text[], ?::text[], ?::text[])
		     WITH ORDINALITY f (aspect, name, kind, doc, other, meant, path, other_path, stored, expected, since, nth)
		WHERE a.id = ?
		ORDER BY f.nth`,
		aspects, names, kinds, docs, others, meant, paths, otherPaths, stored, expected, sinces, audit).Error
}

// briefly is how much of a value drift shows, in bytes.
const briefly = 4000

// inBrief is a value as drift shows it: of a long one the beginning, as a text.
func inBrief(value json.RawMessage) string {
	if len(value) <= briefly {
		return string(value)
	}
	text, err := json.Marshal(fmt.Sprintf("%s… (%d bytes)", strings.ToValidUTF8(string(value[:briefly]), ""),
		len(value)))
	if err != nil {
		return ""
	}
	return string(text)
}

const driftColumns = `seq, aspect, name, kind, doc, other, path, other_path, coalesce(stored, 'null') AS stored,
	coalesce(expected, 'null') AS expected, since, mended`

// DriftOf is what an audit has found, in that order, after a given row.
// Key: drift (audit, seq).
func DriftOf(ctx context.Context, s *store.Store, audit, after int64, limit int) ([]Drift, error) {
	return driftOf(s.Looking(ctx), "true", audit, after, limit)
}

// DriftLeft is what of it is not mended.
func DriftLeft(tx *store.Tx, audit, after int64, limit int) ([]Drift, error) {
	return driftOf(tx, "mended IS NULL", audit, after, limit)
}

func driftOf(tx *store.Tx, which string, audit, after int64, limit int) ([]Drift, error) {
	var found []Drift
	err := tx.DB.Raw("SELECT "+driftColumns+" FROM drift WHERE audit = ? AND seq > ? AND "+which+" ORDER BY seq "+
		"LIMIT ?",
		audit, after, limit).Scan(&found).Error
	return found, err
}

// DriftIn tells which documents among some an audit has found drift at that is
// not mended, for one duplicate and aspect: those that hold it, and those at the
// other end. Index: drift_in.
func DriftIn(tx *store.Tx, audit int64, aspect plan.Aspect, name string, about []int64) (docs, others map[int64]bool,
	err error) {
	var rows []struct{ Doc, Other, Meant int64 }
	err = tx.DB.Raw(`
		SELECT doc, other, meant FROM drift
		WHERE audit = ? AND aspect = ? AND name = ? AND mended IS NULL
		  AND (doc = ANY(?::bigint[]) OR other = ANY(?::bigint[]) OR meant = ANY(?::bigint[]))`,
		audit, string(aspect), name, store.Bigints(about), store.Bigints(about), store.Bigints(about)).Scan(&rows).Error
	docs, others = map[int64]bool{}, map[int64]bool{}
	for _, r := range rows {
		docs[r.Doc], others[r.Other], others[r.Meant] = true, true, true
	}
	return docs, others, err
}

// DriftShownIn tells which documents among some show a source in a summary at
// which an audit has found drift. Indexes: drift_in, contributions.
func DriftShownIn(tx *store.Tx, audit int64, aspect plan.Aspect, name string, summary plan.Number,
	about []int64) (map[int64]bool, error) {
	var targets []int64
	err := tx.DB.Raw(`
		SELECT DISTINCT c.target FROM drift d JOIN contributions c ON c.summary = ? AND c.source = d.doc
		WHERE d.audit = ? AND d.aspect = ? AND d.name = ? AND d.mended IS NULL AND c.target = ANY(?::bigint[])`,
		summary, audit, string(aspect), name, store.Bigints(about)).Scan(&targets).Error
	shown := make(map[int64]bool, len(targets))
	for _, t := range targets {
		shown[t] = true
	}
	return shown, err
}

// MendedSince counts what an audit has found and mended in a round.
func MendedSince(tx *store.Tx, audit int64, round int) (int64, error) {
	var many int64
	err := tx.DB.Raw("SELECT count(*) FROM drift WHERE audit = ? AND round = ? AND mended IS NOT NULL", audit,
		round).Scan(&many).Error
	return many, err
}

// DropUnmended forgets what an audit has found and could not mend: the next
// round finds it again. It tells how much that was.
func DropUnmended(tx *store.Tx, audit int64) (int64, error) {
	got := tx.DB.Exec("DELETE FROM drift WHERE audit = ? AND mended IS NULL", audit)
	return got.RowsAffected, got.Error
}

// MarkMended notes that drift was mended.
func MarkMended(tx *store.Tx, audit, seq int64) error {
	return tx.DB.Exec("UPDATE drift SET mended = clock_timestamp() WHERE audit = ? AND seq = ?", audit, seq).Error
}

// DropAudits forgets audits and what they found, but for the newest.
func DropAudits(tx *store.Tx, keep int) error {
	err := tx.DB.Exec("DELETE FROM audits WHERE state <> 'running' AND id <= (SELECT max(id) FROM audits) - ?",
		keep).Error
	if err != nil {
		return err
	}
	return tx.DB.Exec("DELETE FROM drift d WHERE NOT EXISTS (SELECT 1 FROM audits a WHERE a.id = d.audit)").Error
}

// LastAudit is when the newest audit of everything began, the zero time if there was none.
func LastAudit(ctx context.Context, s *store.Store) (time.Time, error) {
	var at []time.Time
	err := s.DB.WithContext(ctx).Raw("SELECT started FROM audits WHERE name = '' AND document = '' ORDER BY id DESC " +
		"LIMIT 1").Scan(&at).Error
	if err != nil || len(at) == 0 {
		return time.Time{}, err
	}
	return at[0], nil
}
