package design

import (
	"encoding/json"
	"fmt"
	"math"
	"net/url"
	"regexp"
	"slices"
	"strings"
	"time"
	"unicode/utf8"
)

// Mistake is one thing that is wrong with a document a client sent.
type Mistake struct {
	Pointer string // JSON Pointer (RFC 6901) to the offending place, within the value checked
	Code    string // stable, one of the Mistake constants
	Detail  string // what is wrong and what would do
}

// The codes of mistakes. They are stable: clients may rely on them.
const (
	MistakeUnknown  = "unknown-field"
	MistakeKept     = "kept-value"
	MistakeMissing  = "required"
	MistakeType     = "wrong-type"
	MistakeShort    = "too-small"
	MistakeLong     = "too-large"
	MistakePattern  = "pattern"
	MistakeChoice   = "not-one-of"
	MistakeFixed    = "fixed"
	MistakeRepeated = "repeated"
	MistakeZero     = "zero-character"
	MistakeTaken    = "not-unique"
	MistakeNoTarget = "no-such-document"
	MistakeNoPlace  = "no-such-place"
	MistakeNobody   = "no-account"
	MistakeSelf     = "self"       // a pair of a document with itself
	MistakeCheck    = "check"      // a check of the design does not hold
	MistakeCostly   = "too-costly" // a condition of the design takes too many steps for the facts
)

// Limits of values.
const (
	MaxNumber = 1e250 // any sum of such numbers fits into 64 bits, however many there are
	MaxUnique = 1000  // bytes of a unique text: it is the key of an index
)

// MaxExact is the largest whole number that JSON clients keep exactly (RFC 8259, section 6).
const MaxExact = 1<<53 - 1

// Accept checks a value as encoding/json decodes it (numbers may be
// json.Number, int64 or float64) and returns it in the form it is stored in.
// Whether a reference's target exists is not checked here.
func (f *Field) Accept(v any) (any, []Mistake) {
	switch f.Type {
	case String:
		return f.acceptString(v)
	case Integer, Number:
		return f.acceptNumber(v)
	case Boolean:
		if _, ok := v.(bool); !ok {
			return nil, wrongType("true or false", v)
		}
		return v, nil
	case Timestamp:
		return acceptTimestamp(v)
	case Media:
		return acceptMedia(v)
	case Reference:
		return f.acceptReference(v)
	case Object:
		m, ok := v.(map[string]any)
		if !ok {
			return nil, wrongType("an object", v)
		}
		return AcceptAll(f.Fields, m)
	}
	return f.acceptItems(v)
}

// AcceptAll checks the members of an object against fields. A null member is
// an absent one. Defaults are not filled in.
func AcceptAll(fields []*Field, values map[string]any) (map[string]any, []Mistake) {
	out := make(map[string]any, len(values))
	var mistakes []Mistake
	for _, name := range sortedKeys(values) {
		f := find(fields, name, func(f *Field) string { return f.Name })
		at := "/" + escapePointer(name)
		if f == nil {
			mistakes = append(mistakes, Mistake{at, MistakeUnknown, unknownField(name, fields)})
			continue
		}
		if values[name] == nil {
			continue
		}
		v, wrong := f.Accept(values[name])
		for _, m := range wrong {
			m.Pointer = at + m.Pointer
			mistakes = append(mistakes, m)
		}
		out[name] = v
	}
	for _, f := range fields {
		if _, there := out[f.Name]; f.Required && !there && !Mentioned(mistakes, f.Name) {
			mistakes = append(mistakes, Mistake{"/" + f.Name, MistakeMissing,
				fmt.Sprintf("%q must have a value", f.Name)})
		}
	}
	return out, mistakes
}

func (f *Field) acceptString(v any) (any, []Mistake) {
	s, ok := v.(string)
	if !ok {
		return nil, wrongType("a string", v)
	}
	if strings.ContainsRune(s, 0) {
		return nil, mistake(MistakeZero, "a string cannot hold the character U+0000")
	}
	if wrong := f.checkSize(float64(utf8.RuneCountInString(s)), "characters"); wrong != nil {
		return nil, wrong
	}
	if f.Unique && len(s) > MaxUnique {
		return nil, mistake(MistakeLong, fmt.Sprintf("a unique text may have %d bytes at most, this has %d", MaxUnique,
			len(s)))
	}
	if f.Pattern != nil && len(s) > f.Pattern.Longest() {
		return nil, mistake(MistakeLong, fmt.Sprintf("the text has %d bytes, and the pattern of %q is matched "+
			"against %d "+
			"at most", len(s), f.Name, f.Pattern.Longest()))
	}
	if f.Pattern != nil && !f.Pattern.Matches(s) {
		return nil, mistake(MistakePattern, fmt.Sprintf("%q does not match the pattern %s", Clip(s), f.Pattern.Text))
	}
	return s, f.checkChoice(s)
}

func (f *Field) acceptNumber(v any) (any, []Mistake) {
	x, exact := numeric(v)
	if !exact {
		return nil, wrongType(map[bool]string{true: "a whole number", false: "a number"}[f.Type == Integer], v)
	}
	if math.IsNaN(x) || math.Abs(x) > MaxNumber {
		return nil, mistake(MistakeLong, fmt.Sprintf("the number %s does not fit: numbers lie within ±%g",
			Clip(fmt.Sprint(v)), MaxNumber))
	}
	x += 0 // minus zero is zero
	if f.Type == Integer {
		if x != math.Trunc(x) {
			return nil, wrongType("a whole number", v)
		}
		if math.Abs(x) > MaxExact {
			return nil, mistake(MistakeLong, fmt.Sprintf("the integer %s does not fit: it must lie within ±%d, what "+
				"JSON clients keep exactly", Clip(fmt.Sprint(v)), int64(MaxExact)))
		}
	}
	if wrong := f.checkSize(x, ""); wrong != nil {
		return nil, wrong
	}
	var out any = x
	if f.Type == Integer {
		out = int64(x)
	}
	return out, f.checkChoice(out)
}

// numeric reads any of the forms a number comes in. A number too large for
// 64 bits comes back as an infinity.
func numeric(v any) (float64, bool) {
	switch v := v.(type) {
	case int64:
		return float64(v), true
	case float64:
		return v, true
	case json.Number:
		x, err := v.Float64()
		return x, err == nil || math.IsInf(x, 0)
	}
	return 0, false
}

// timestampForm is RFC 3339 in UTC with microseconds, what the database keeps.
const timestampForm = "2006-01-02T15:04:05.000000Z"

// FormatTime writes a time the way documents hold timestamps.
func FormatTime(t time.Time) string { return t.UTC().Format(timestampForm) }

// rfc3339 is the form of a date-time (RFC 3339, section 5.6); time.Parse sees to
// the days of months and the like.
var rfc3339 = regexp.MustCompile(`^\d{4}-\d\d-\d\d[Tt]\d\d:\d\d:\d\d(\.\d{1,20})?([Zz]|[-+]([01]\d|2[0-3]):[0-5]\d)$`)

func acceptTimestamp(v any) (any, []Mistake) {
	s, ok := v.(string)
	if !ok {
		return nil, wrongType("a timestamp in a string, as in \"2031-04-05T06:07:08Z\"", v)
	}
	t, err := time.Parse(time.RFC3339Nano, strings.ToUpper(s))
	if err != nil || !rfc3339.MatchString(s) { // time.Parse takes more
		return nil, mistake(MistakeType, fmt.Sprintf("%q is no RFC 3339 timestamp, as in \"2031-04-05T06:07:08Z\"",
			Clip(s)))
	}
	if year := t.UTC().Year(); year < 1 || year > 9999 {
		return nil, mistake(MistakeLong, fmt.Sprintf("%s lies outside the years 1 to 9999 of UTC", Clip(s)))
	}
	return FormatTime(t), nil
}

// maxMedia is the most characters the address of a medium may have.
const maxMedia = 2000

func acceptMedia(v any) (any, []Mistake) {
	s, ok := v.(string)
	if !ok {
		return nil, wrongType("the address of a medium, in a string", v)
	}
	if len(s) > maxMedia {
		return nil, mistake(MistakeLong, fmt.Sprintf("the address has %d bytes, %d are allowed", len(s), maxMedia))
	}
	if u, err := url.Parse(s); err != nil || u.Path == "" && u.Host == "" || strings.ContainsAny(s, " \x00") {
		return nil, mistake(MistakeType, fmt.Sprintf("%q is no address of a medium: give a URL or a path", Clip(s)))
	}
	return s, nil
}

func (f *Field) acceptReference(v any) (any, []Mistake) {
	s, ok := v.(string)
	if !ok {
		return nil, wrongType(fmt.Sprintf("the key of a document of %q, in a string", f.To.Name), v)
	}
	if _, wrong := f.To.ParseKey(s); wrong != "" {
		return nil, mistake(MistakeType, wrong)
	}
	return s, nil
}

func (f *Field) acceptItems(v any) (any, []Mistake) {
	items, ok := v.([]any)
	if !ok {
		return nil, wrongType("an array", v)
	}
	if wrong := f.checkSize(float64(len(items)), "items"); wrong != nil {
		return nil, wrong
	}
	out := make([]any, 0, len(items))
	seen := map[string]int{}
	var mistakes []Mistake
	for i, item := range items {
		v, wrong := f.Of.Accept(item)
		for _, m := range wrong {
			m.Pointer = fmt.Sprintf("/%d%s", i, m.Pointer)
			mistakes = append(mistakes, m)
		}
		if f.Type == Set && wrong == nil {
			text, err := json.Marshal(v)
			if err != nil {
				return nil, mistake(MistakeType, err.Error())
			}
			if first, twice := seen[string(text)]; twice {
				mistakes = append(mistakes, Mistake{fmt.Sprintf("/%d", i), MistakeRepeated,
					fmt.Sprintf("a set holds a value once, and item %d is the same", first)})
			}
			seen[string(text)] = i
		}
		out = append(out, v)
	}
	return out, mistakes
}

func (f *Field) checkSize(size float64, unit string) []Mistake {
	have := fmt.Sprint(size)
	if unit != "" {
		have += " " + unit
	}
	if f.Min != nil && size < *f.Min {
		return mistake(MistakeShort, fmt.Sprintf("%s is less than the %v that %q needs", have, *f.Min, f.Name))
	}
	if f.Max != nil && size > *f.Max {
		return mistake(MistakeLong, fmt.Sprintf("%s is more than the %v that %q allows", have, *f.Max, f.Name))
	}
	return nil
}

func (f *Field) checkChoice(v any) []Mistake {
	if f.OneOf == nil {
		return nil
	}
	x, isNumber := numeric(v)
	for _, allowed := range f.OneOf {
		if allowed == v {
			return nil
		}
		if y, ok := numeric(allowed); ok && isNumber && x == y {
			return nil
		}
	}
	var all []string
	for _, allowed := range f.OneOf {
		all = append(all, Clip(fmt.Sprint(allowed)))
	}
	return mistake(MistakeChoice, fmt.Sprintf("%s is none of %s", Clip(fmt.Sprint(v)), Listed(all)))
}

func mistake(code, detail string) []Mistake { return []Mistake{{"", code, detail}} }

func wrongType(want string, got any) []Mistake {
	return mistake(MistakeType, fmt.Sprintf("this must be %s, not %s", want, jsonKind(got)))
}

func jsonKind(v any) string {
	switch v := v.(type) {
	case nil:
		return "null"
	case string:
		return "a string"
	case bool:
		return fmt.Sprint(v)
	case map[string]any:
		return "an object"
	case []any:
		return "an array"
	}
	return "the number " + Clip(fmt.Sprint(v))
}

func unknownField(name string, fields []*Field) string {
	known := FieldNames(fields)
	if near := Nearest(name, known); near != "" {
		return fmt.Sprintf("there is no field %q, did you mean %q?", Clip(name), near)
	}
	if len(known) == 0 {
		return fmt.Sprintf("there is no field %q, and none else either", Clip(name))
	}
	return fmt.Sprintf("there is no field %q, known are %s", Clip(name), Listed(known))
}

// Mentioned tells whether any mistake is in a member of a name.
func Mentioned(mistakes []Mistake, name string) bool {
	return slices.ContainsFunc(mistakes, func(m Mistake) bool {
		return m.Pointer == "/"+name || strings.HasPrefix(m.Pointer, "/"+name+"/")
	})
}

func escapePointer(name string) string {
	return strings.NewReplacer("~", "~0", "/", "~1").Replace(name)
}

func sortedKeys(m map[string]any) []string {
	var keys []string
	for k := range m {
		keys = append(keys, k)
	}
	slices.Sort(keys)
	return keys
}
