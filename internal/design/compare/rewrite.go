package compare

import (
	"errors"
	"fmt"
	"time"

	"yalvo/internal/design"
	"yalvo/internal/design/expr"
)

// Rewrite turns facts of the old form into those of the new one: of a
// collection's documents, of a pair, or of what lies inside them.
type Rewrite struct {
	Needed bool // the stored form differs
	Checks bool // what was stored may not fit
	Looser bool // what did not fit may

	in      *design.Collection // whose checks must hold; nil of pairs and inside objects
	fields  []*design.Field
	members []member
	dropped []string

	old  []*design.Field
	name string // what conversions call the old facts: doc or pair
	of   expr.Shape
}

// member is what becomes of one field.
type member struct {
	field   *design.Field
	old     *design.Field // nil: it is new
	convert bool          // its value is worked out
	value   *expr.Value
	retyped bool // its value is turned into one of the new type
	fill    bool // where it is absent it gets its default
	inner   *Rewrite
}

func (m member) needed() bool {
	return m.old != nil && m.old.Name != m.field.Name || m.convert || m.retyped || m.fill ||
		m.inner != nil && m.inner.Needed
}

// compile compiles the conversions of a rewrite, now that it is known over what
// they are.
func (c *comparing) compile(r *Rewrite) {
	for i, m := range r.members {
		if !m.convert {
			continue
		}
		value, err := expr.CompileValue(m.field.Convert.Text, map[string]expr.Shape{r.name: r.of}, m.field.Shape().Kind)
		var wrong *expr.Mistake
		if errors.As(err, &wrong) {
			c.problem(m.field.Convert.Pos, design.CodeCondition, "the conversion cannot be used: "+wrong.Message,
				"it is CEL over `"+r.name+"`, with the fields of the design that is in force")
			continue
		}
		r.members[i].value = value
	}
}

// MistakeConversion is a value that could not be converted.
const MistakeConversion = "conversion"

// Facts are old facts in the new form, and what of them does not fit. A value
// that does not fit, or cannot be converted, stays as it is under the new name:
// it can be read, and nothing is lost. created is when the document was made:
// what defaults to now is filled with it.
func (r *Rewrite) Facts(old map[string]any, created time.Time) (map[string]any, []design.Mistake) {
	facts, mistakes := r.shape(old, created)
	accepted, unfit := design.AcceptAll(r.fields, facts)
	for name, v := range accepted {
		if !design.Mentioned(unfit, name) {
			facts[name] = v
		}
	}
	mistakes = append(mistakes, withoutThese(unfit, mistakes)...)
	if r.in != nil {
		for _, b := range r.in.Broken(accepted, nil) {
			mistakes = append(mistakes, b.Mistake)
		}
	}
	return facts, mistakes
}

// shape moves every value to where it belongs.
func (r *Rewrite) shape(old map[string]any, created time.Time) (map[string]any, []design.Mistake) {
	facts := make(map[string]any, len(old))
	taken := make(map[string]bool, len(old))
	for _, name := range r.dropped {
		taken[name] = true
	}
	var mistakes []design.Mistake
	var typed map[string]any
	for _, m := range r.members {
		var v any
		if m.old != nil {
			v = old[m.old.Name]
			taken[m.old.Name] = true
		}
		if m.convert && typed == nil {
			typed, _ = design.AcceptAll(r.old, old)
		}
		v, wrong := m.bring(v, r.name, typed, created)
		if wrong != "" {
			mistakes = append(mistakes, design.Mistake{Pointer: "/" + m.field.Name, Code: MistakeConversion,
				Detail: wrong})
		}
		if v != nil {
			facts[m.field.Name] = v
		}
	}
	for name, v := range old { // what did not fit before is not lost now
		if _, is := facts[name]; !is && !taken[name] {
			facts[name] = v
		}
	}
	return facts, mistakes
}

// bring makes the new value of an old one, nil for none.
func (m member) bring(v any, name string, old map[string]any, created time.Time) (any, string) {
	switch {
	case m.convert:
		made, err := m.value.Of(map[string]any{name: old})
		if err != nil {
			return v, err.Error()
		}
		v = made
	case m.retyped && v != nil:
		made, ok := converted(v, m.old, m.field)
		if !ok {
			return v, fmt.Sprintf("%s is no %s", clip(v), m.field.Type)
		}
		v = made
	case m.inner != nil && v != nil:
		v = m.inner.inside(v, created)
	}
	if v == nil && m.fill {
		if m.field.Default.Now {
			return design.FormatTime(created), ""
		}
		return m.field.Default.Literal, ""
	}
	return v, ""
}

// inside rewrites an object, or the objects in a list.
func (r *Rewrite) inside(v any, created time.Time) any {
	switch v := v.(type) {
	case map[string]any:
		facts, _ := r.shape(v, created)
		return facts
	case []any:
		items := make([]any, len(v))
		for i, item := range v {
			items[i] = r.inside(item, created)
		}
		return items
	}
	return v
}
