package expr

import (
	"fmt"

	"cel.dev/cel-go/cel"
	"cel.dev/cel-go/common/types"
)

// Limits on conditions: how long the text may be, in bytes, and how many steps
// one evaluation may take.
const (
	MaxText  = 2000
	maxSteps = 100_000
)

// Expr is a condition that has been checked.
type Expr struct {
	Text    string
	names   map[string]Shape
	program cel.Program
}

// Mistake is what is wrong with the text of a condition. Column counts
// characters from 1.
type Mistake struct {
	Line, Column int
	Message      string
}

// Error is the mistake in words, without the place.
func (m *Mistake) Error() string { return m.Message }

// Compile checks a condition whose names have the given shapes. The error, if
// any, is a [*Mistake].
func Compile(text string, names map[string]Shape) (*Expr, error) {
	ast, program, err := compile(text, names)
	if err != nil {
		return nil, err
	}
	if ast.OutputType() != types.BoolType {
		return nil, &Mistake{1, 1, fmt.Sprintf("the condition must be true or false, this is of type %s",
			ast.OutputType())}
	}
	return &Expr{text, names, program}, nil
}

func compile(text string, names map[string]Shape) (*cel.Ast, cel.Program, error) {
	if len(text) > MaxText {
		return nil, nil, &Mistake{1, 1, fmt.Sprintf("the expression has %d bytes, %d are allowed", len(text), MaxText)}
	}
	registry, err := types.NewRegistry()
	if err != nil {
		return nil, nil, &Mistake{1, 1, err.Error()}
	}
	p := &provider{registry, map[string]map[string]Shape{}}
	options := []cel.EnvOption{cel.CustomTypeProvider(p), cel.CustomTypeAdapter(registry)}
	for name, shape := range names {
		options = append(options, cel.Variable(name, p.typeOf("#"+name, shape)))
	}
	env, err := cel.NewEnv(options...)
	if err != nil {
		return nil, nil, &Mistake{1, 1, err.Error()}
	}
	ast, issues := env.Compile(text)
	if issues != nil && issues.Err() != nil {
		first := issues.Errors()[0]
		return nil, nil, &Mistake{first.Location.Line(), first.Location.Column() + 1, first.Message}
	}
	program, err := env.Program(ast, cel.CostLimit(maxSteps))
	if err != nil {
		return nil, nil, &Mistake{1, 1, err.Error()}
	}
	return ast, program, nil
}

// inputs are values in the form CEL computes with. A name without a value is
// an empty object, or an empty text.
func inputs(names map[string]Shape, values map[string]any) map[string]any {
	input := make(map[string]any, len(names))
	for name, shape := range names {
		v := values[name]
		if v == nil && shape.Kind == Object {
			v = map[string]any{}
		}
		if v == nil {
			v = ""
		}
		input[name] = shape.value(v)
	}
	return input
}

// Holds tells whether the condition holds for values as documents hold them.
// One that cannot be worked out, because it needs a value that is absent or
// takes too many steps, does not hold: ask has(doc.name) first.
func (e *Expr) Holds(values map[string]any) bool {
	out, _, err := e.program.Eval(inputs(e.names, values))
	return err == nil && out == types.True
}
