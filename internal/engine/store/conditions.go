package store

import (
	"fmt"
	"strings"
	"time"

	"yalvo/internal/design"
	"yalvo/internal/design/expr"
	"yalvo/internal/design/plan"
)

// What timelines ask of entries and of the pairs that they go through, in SQL. A value that
// is absent, or of another type than its field, makes a comparison neither true nor false,
// as in the conditions themselves; what is neither does not hold. Nothing is bound: the
// conditions stand in the design, and in the text of the statements as literals.

// Meets is the condition that a document meets what a timeline asks of its entries. d is the
// name of a row of documents.
func Meets(t *plan.Timeline, d string) string {
	return decided(t.Where, design.NameDoc, d+".fields", t.Entries.Fields)
}

// tied is the condition that a pair meets what a timeline asks of those it goes through. p is
// the name of a row of pairs.
func tied(t *plan.Timeline, p string) string {
	return decided(t.While, design.NamePair, p+".fields", t.Through.Fields)
}

// AndTied is the same as one more condition, empty if nothing is asked.
func AndTied(t *plan.Timeline, p string) string {
	if t.While == nil {
		return ""
	}
	return " AND " + tied(t, p)
}

func decided(rule *design.Rule, about, values string, fields []*design.Field) string {
	if rule == nil {
		return "true"
	}
	f, _ := rule.That.Alone(about)
	return "coalesce(" + conditions{values, fields}.render(f) + ", false)"
}

// conditions puts filters into SQL that name nothing but values of one row.
type conditions struct {
	values string // the column
	fields []*design.Field
}

func (c conditions) render(f expr.Filter) string {
	switch f.Kind {
	case expr.Never:
		return "false"
	case expr.AllOf, expr.AnyOf:
		by := map[expr.FilterKind]string{expr.AllOf: " AND ", expr.AnyOf: " OR "}[f.Kind]
		parts := make([]string, len(f.Parts))
		for i, p := range f.Parts {
			parts[i] = c.render(p)
		}
		return "(" + strings.Join(parts, by) + ")"
	case expr.NotThat:
		return "NOT (" + c.render(f.Parts[0]) + ")"
	case expr.Present:
		return "coalesce(" + c.values + " -> '" + f.Member + "', 'null') <> 'null'"
	case expr.Compare:
		return c.compared(f)
	}
	return "true"
}

func (c conditions) compared(f expr.Filter) string {
	op := map[string]string{"==": "=", "!=": "<>"}[f.Op]
	if op == "" {
		op = f.Op
	}
	stored := c.values + " -> '" + f.Member + "'"
	text := c.values + " ->> '" + f.Member + "'"
	is, value := "", ""
	switch v := f.Value.(type) {
	case bool:
		is, value = "boolean", fmt.Sprintf("(%s)::boolean %s %t", text, op, v)
	case int64:
		is, value = "number", fmt.Sprintf("(%s)::numeric %s %d", text, op, v)
	case time.Time: // all are of one form, in UTC
		is, value = "string", text+` COLLATE "C" `+op+" "+literal(design.FormatTime(v))
	default:
		is, value = "string", text+" "+op+" "+literal(fmt.Sprint(v))
	}
	return "CASE WHEN jsonb_typeof(" + stored + ") = '" + is + "' THEN " + value + " END"
}

// literal is a text in SQL. All but letters and digits are written by their bytes, so that
// nothing in it means anything, to PostgreSQL or to who puts parameters into a statement.
func literal(text string) string {
	var b strings.Builder
	b.WriteString("E'")
	for _, c := range []byte(text) {
		if c >= 'a' && c <= 'z' || c >= 'A' && c <= 'Z' || c >= '0' && c <= '9' {
			b.WriteByte(c)
			continue
		}
		fmt.Fprintf(&b, `\x%02x`, c)
	}
	return b.String() + "'"
}
