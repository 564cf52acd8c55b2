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
	if len(text) > MaxText {
		return nil, &Mistake{1, 1, fmt.Sprintf("the condition has %d bytes, %d are allowed", len(text), MaxText)}
	}
	registry, err := types.NewRegistry()
	if err != nil {
		return nil, &Mistake{1, 1, err.Error()}
	}
	p := &provider{registry, map[string]map[string]Shape{}}
	options := []cel.EnvOption{cel.CustomTypeProvider(p), cel.CustomTypeAdapter(registry)}
	for name, shape := range names {
		options = append(options, cel.Variable(name, p.typeOf("#"+name, shape)))
	}
	env, err := cel.NewEnv(options...)
	if err != nil {
		return nil, &Mistake{1, 1, err.Error()}
	}
	ast, issues := env.Compile(text)
	if issues != nil && issues.Err() != nil {
		first := issues.Errors()[0]
		return nil, &Mistake{first.Location.Line(), first.Location.Column() + 1, first.Message}
	}
	if ast.OutputType() != types.BoolType {
		return nil, &Mistake{1, 1, fmt.Sprintf("the condition must be true or false, this is of type %s", ast.OutputType())}
	}
	program, err := env.Program(ast, cel.CostLimit(maxSteps))
	if err != nil {
		return nil, &Mistake{1, 1, err.Error()}
	}
	return &Expr{text, names, program}, nil
}

// Holds tells whether the condition holds for values as documents hold them.
// One that cannot be worked out, because it needs a value that is absent or
// takes too many steps, does not hold: ask has(doc.name) first.
func (e *Expr) Holds(values map[string]map[string]any) bool {
	input := make(map[string]any, len(e.names))
	for name, shape := range e.names {
		input[name] = shape.value(values[name])
	}
	out, _, err := e.program.Eval(input)
	return err == nil && out == types.True
}
