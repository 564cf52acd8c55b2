package expr

import (
	"fmt"
	"slices"

	"cel.dev/cel-go/cel"
	"cel.dev/cel-go/common/ast"
	"cel.dev/cel-go/common/operators"
	"cel.dev/cel-go/common/types"
	"cel.dev/cel-go/common/types/ref"
)

// Named is a condition with a name, which rules may use as a function: what is given for
// its parameters takes their place.
type Named struct {
	Name      string
	Params    []string
	Text      string
	Otherwise string // what those are told whom it refuses

	body ast.Expr
}

// maxExpanded is how many parts an expression may have when the rules it uses have been
// put in.
const maxExpanded = 2000

// CompileNamed reads a named condition, which may use those given before it. What its
// names stand for is seen where it is used. The error, if any, is a [*Mistake].
func CompileNamed(n Named, before []*Named) (*Named, error) {
	if len(n.Text) > MaxText {
		return nil, &Mistake{1, 1, fmt.Sprintf("the expression has %d bytes, %d are allowed", len(n.Text), MaxText)}
	}
	env, err := Scope{Rules: before}.environment()
	if err != nil {
		return nil, err
	}
	isMacro := func(m cel.Macro) bool { return m.Function() == n.Name }
	if env.HasFunction(n.Name) || slices.ContainsFunc(env.Macros(), isMacro) {
		return nil, &Mistake{1, 1, fmt.Sprintf("%q is a function already: choose another name", n.Name)}
	}
	parsed, issues := env.Parse(n.Text)
	if err := firstOf(issues); err != nil {
		return nil, err
	}
	n.body = parsed.NativeRep().Expr()
	return &n, nil
}

// macro puts the condition in where it is used. The budget is for all of an expression.
func (n *Named) macro(budget *int) cel.Macro {
	return cel.GlobalMacro(n.Name, len(n.Params),
		func(eh cel.MacroExprFactory, _ ast.Expr, args []ast.Expr) (ast.Expr, *cel.Error) {
			given := make(map[string]ast.Expr, len(args))
			for i, param := range n.Params {
				given[param] = args[i]
			}
			c := copier{eh, budget}
			// What it was given is kept for explanations, where it is never worked out.
			asked := eh.NewCall(operators.Conditional, eh.NewLiteral(types.False), eh.NewList(args...), eh.NewList())
			out := eh.NewCall(namedCall, eh.NewLiteral(types.String(n.Name)), asked, c.copy(n.body, given))
			if *budget < 0 {
				return nil, eh.NewError(out.ID(), fmt.Sprintf("the rules it uses make more than %d parts of it",
					maxExpanded))
			}
			return out, nil
		})
}

// namedCall stands around a named condition in what uses it: it is given the name, what
// was given for the parameters, and the condition, and is as true as that.
const namedCall = "@named"

var namedFunction = cel.Function(namedCall, cel.Overload(namedCall,
	[]*cel.Type{cel.StringType, cel.ListType(cel.DynType), cel.BoolType}, cel.BoolType,
	cel.FunctionBinding(func(args ...ref.Val) ref.Val { return args[2] })))

// copier copies an expression into another one.
type copier struct {
	cel.MacroExprFactory
	budget *int
}

// copy is an expression with what is given in the place of names.
func (c copier) copy(e ast.Expr, given map[string]ast.Expr) ast.Expr {
	if *c.budget--; *c.budget < 0 {
		return c.NewList()
	}
	switch e.Kind() {
	case ast.LiteralKind:
		return c.NewLiteral(e.AsLiteral())
	case ast.IdentKind:
		if to, is := given[e.AsIdent()]; is {
			return c.copy(to, nil)
		}
		return c.NewIdent(e.AsIdent())
	case ast.SelectKind:
		s := e.AsSelect()
		if s.IsTestOnly() {
			return c.NewPresenceTest(c.copy(s.Operand(), given), s.FieldName())
		}
		return c.NewSelect(c.copy(s.Operand(), given), s.FieldName())
	case ast.CallKind:
		call := e.AsCall()
		if call.IsMemberFunction() {
			return c.NewMemberCall(call.FunctionName(), c.copy(call.Target(), given), c.all(call.Args(), given)...)
		}
		return c.NewCall(call.FunctionName(), c.all(call.Args(), given)...)
	case ast.ListKind:
		return c.NewList(c.all(e.AsList().Elements(), given)...)
	case ast.MapKind:
		var entries []ast.EntryExpr
		for _, entry := range e.AsMap().Entries() {
			m := entry.AsMapEntry()
			entries = append(entries, c.NewMapEntry(c.copy(m.Key(), given), c.copy(m.Value(), given), m.IsOptional()))
		}
		return c.NewMap(entries...)
	case ast.ComprehensionKind:
		return c.comprehension(e.AsComprehension(), given)
	}
	return c.NewList() // objects cannot be made: no name of theirs is known
}

func (c copier) all(some []ast.Expr, given map[string]ast.Expr) []ast.Expr {
	out := make([]ast.Expr, len(some))
	for i, e := range some {
		out[i] = c.copy(e, given)
	}
	return out
}

// comprehension copies what a macro such as exists has become. Its own variables hide
// what is given for names like theirs.
func (c copier) comprehension(e ast.ComprehensionExpr, given map[string]ast.Expr) ast.Expr {
	within := map[string]ast.Expr{}
	for name, to := range given {
		if name != e.IterVar() && name != e.AccuVar() {
			within[name] = to
		}
	}
	return c.NewComprehension(c.copy(e.IterRange(), given), e.IterVar(), e.AccuVar(), c.copy(e.AccuInit(), given),
		c.copy(e.LoopCondition(), within), c.copy(e.LoopStep(), within), c.copy(e.Result(), within))
}
