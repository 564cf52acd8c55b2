package store

import (
	"encoding/json"
	"fmt"
	"strconv"
	"time"

	"yalvo/internal/design/plan"
)

// Span is a range of row numbers: after After, up to and with UpTo.
type Span struct{ After, UpTo int64 }

// Shape is the form in which facts are written, as it is stored.
func Shape(n int) string {
	if n == 0 {
		return "NULL::smallint"
	}
	return Number(n) + "::smallint"
}

// Number is a number in SQL.
func Number[N ~int | ~int16 | ~int64](n N) string { return strconv.FormatInt(int64(n), 10) }

// TimeText is a time as PostgreSQL reads it.
func TimeText(t time.Time) string { return t.UTC().Format("2006-01-02T15:04:05.999999999Z") }

// Interval is a time as PostgreSQL reads intervals.
func Interval(d time.Duration) string { return fmt.Sprintf("%d microseconds", d.Microseconds()) }

// TargetOf is what the row that a reference leads to is called in a statement.
func TargetOf(ref *plan.Reference) string { return fmt.Sprintf("target_%d", ref.Number) }

// StoredValue is a value of a document as lists are ordered by it: what is absent is the
// least, and so is what is too long for an index, which fits no field that has one. The name
// is the design's: it stands here as in the index of a list.
func StoredValue(in, name string) string {
	return "coalesce(" + bounded(in+" ->> '"+name+"'", in+" -> '"+name+"'") + ", 'null')"
}

// bounded is a value if its text is not too long for an index.
func bounded(text, value string) string {
	return "CASE WHEN octet_length(" + text + ") <= 1100 THEN " + value + " END"
}

// StoredTime is the same of a time: all are of one form, in UTC, of 27 characters.
func StoredTime(in, name string) string {
	return "coalesce(left(" + in + " ->> '" + name + `', 40), '') COLLATE "C"`
}

// StoredKey is the key that a reference holds.
func StoredKey(in, name string) string { return bounded(in+" ->> '"+name+"'", in+" ->> '"+name+"'") }

// StoredFields are a pair's own fields, in SQL, for [UpcastFields]: as long as some
// are stored in the form of the version before, with what tells which are.
func StoredFields(p *plan.Pair) string {
	if p.Upcast == nil {
		return "coalesce(p.fields, '{}')"
	}
	return "jsonb_build_array(coalesce(p.shape, 0), p.at, coalesce(p.fields, '{}'))"
}

// UpcastFields brings what was read by [StoredFields] to the form of the design in
// force.
func UpcastFields(p *plan.Pair, stored json.RawMessage) json.RawMessage {
	if p.Upcast == nil || len(stored) == 0 {
		return stored
	}
	var shape int
	var at time.Time
	var fields json.RawMessage
	if json.Unmarshal(stored, &[]any{&shape, &at, &fields}) != nil || shape == p.Shape {
		return fields
	}
	return p.Upcast(fields, at)
}

// Walked is true of every pair. The indexes pairs_from and pairs_to ask for it, and so does whoever
// goes along them. Where a single pair is looked for, PostgreSQL might take one of them to be as good
// as the key, as most documents are in few pairs, and go through all that one in many has.
func Walked(pair string) string { return pair + "at > '-infinity'" }

// EpochNow is the epoch that notes count within. A table that is restored is another one, whatever it says.
const EpochNow = "(epoch + tableoid::bigint)"

// ThisMoment is the number before which every transaction has ended, as a statement begins.
const ThisMoment = "pg_snapshot_xmin(pg_current_snapshot())::text::bigint"
