package expr

import (
	"errors"

	"cel.dev/cel-go/cel"
	"cel.dev/cel-go/common/ast"
	"cel.dev/cel-go/common/overloads"
	"cel.dev/cel-go/common/types"
	"cel.dev/cel-go/common/types/ref"
	"cel.dev/cel-go/interpreter"
)

// match is the function `matches`, which [withPatterns] gives its meaning.
var match = cel.Function(overloads.Matches,
	cel.Overload(overloads.Matches, []*cel.Type{cel.StringType, cel.StringType}, cel.BoolType),
	cel.MemberOverload(overloads.MatchesString, []*cel.Type{cel.StringType, cel.StringType}, cel.BoolType),
	cel.SingletonBinaryBinding(func(_, _ ref.Val) ref.Val { return types.WrapErr(errPattern) }))

var (
	errPattern = errors.New("the pattern does not stand in the condition") // refused by [checkPatterns]
	errMatch   = errors.New("the text is too long for the pattern")        // why a match was not tried
)

// withPatterns has a program keep the patterns that stand in it, read once, with the bounds of [Pattern]: matching
// is one step to the interpreter, however long it takes.
var withPatterns = cel.OptimizeRegex(&interpreter.RegexOptimization{
	Function:   overloads.Matches,
	RegexIndex: 1,
	Factory: func(call interpreter.InterpretableCall, text string) (interpreter.InterpretableCall, error) {
		p, err := CompilePattern(text)
		if err != nil {
			return nil, err
		}
		matches := func(values ...ref.Val) ref.Val {
			s, is := values[0].Value().(string)
			switch {
			case !is:
				return types.MaybeNoSuchOverloadErr(values[0])
			case len(s) > p.Longest():
				return types.WrapErr(errMatch)
			}
			return types.Bool(p.Matches(s))
		}
		return interpreter.NewCall(call.ID(), call.Function(), call.OverloadID(), call.Args(), matches), nil
	},
})

// checkPatterns sees that the patterns of an expression stand in it as they are
// and can be read.
func checkPatterns(checked *cel.Ast) error {
	root := ast.NavigateAST(checked.NativeRep())
	for _, call := range ast.MatchDescendants(root, ast.FunctionMatcher(overloads.Matches)) {
		args := call.AsCall().Args()
		given := args[len(args)-1]
		at := checked.NativeRep().SourceInfo().GetStartLocation(given.ID())
		wrong := func(message string) error { return &Mistake{at.Line(), at.Column() + 1, message} }
		if given.Kind() != ast.LiteralKind {
			return wrong("a pattern must stand in the condition as it is, in quotes")
		}
		text, is := given.AsLiteral().Value().(string)
		if !is {
			return wrong("a pattern is a text")
		}
		if _, err := CompilePattern(text); err != nil {
			return wrong(err.Error())
		}
	}
	return nil
}
