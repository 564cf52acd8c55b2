package versionsql

import (
	"context"
	"encoding/json"
	"strings"
	"time"

	"yalvo/internal/design"
	"yalvo/internal/design/plan"
	"yalvo/internal/engine/store"
	"yalvo/internal/engine/store/queuesql"
)

// Build is a step of a change of the design, with how far it has come.
type Build struct {
	Version int // of the design that asks for it
	Nth     int
	Does    string
	Aspect  plan.Aspect
	Name    string
	Shows   string
	Number  plan.Number // what is swept
	Reached int64
	Beside  int64
	Rows    int64
	Written int64
	Total   int64
	Spent   float64 // seconds
	Began   *time.Time
	Ended   *time.Time
	Error   string
}

// AddBuilds notes the steps of a version.
func AddBuilds(tx *store.Tx, builds []Build) error {
	if len(builds) == 0 {
		return nil
	}
	return tx.DB.Table("builds").Select("Version", "Nth", "Does", "Aspect", "Name", "Shows", "Number", "Reached").
		Create(&builds).Error
}

// Builds are the steps of a version, in their order.
func Builds(ctx context.Context, s *store.Store, version int) ([]Build, error) {
	var all []Build
	err := s.UpkeepDB.WithContext(ctx).
		Raw("SELECT * FROM builds WHERE version = ? ORDER BY nth", version).Scan(&all).Error
	return all, err
}

// BuildsLeft is the same in a transaction.
func BuildsLeft(tx *store.Tx) ([]Build, error) {
	var all []Build
	err := tx.DB.Raw("SELECT * FROM builds WHERE ended IS NULL ORDER BY version, nth").Scan(&all).Error
	return all, err
}

// ClaimBuild takes the step that is next, false if there is none or another
// service is at it. Index: builds_left.
func ClaimBuild(tx *store.Tx) (Build, bool, error) {
	var b Build
	got := tx.DB.Raw(`
		SELECT * FROM builds
		WHERE (version, nth) = (SELECT version, nth FROM builds WHERE ended IS NULL ORDER BY version, nth LIMIT 1)
		  AND does <> 'load' -- which ends when its client says so
		FOR UPDATE SKIP LOCKED`).Scan(&b)
	return b, got.RowsAffected > 0, got.Error
}

// SaveBuild notes how far a claimed step has come.
func SaveBuild(tx *store.Tx, b Build) error {
	return tx.DB.Exec(`
		UPDATE builds SET reached = ?, beside = ?, rows = ?, written = ?, total = greatest(?::bigint, ?::bigint),
			spent = ?,
			began = coalesce(began, clock_timestamp()), ended = ?, error = ''
		WHERE version = ? AND nth = ?`, b.Reached, b.Beside, b.Rows, b.Written, b.Total, b.Rows, b.Spent, b.Ended,
		b.Version, b.Nth).Error
}

// FailBuild notes why a step does not get on.
func FailBuild(ctx context.Context, s *store.Store, b Build, cause error) error {
	return s.UpkeepDB.WithContext(ctx).
		Exec("UPDATE builds SET error = ? WHERE version = ? AND nth = ?", queuesql.InWords(cause),
			b.Version, b.Nth).
		Error
}

// CountOf estimates from PostgreSQL's own statistics, and counts where they say
// little, how many rows of a table belong to a number.
func CountOf(tx *store.Tx, table, column string, n plan.Number) (int64, error) {
	var many int64
	err := tx.DB.Raw("SELECT count(*) FROM "+table+" WHERE "+column+" = ?", n).Scan(&many).Error
	return many, err
}

// Misfit is a fact that does not fit the design in force.
type Misfit struct {
	Subject plan.Number // the collection, or the kind of pair
	Doc     int64       // the document, or the pair's to end
	Other   int64       // the pair's from end
	Stamp   int64       // the document's version, or a hash of the pair's fields
	Field   string
	Code    string
	Pointer string
	Detail  string
}

// MisfitOf is a mistake in the facts of a document or a pair.
func MisfitOf(subject plan.Number, doc, other, stamp int64, m design.Mistake) Misfit {
	field, _, _ := strings.Cut(strings.TrimPrefix(m.Pointer, "/"), "/")
	if m.Pointer == "" {
		field = wholeDocument
	}
	return Misfit{Subject: subject, Doc: doc, Other: other, Stamp: stamp, Field: field, Code: m.Code,
		Pointer: m.Pointer, Detail: m.Detail}
}

// wholeDocument stands where no field does: a check of the document does not hold.
const wholeDocument = "checks"

// NoteMisfits adds what does not fit. What is said of one place in one way is one row.
func NoteMisfits(tx *store.Tx, all []Misfit) error {
	all = together(all)
	if len(all) == 0 {
		return nil
	}
	n := len(all)
	subjects, docs, others, stamps := make(store.Bigints, n), make(store.Bigints, n), make(store.Bigints, n),
		make(store.Bigints, n)
	fields, codes, pointers, details := make(store.Texts, n), make(store.Texts, n), make(store.Texts, n),
		make(store.Texts, n)
	for i, m := range all {
		subjects[i], docs[i], others[i], stamps[i] = int64(m.Subject), m.Doc, m.Other, m.Stamp
		fields[i], codes[i], pointers[i], details[i] = m.Field, m.Code, m.Pointer, m.Detail
	}
	return tx.DB.Exec(`
		INSERT INTO misfits (subject, doc, other, stamp, field, code, pointer, detail)
		SELECT * FROM unnest(?::smallint[], ?::bigint[], ?::bigint[], ?::bigint[], ?::text[], ?::text[], ?::text[],
			?::text[])
		ON CONFLICT (subject, field, code, doc, other, pointer) DO UPDATE SET stamp = excluded.stamp,
			detail = excluded.detail`, subjects, docs, others, stamps, fields, codes, pointers, details).Error
}

// together joins what is said of the same place of a document, or pair, in one way.
func together(all []Misfit) []Misfit {
	nth := map[Misfit]int{}
	var out []Misfit
	for _, m := range all {
		place := m
		place.Detail, place.Stamp = "", 0
		if i, is := nth[place]; is {
			out[i].Detail += "; " + m.Detail
			continue
		}
		nth[place] = len(out)
		out = append(out, m)
	}
	return out
}

// DropMisfits forgets what did not fit of documents in a span, before they are
// looked at anew: whatever has none of some codes. Index: misfits_of.
func DropMisfits(tx *store.Tx, subject plan.Number, s store.Span, but ...string) error {
	return tx.DB.Exec(`
		DELETE FROM misfits WHERE subject = ? AND doc > ? AND doc <= ? AND code <> ALL(?::text[])`, subject, s.After,
		s.UpTo, store.Texts(but)).Error
}

// DropMisfitsOf forgets those of one field and code.
func DropMisfitsOf(tx *store.Tx, subject plan.Number, s store.Span, field, code string) error {
	return tx.DB.Exec(`
		DELETE FROM misfits WHERE subject = ? AND doc > ? AND doc <= ? AND field = ? AND code = ?`, subject, s.After,
		s.UpTo, field, code).Error
}

// DropPairMisfits forgets what did not fit of pairs from one to another.
func DropPairMisfits(tx *store.Tx, kind plan.Number, s store.Span, first, last int64) error {
	return tx.DB.Exec(`
		DELETE FROM misfits WHERE subject = ? AND doc > ? AND doc <= ?
		  AND (doc, other) >= (?::bigint, ?::bigint) AND (doc, other) <= (?::bigint, ?::bigint)`, kind, s.After, s.UpTo,
		s.After+1, first, s.UpTo, last).Error
}

// HasMisfits tells whether any are noted of a collection or pair.
func HasMisfits(tx *store.Tx, subject plan.Number) (bool, error) {
	var has bool
	err := tx.DB.Raw("SELECT EXISTS (SELECT FROM misfits WHERE subject = ?)", subject).Scan(&has).Error
	return has, err
}

// stands is the condition that a misfit still counts.
const stands = `(EXISTS (SELECT FROM documents d WHERE d.n = m.doc AND d.collection = m.subject AND d.version = m.stamp)
	OR EXISTS (SELECT FROM pairs p WHERE p.kind = m.subject AND p.b = m.doc AND p.a = m.other
		AND hashtextextended(coalesce(p.fields::text, ''), 0) = m.stamp))`

// MisfitCount is how many documents or pairs do not fit in one way.
type MisfitCount struct {
	Subject     plan.Number
	Field, Code string
	Many        int64
}

// MisfitCounts counts what does not fit, by collection or pair, field and reason.
func MisfitCounts(ctx context.Context, s *store.Store) ([]MisfitCount, error) {
	var all []MisfitCount
	err := s.DB.WithContext(ctx).Raw(`
		SELECT subject, field, code, count(DISTINCT (doc, other)) AS many
		FROM misfits m WHERE ` + stands + `
		GROUP BY subject, field, code ORDER BY subject, field, code`).Scan(&all).Error
	return all, err
}

// Misfits are those of one kind after a document, in ascending order.
// Key: misfits (subject, field, code, doc, ...).
func Misfits(ctx context.Context, s *store.Store, of MisfitCount, after int64, limit int) ([]Misfit, error) {
	var all []Misfit
	err := s.DB.WithContext(ctx).Raw(`
		SELECT * FROM misfits m
		WHERE subject = ? AND field = ? AND code = ? AND doc > ? AND `+stands+`
		ORDER BY doc, other LIMIT ?`, of.Subject, of.Field, of.Code, after, limit).Scan(&all).Error
	return all, err
}

// VersionsOf are the versions of documents by their numbers.
func VersionsOf(tx *store.Tx, docs []int64) (map[int64]int64, error) {
	var rows []struct{ N, Version int64 }
	err := tx.DB.Raw("SELECT n, version FROM documents WHERE n = ANY(?::bigint[])", store.Bigints(docs)).
		Scan(&rows).
		Error
	versions := make(map[int64]int64, len(rows))
	for _, r := range rows {
		versions[r.N] = r.Version
	}
	return versions, err
}

// LockSpan locks the documents of a collection in a span against changes, in
// ascending order, and reads them as they are stored.
func LockSpan(tx *store.Tx, c *plan.Collection, s store.Span) ([]store.Document, error) {
	var found []store.Document
	err := tx.DB.Raw(`
		SELECT d.n, d.key, d.version, d.created, d.fields, coalesce(d.shape, 0) AS shape
		FROM documents d WHERE d.n > ? AND d.n <= ? AND d.collection = ?
		ORDER BY d.n FOR NO KEY UPDATE`, s.After, s.UpTo, c.Number).Scan(&found).Error
	return found, err
}

// Rewrite stores facts of locked documents in another form. They are the same
// facts: no version is counted.
func Rewrite(tx *store.Tx, docs []int64, fields []string, form int) error {
	if len(docs) == 0 {
		return nil
	}
	return tx.DB.Exec(`
		UPDATE documents d SET fields = x.fields, shape = `+store.Shape(form)+`
		FROM unnest(?::bigint[], ?::jsonb[]) x (n, fields) WHERE d.n = x.n`,
		store.Bigints(docs), store.Texts(fields)).Error
}

// PairRow is a pair as it is stored.
type PairRow struct {
	B, A   int64
	At     time.Time
	Fields json.RawMessage
	Shape  int
}

// LockPairs locks the next pairs of a kind after one. Key: pairs (kind, b, a).
func LockPairs(tx *store.Tx, kind plan.Number, b, a int64, limit int) ([]PairRow, error) {
	var found []PairRow
	err := tx.DB.Raw(`
		SELECT b, a, at, coalesce(fields, '{}') AS fields, coalesce(shape, 0) AS shape
		FROM pairs WHERE kind = ? AND (b, a) > (?::bigint, ?::bigint)
		ORDER BY b, a LIMIT ? FOR UPDATE`, kind, b, a, limit).Scan(&found).Error
	return found, err
}

// RewritePairs stores facts of locked pairs in another form.
func RewritePairs(tx *store.Tx, kind plan.Number, rows []PairRow, form int) error {
	if len(rows) == 0 {
		return nil
	}
	bs, as, fields := pairArgs(rows)
	return tx.DB.Exec(`
		UPDATE pairs p SET fields = x.fields, shape = `+store.Shape(form)+`
		FROM unnest(?::bigint[], ?::bigint[], ?::jsonb[]) x (b, a, fields)
		WHERE p.kind = ? AND p.b = x.b AND p.a = x.a`, bs, as, fields, kind).Error
}

func pairArgs(rows []PairRow) (bs, as store.Bigints, fields store.Texts) {
	for _, r := range rows {
		bs, as, fields = append(bs, r.B), append(as, r.A), append(fields, string(r.Fields))
	}
	return bs, as, fields
}

// StampsOf are hashes of the fields of pairs, for [Misfit], in their order.
func StampsOf(tx *store.Tx, kind plan.Number, rows []PairRow) ([]int64, error) {
	bs, as, _ := pairArgs(rows)
	var stamps []int64
	err := tx.DB.Raw(`
		SELECT hashtextextended(coalesce(p.fields::text, ''), 0)
		FROM unnest(?::bigint[], ?::bigint[]) WITH ORDINALITY x (b, a, nth)
		JOIN pairs p ON p.kind = ? AND p.b = x.b AND p.a = x.a
		ORDER BY x.nth`, bs, as, kind).Scan(&stamps).Error
	return stamps, err
}

// BuildsAfter tells whether a version after one has asked for anything.
func BuildsAfter(tx *store.Tx, version int) (bool, error) {
	var has bool
	err := tx.DB.Raw("SELECT EXISTS (SELECT FROM builds WHERE version > ?)", version).Scan(&has).Error
	return has, err
}

// NextBuild is the number of the next step of a version.
func NextBuild(tx *store.Tx, version int) (int, error) {
	var nth int
	err := tx.DB.Raw("SELECT coalesce(max(nth), 0) + 1 FROM builds WHERE version = ?", version).Scan(&nth).Error
	return nth, err
}
