package expr

import (
	"errors"
	"sync"

	"cel.dev/cel-go/cel"
	"cel.dev/cel-go/common/ast"
	"cel.dev/cel-go/common/overloads"
	"cel.dev/cel-go/common/types"
	"cel.dev/cel-go/common/types/ref"
)

// match is the function `matches` with the bounds of [Pattern]: matching is one
// step to the interpreter, however long it takes.
var match = cel.Function(overloads.Matches,
	cel.Overload(overloads.Matches, []*cel.Type{cel.StringType, cel.StringType}, cel.BoolType),
	cel.MemberOverload(overloads.MatchesString, []*cel.Type{cel.StringType, cel.StringType}, cel.BoolType),
	cel.SingletonBinaryBinding(matches))

// errMatch is why a match was not tried.
var errMatch = errors.New("the text is too long for the pattern")

// compiled are the patterns of all expressions, by their text: those of the
// designs a service has read.
var compiled sync.Map

func matches(text, pattern ref.Val) ref.Val {
	s, is := text.Value().(string)
	p, isText := pattern.Value().(string)
	if !is || !isText {
		return types.MaybeNoSuchOverloadErr(text)
	}
	known, there := compiled.Load(p)
	if !there {
		return types.NewErr("the pattern is not one of the design")
	}
	re := known.(*Pattern)
	if len(s) > re.Longest() {
		return types.WrapErr(errMatch)
	}
	return types.Bool(re.Matches(s))
}

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
		p, err := CompilePattern(text)
		if err != nil {
			return wrong(err.Error())
		}
		compiled.Store(text, p)
	}
	return nil
}
