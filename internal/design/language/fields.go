package language

import (
	"fmt"
	"math"
	"slices"

	"yalvo/internal/design"
	"yalvo/internal/design/expr"
)

// systemValues every document has; no field or kept value may bear their names.
var systemValues = []string{"id", "path", "version", "created", "updated"}

// maxItems is the most a list or set may be declared to hold: what grows
// without end is a nested collection or a pair.
const maxItems = 1000

func (r *reader) readFields(n *node, in *design.Collection) []*design.Field {
	var fields []*design.Field
	r.named(n, "fields", func(name string, at design.Pos, value *node) {
		if in != nil && slices.Contains(systemValues, name) {
			r.problem(at, design.CodeNameTaken,
				fmt.Sprintf("every document has %q already", name), "choose another name")
		}
		fields = append(fields, r.readField(name, at, value, in))
	})
	return fields
}

// readField reads one field; in is nil inside objects, lists and sets.
func (r *reader) readField(name string, at design.Pos, n *node, in *design.Collection) *design.Field {
	f := &design.Field{Name: name, Pos: at, In: in}
	what := fmt.Sprintf("field %q", name)
	var def, choices *node
	var placed = map[string]design.Pos{}
	note := func(key string, read func(*node)) func(*node) {
		return func(n *node) { placed[key] = n.pos; read(n) }
	}
	r.mapping(n, what, keys{
		"type": func(n *node) {
			f.Type = design.Type(r.choice(n, "a type",
				[]string{"string", "integer", "number", "boolean", "timestamp", "reference", "media", "object", "list",
					"set"}, nil))
		},
		"required": r.boolean(&f.Required),
		"default":  note("default", func(n *node) { def = n }),
		"min":      note("min", func(n *node) { f.Min = r.number(n, "min") }),
		"max":      note("max", func(n *node) { f.Max = r.number(n, "max") }),
		"pattern":  note("pattern", func(n *node) { f.Pattern = r.pattern(n) }),
		"one_of":   note("one_of", func(n *node) { choices = n; f.OneOf = r.oneOf(n) }),
		"unique":   note("unique", r.boolean(&f.Unique)),
		"fixed":    note("fixed", r.boolean(&f.Fixed)),
		"to":       note("to", func(n *node) { r.readTarget(n, f) }),
		"when_gone": note("when_gone", func(n *node) {
			f.WhenGone = design.WhenGone(r.choice(n, "when_gone", []string{"remove", "clear", "refuse", "leave"}, nil))
		}),
		"inverse": note("inverse", func(n *node) { f.Inverse = r.name(n, "inverse") }),
		"fields":  note("fields", func(n *node) { f.Fields = r.readFields(n, nil) }),
		"of":      note("of", func(n *node) { f.Of = r.readField("of", n.pos, n, nil) }),
		"was":     r.was(&f.Was, name),
		"convert": func(n *node) { f.Convert = &design.Convert{Text: r.word(n, "convert"), Pos: n.pos} },
	}, "type")
	if n.shape != mapping || f.Type == "" {
		return f
	}
	r.checkKeysFitType(f, placed, n.pos)
	r.checkEnds(f, n.pos, placed)
	r.checkPattern(f, placed["pattern"])
	if choices != nil {
		r.last = append(r.last, func() { r.checkChoices(f, choices) })
	}
	if def != nil {
		r.last = append(r.last, func() { r.readDefault(def, f) })
	}
	return f
}

// typeKeys says which keys mean something for which types.
var typeKeys = map[string][]design.Type{
	"min":       {design.String, design.Integer, design.Number, design.List, design.Set},
	"max":       {design.String, design.Integer, design.Number, design.List, design.Set},
	"pattern":   {design.String},
	"one_of":    {design.String, design.Integer, design.Number},
	"unique":    {design.String, design.Integer},
	"to":        {design.Reference},
	"when_gone": {design.Reference},
	"inverse":   {design.Reference},
	"fields":    {design.Object},
	"of":        {design.List, design.Set},
	"default": {design.String, design.Integer, design.Number, design.Boolean, design.Timestamp, design.Reference,
		design.Media, design.List, design.Set, design.Object},
}

func (r *reader) checkKeysFitType(f *design.Field, placed map[string]design.Pos, at design.Pos) {
	for key, pos := range placed {
		if types, bound := typeKeys[key]; bound && !slices.Contains(types, f.Type) {
			r.problem(pos, design.CodeContradicted, fmt.Sprintf("%q means nothing for a field of type %s", key, f.Type),
				"leave it out")
		}
	}
	need := func(key, remedy string) {
		if _, ok := placed[key]; !ok {
			r.problem(at, design.CodeMissingKey,
				fmt.Sprintf("field %q of type %s needs the key %q", f.Name, f.Type, key),
				remedy)
		}
	}
	switch f.Type {
	case design.Reference:
		need("to", "name the collection it points at")
		if f.WhenGone == "" {
			f.WhenGone = design.GoneRefuse
		}
		if f.In == nil {
			r.problem(f.Pos, design.CodeContradicted, "a reference cannot lie inside an object, list or set",
				"make it a field of the collection, or a pair")
		}
	case design.Object:
		need("fields", "say what the object holds")
	case design.List, design.Set:
		need("of", "say what the items are, as in `of: {type: string}`")
		need("max", "what grows without end is a nested collection or a pair")
		if f.Max != nil && *f.Max > maxItems {
			r.problem(placed["max"], design.CodeBadValue, fmt.Sprintf("%s may hold %d items at most", f.Type, maxItems),
				"use a nested collection or a pair for more")
		}
		if f.Of != nil && f.Of.Type != "" && slices.Contains([]design.Type{design.List, design.Set}, f.Of.Type) {
			r.problem(f.Of.Pos, design.CodeContradicted, "a list or set cannot hold lists or sets",
				"put the inner one into an object")
		}
	}
	if f.In == nil && (f.Unique || f.Fixed) {
		r.problem(f.Pos, design.CodeContradicted,
			"unique and fixed are for fields of a collection, not inside objects, "+
				"lists or sets", "")
	}
}

// checkEnds sees that min and max are such as the type can have: how many
// characters or items, or a value of it.
func (r *reader) checkEnds(f *design.Field, at design.Pos, placed map[string]design.Pos) {
	for key, end := range map[string]*float64{"min": f.Min, "max": f.Max} {
		switch {
		case end == nil:
		case f.Type != design.Number && *end != math.Trunc(*end):
			r.problem(placed[key], design.CodeBadValue,
				fmt.Sprintf("%s of a field of type %s must be a whole number, not %v",
					key, f.Type, *end), "")
		case sized(f) && *end < 0 || sized(f) && key == "max" && *end < 1:
			r.problem(placed[key], design.CodeBadValue,
				fmt.Sprintf("%s is how many %s field %q may have, and cannot be %v",
					key,
					map[bool]string{true: "characters", false: "items"}[f.Type == design.String], f.Name, *end), "")
		case math.Abs(*end) > design.MaxNumber || f.Type == design.Integer && math.Abs(*end) > design.MaxExact:
			r.problem(placed[key], design.CodeBadValue,
				fmt.Sprintf("%s %v lies beyond what a field of type %s can hold", key,
					*end, f.Type), "")
		}
	}
	if f.Type == design.String && f.Required && f.Min == nil {
		least := 1.0 // what must be there is not empty, unless the design says min: 0
		f.Min = &least
	}
	if f.Min != nil && f.Max != nil && *f.Min > *f.Max {
		r.problem(at, design.CodeContradicted,
			fmt.Sprintf("field %q: min %v is more than max %v", f.Name, *f.Min, *f.Max), "")
	}
	if f.Required && f.WhenGone == design.GoneClear {
		r.problem(at, design.CodeContradicted,
			fmt.Sprintf("field %q is required, so it cannot be cleared when its target "+
				"goes", f.Name), "use remove or refuse, or do not require it")
	}
}

// sized tells whether min and max count characters or items.
func sized(f *design.Field) bool {
	return slices.Contains([]design.Type{design.String, design.List, design.Set}, f.Type)
}

// checkPattern sees that matching the longest text that the field takes is not
// too much work.
func (r *reader) checkPattern(f *design.Field, at design.Pos) {
	if f.Pattern == nil || f.Max == nil || f.Type != design.String {
		return
	}
	if most := f.Pattern.Longest(); *f.Max > float64(most) {
		r.problem(at, design.CodeTooLarge,
			fmt.Sprintf("the pattern takes too many steps for texts of %v characters", *f.Max),
			fmt.Sprintf("make the pattern simpler, or write max: %d", most))
	}
}

// checkChoices sees that the values of one_of are such as the field can have.
func (r *reader) checkChoices(f *design.Field, choices *node) {
	free := *f
	free.OneOf = nil
	for i, item := range choices.items {
		v, mistakes := free.Accept(item.plain())
		for _, m := range mistakes {
			r.problem(item.pos, design.CodeBadValue,
				fmt.Sprintf("field %q could never be %s: %s", f.Name, describe(item),
					m.Detail), "")
		}
		if len(mistakes) == 0 {
			f.OneOf[i] = v
		}
	}
}

func (r *reader) readTarget(n *node, f *design.Field) {
	name := r.word(n, "to")
	r.later = append(r.later, func() { f.To = r.collection(n.pos, name) })
}

func (r *reader) readDefault(n *node, f *design.Field) {
	if f.Type == design.Timestamp && n.scalar == "now" {
		f.Default = &design.Default{Now: true}
		return
	}
	if f.Type == design.Reference {
		if n.scalar != "me" {
			r.problem(n.pos, design.CodeBadValue, "the default of a reference can only be `me`", "")
			return
		}
		if f.To != nil && f.To != r.design.Accounts {
			r.problem(n.pos, design.CodeContradicted,
				fmt.Sprintf("`me` is an account, and field %q points at %q", f.Name, f.To.Name),
				"say `accounts: "+f.To.Name+"` at the top, or leave the default out")
		}
		f.Default = &design.Default{Me: true}
		return
	}
	v, mistakes := f.Accept(n.plain())
	for _, m := range mistakes {
		r.problem(n.pos, design.CodeBadValue,
			fmt.Sprintf("the default of field %q does not fit it: %s", f.Name, m.Detail), "")
	}
	f.Default = &design.Default{Literal: v}
}

// plain turns a node into the value that JSON would have for it.
func (n *node) plain() any {
	switch n.shape {
	case mapping:
		m := map[string]any{}
		for _, e := range n.entries {
			m[e.key] = e.value.plain()
		}
		return m
	case sequence:
		l := []any{}
		for _, item := range n.items {
			l = append(l, item.plain())
		}
		return l
	}
	return n.scalar
}

func (r *reader) number(n *node, what string) *float64 {
	var f float64
	switch v := n.scalar.(type) {
	case int64:
		f = float64(v)
	case float64:
		f = v
	default:
		r.problem(n.pos, design.CodeShape, fmt.Sprintf("%s must be a number, this is %s", what, describe(n)), "")
		return nil
	}
	return &f
}

func (r *reader) pattern(n *node) *expr.Pattern {
	s := r.word(n, "pattern")
	p, err := expr.CompilePattern(s)
	if err != nil {
		r.problem(n.pos, design.CodeBadValue, err.Error(), "use RE2 syntax")
		return nil
	}
	return p
}

func (r *reader) oneOf(n *node) []any {
	if n.shape != sequence || len(n.items) == 0 {
		r.problem(n.pos, design.CodeShape, "one_of must be a list of values, this is "+describe(n), "write [one, two]")
		return nil
	}
	var all []any
	for _, item := range n.items {
		all = append(all, item.plain())
	}
	return all
}
