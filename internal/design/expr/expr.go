package expr

import (
	"errors"
	"fmt"
	"slices"
	"strings"
	"sync"

	"cel.dev/cel-go/cel"
	"cel.dev/cel-go/common/ast"
	"cel.dev/cel-go/common/env"
	"cel.dev/cel-go/common/types"
	"cel.dev/cel-go/interpreter"
)

// Limits on expressions: how long the text may be, in bytes, and how many steps
// one evaluation may take.
const (
	MaxText  = 2000
	MaxSteps = 100_000
)

// Expr is a condition that has been checked.
type Expr struct {
	Text  string
	names map[string]Shape
	said  map[string]map[string]bool // by name: the members of it that it names, "" for the whole
	programs
}

// programs are those of one expression: one with the usual limit, and one that
// may take twice the steps.
type programs struct{ usual, patient cel.Program }

// Mistake is what is wrong with the text of a condition. Column counts
// characters from 1.
type Mistake struct {
	Line, Column int
	Message      string
}

// Error is the mistake in words, without the place.
func (m *Mistake) Error() string { return m.Message }

// ErrSteps is why an expression was given up: it took too many steps.
var ErrSteps = fmt.Errorf("it takes more than %d steps", MaxSteps)

// Compile checks a condition whose names have the given shapes. The error, if
// any, is a [*Mistake].
func Compile(text string, names map[string]Shape) (*Expr, error) {
	checked, programs, err := compile(text, names)
	if err != nil {
		return nil, err
	}
	if checked.OutputType() != types.BoolType {
		return nil, &Mistake{1, 1, fmt.Sprintf("the condition must be true or false, this is of type %s",
			checked.OutputType())}
	}
	return &Expr{text, names, mentions(checked), programs}, nil
}

// mentions are the names and members that an expression names. A variable of a macro
// that has the name of one counts as that one.
func mentions(checked *cel.Ast) map[string]map[string]bool {
	said := map[string]map[string]bool{}
	root := ast.NavigateAST(checked.NativeRep())
	for _, ident := range ast.MatchDescendants(root, ast.KindMatcher(ast.IdentKind)) {
		name, member := ident.AsIdent(), ""
		if parent, has := ident.Parent(); has && parent.Kind() == ast.SelectKind {
			member = parent.AsSelect().FieldName()
		}
		if said[name] == nil {
			said[name] = map[string]bool{}
		}
		said[name][member] = true
	}
	return said
}

// Names tells whether the condition names something, or of that one of some members or
// the whole.
func (e *Expr) Names(name string, members ...string) bool {
	said := e.said[name]
	if len(members) == 0 {
		return said != nil
	}
	return said[""] || slices.ContainsFunc(members, func(m string) bool { return said[m] })
}

// standard is the language with what has bounds of its own here in place of
// what has none: see [withPatterns].
var standard = sync.OnceValues(func() (*cel.Env, error) {
	without := cel.StdLibSubset(&env.LibrarySubset{ExcludeFunctions: []*env.Function{env.NewFunction("matches")}})
	return cel.NewCustomEnv(cel.StdLib(without), match,
		cel.ASTValidators(cel.ValidateTimestampLiterals(), cel.ValidateDurationLiterals()))
})

func compile(text string, names map[string]Shape) (*cel.Ast, programs, error) {
	if len(text) > MaxText {
		return nil, programs{}, &Mistake{1, 1, fmt.Sprintf("the expression has %d bytes, %d are allowed", len(text),
			MaxText)}
	}
	env, err := environment(names, nil)
	if err != nil {
		return nil, programs{}, &Mistake{1, 1, err.Error()}
	}
	return compileIn(env, text)
}

func compileIn(env *cel.Env, text string) (*cel.Ast, programs, error) {
	checked, issues := env.Compile(text)
	if err := firstOf(issues); err != nil {
		return nil, programs{}, err
	}
	if err := checkPatterns(checked); err != nil {
		return nil, programs{}, err
	}
	var err error
	var p programs
	if p.usual, err = env.Program(checked, withPatterns, cel.CostLimit(MaxSteps)); err == nil {
		p.patient, err = env.Program(checked, withPatterns, cel.CostLimit(2*MaxSteps))
	}
	if err != nil {
		return nil, programs{}, &Mistake{1, 1, err.Error()}
	}
	return checked, p, nil
}

// firstOf is the first mistake of some, nil if there is none.
func firstOf(issues *cel.Issues) error {
	if issues == nil || issues.Err() == nil {
		return nil
	}
	first := issues.Errors()[0]
	message, _, _ := strings.Cut(first.Message, " (in container '')")
	return &Mistake{first.Location.Line(), first.Location.Column() + 1, message}
}

// environment is what an expression may name: values of given shapes, and through
// references documents of given collections.
func environment(names, documents map[string]Shape) (*cel.Env, error) {
	base, err := standard()
	if err != nil {
		return nil, err
	}
	registry, err := types.NewRegistry()
	if err != nil {
		return nil, err
	}
	p := &provider{registry, map[string]map[string]Shape{}}
	for collection, shape := range documents {
		p.objects[documentType(collection)] = shape.Members
	}
	options := []cel.EnvOption{cel.CustomTypeProvider(p), cel.CustomTypeAdapter(registry)}
	for name, shape := range names {
		options = append(options, cel.Variable(name, p.typeOf("#"+name, shape)))
	}
	return base.Extend(options...)
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
// One that cannot be worked out, because it needs a value that is absent, does
// not hold: ask has(doc.name) first. The error, if any, is [ErrSteps].
func (e *Expr) Holds(values map[string]any) (bool, error) { return e.holds(e.usual, values) }

// StillHolds is [Expr.Holds] for values that it has been tried with before, in
// other company: it may take twice the steps, so that what was taken once is
// not refused when nobody can be told any more.
func (e *Expr) StillHolds(values map[string]any) (bool, error) { return e.holds(e.patient, values) }

func (e *Expr) holds(program cel.Program, values map[string]any) (bool, error) {
	out, _, err := program.Eval(inputs(e.names, values))
	if tookTooLong(err) {
		return false, ErrSteps
	}
	return err == nil && out == types.True, nil
}

func tookTooLong(err error) bool {
	var cancelled interpreter.EvalCancelledError
	return errors.As(err, &cancelled) || errors.Is(err, errMatch)
}
