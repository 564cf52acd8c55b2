package expr

import (
	"fmt"
	"slices"
	"strings"

	"cel.dev/cel-go/cel"
	"cel.dev/cel-go/common/ast"
	"cel.dev/cel-go/common/overloads"
	"cel.dev/cel-go/common/types"
	"cel.dev/cel-go/common/types/ref"
)

// Scope is what a rule may name: values and documents by their names, the collections
// that references lead to, the kinds of pairs, and other rules.
type Scope struct {
	Names     map[string]Shape
	Documents map[string]Shape   // by collection
	Pairs     map[string]PairEnd // by kind
	Rules     []*Named
	About     []string // the names of what a rule is about, and of who asks
}

// PairEnd says which collections a kind of pair joins.
type PairEnd struct{ From, To string }

// Rule is a condition over documents, which may follow their references and ask for
// pairs between them. What it needs to know is told, so that it can be fetched before.
type Rule struct {
	Expr
	Follows []Path    // the documents whose values it reads
	Asks    []PairAsk // the pairs it asks for
	Reads   []Member  // the values of documents that it names
	Beyond  []string  // the collections of which it reads other documents than it is about

	checked  *cel.Ast
	explains cel.Program
	named    map[string]*Named
}

// Path is a name, and the references that are followed from what it stands for.
type Path []string

// String is the path as an expression writes it.
func (p Path) String() string { return strings.Join(p, ".") }

// Member is a value of the documents of a collection.
type Member struct{ Collection, Name string }

// MaxFollowed is how many references a rule may follow from a name, one after the other.
const MaxFollowed = 2

// PairAsk is a question for a pair of a kind, from one document to another.
type PairAsk struct {
	Kind     string
	From, To Path
}

// Pairs tells which pairs there are, of those that a rule asks for.
type Pairs func(kind string, from, to *Document) bool

// The function that an expression asks with, what it becomes, and the hidden value it
// is given.
const (
	pairedName   = "paired"
	pairedCall   = "@paired"
	pairedSource = "@pairs"
)

// known is the hidden value behind [pairedSource].
type known struct {
	ref.Val
	there Pairs
}

// pairedMacro hands the hidden value to every question for a pair.
var pairedMacro = cel.GlobalMacro(pairedName, 3,
	func(eh cel.MacroExprFactory, _ ast.Expr, args []ast.Expr) (ast.Expr, *cel.Error) {
		if args[0].Kind() != ast.LiteralKind {
			return nil, eh.NewError(args[0].ID(), "paired needs a kind of pair in quotes, as in "+
				"paired('block', me, doc.author)")
		}
		return eh.NewCall(pairedCall, append([]ast.Expr{eh.NewIdent(pairedSource)}, args...)...), nil
	})

var pairedFunction = cel.Function(pairedCall, cel.Overload(pairedCall,
	[]*cel.Type{cel.DynType, cel.StringType, cel.DynType, cel.DynType}, cel.BoolType,
	cel.FunctionBinding(func(args ...ref.Val) ref.Val {
		pairs, is := args[0].(known)
		from, one := args[2].(*Document)
		to, other := args[3].(*Document)
		if !is || !one || !other {
			return types.False // nobody is paired with anything
		}
		kind, _ := args[1].Value().(string)
		return types.Bool(pairs.there(kind, from, to))
	})))

// CompileRule checks a rule. The error, if any, is a [*Mistake].
func CompileRule(text string, scope Scope) (*Rule, error) {
	return compileRule(text, scope, func(t *cel.Type) error {
		if t == types.BoolType {
			return nil
		}
		return &Mistake{1, 1, fmt.Sprintf("the rule must be true or false, this is of type %s", t)}
	})
}

// compileRule checks an expression over documents, whose type is to be as wanted.
func compileRule(text string, scope Scope, wanted func(*cel.Type) error) (*Rule, error) {
	if len(text) > MaxText {
		return nil, &Mistake{1, 1, fmt.Sprintf("the expression has %d bytes, %d are allowed", len(text), MaxText)}
	}
	env, err := scope.environment()
	if err != nil {
		return nil, err
	}
	checked, programs, err := compileIn(env, text)
	if err != nil {
		return nil, err
	}
	if err := wanted(checked.OutputType()); err != nil {
		return nil, err
	}
	rule := &Rule{Expr: Expr{text, scope.Names, mentions(checked), programs}, checked: checked,
		named: map[string]*Named{}}
	for _, n := range scope.Rules {
		rule.named[n.Name] = n
	}
	if !repeats(checked) { // then it takes no more steps than it has parts
		if rule.usual, err = env.Program(checked, withPatterns); err != nil {
			return nil, &Mistake{1, 1, err.Error()}
		}
	}
	rule.explains, err = env.Program(checked, withPatterns, cel.CostLimit(2*MaxSteps),
		cel.EvalOptions(cel.OptExhaustiveEval))
	if err != nil {
		return nil, &Mistake{1, 1, err.Error()}
	}
	return rule, rule.findNeeds(scope)
}

// repeats tells whether an expression does something over and over: then what it takes
// hangs on the values.
func repeats(checked *cel.Ast) bool {
	root := ast.NavigateAST(checked.NativeRep())
	return len(ast.MatchDescendants(root, ast.KindMatcher(ast.ComprehensionKind))) > 0 ||
		len(ast.MatchDescendants(root, ast.FunctionMatcher(overloads.Matches))) > 0
}

func (s Scope) environment() (*cel.Env, error) {
	env, err := environment(s.Names, s.Documents)
	if err == nil {
		env, err = env.Extend(cel.EnableMacroCallTracking(), cel.Macros(pairedMacro), pairedFunction, namedFunction,
			cel.Variable(pairedSource, cel.DynType))
	}
	if err == nil && len(s.Rules) > 0 {
		macros := make([]cel.Macro, len(s.Rules))
		budget := maxExpanded
		for i, n := range s.Rules {
			macros[i] = n.macro(&budget)
		}
		env, err = env.Extend(cel.Macros(macros...))
	}
	if err != nil {
		return nil, &Mistake{1, 1, err.Error()}
	}
	return env, nil
}

// findNeeds notes which documents a rule reads and which pairs it asks for. Both must be
// known by their place: what is worked out cannot be fetched before.
func (r *Rule) findNeeds(scope Scope) error {
	inner := r.checked.NativeRep()
	root := ast.NavigateAST(inner)
	at := func(e ast.Expr, message string, args ...any) error {
		place := inner.SourceInfo().GetStartLocation(e.ID())
		return &Mistake{max(place.Line(), 1), place.Column() + 1, fmt.Sprintf(message, args...)}
	}
	isDocument := func(e ast.Expr) bool { return isReference(inner.GetType(e.ID()).TypeName()) }
	for _, e := range ast.MatchDescendants(root, ast.KindMatcher(ast.SelectKind)) {
		operand := e.AsSelect().Operand()
		if !isDocument(operand) {
			continue
		}
		path, is := pathOf(operand, scope)
		if !is {
			return at(e, "only a name and its references can be followed, as in doc.author.name")
		}
		if len(path) > 1+MaxFollowed {
			return at(e, "%s follows %d references, %d are allowed", path, len(path)-1, MaxFollowed)
		}
		r.follow(path)
		of := collectionOf(inner.GetType(operand.ID()).TypeName())
		r.Reads = append(r.Reads, Member{of, e.AsSelect().FieldName()})
		if len(path) > 1 || !slices.Contains(scope.About, path[0]) {
			r.Beyond = append(r.Beyond, of)
		}
	}
	for _, call := range ast.MatchDescendants(root, ast.FunctionMatcher(pairedCall)) {
		args := call.AsCall().Args()
		kind, _ := args[1].AsLiteral().Value().(string)
		ends, is := scope.Pairs[kind]
		if !is {
			return at(call, "there is no pair %q", kind)
		}
		ask := PairAsk{Kind: kind}
		for i, end := range []struct {
			into       *Path
			collection string
		}{{&ask.From, ends.From}, {&ask.To, ends.To}} {
			if got := inner.GetType(args[2+i].ID()); got.TypeName() != documentType(end.collection) {
				return at(call, "pair %q goes from %s to %s, and here is a %s", kind, ends.From, ends.To, got)
			}
			if *end.into, is = pathOf(args[2+i], scope); !is {
				return at(call, "what is paired must be a name or a reference, as in doc.author")
			}
			r.follow((*end.into)[:len(*end.into)-1]) // the key stands in what it is a reference of
		}
		if !slices.ContainsFunc(r.Asks, ask.same) {
			r.Asks = append(r.Asks, ask)
		}
	}
	return nil
}

func (r *Rule) follow(p Path) {
	if len(p) > 0 && !slices.ContainsFunc(r.Follows, func(q Path) bool { return slices.Equal(p, q) }) {
		r.Follows = append(r.Follows, p)
		r.follow(p[:len(p)-1])
	}
}

// Reading tells whether the rule reads values of what a name stands for.
func (r *Rule) Reading(name string) bool {
	return slices.ContainsFunc(r.Follows, func(p Path) bool { return p[0] == name })
}

func (a PairAsk) same(b PairAsk) bool {
	return a.Kind == b.Kind && slices.Equal(a.From, b.From) && slices.Equal(a.To, b.To)
}

// pathOf reads a name and the references that follow it.
func pathOf(e ast.Expr, scope Scope) (Path, bool) {
	switch e.Kind() {
	case ast.IdentKind:
		s, is := scope.Names[e.AsIdent()]
		return Path{e.AsIdent()}, is && s.Kind == Reference
	case ast.SelectKind:
		path, is := pathOf(e.AsSelect().Operand(), scope)
		return append(slices.Clone(path), e.AsSelect().FieldName()), is
	}
	return nil, false
}

// Allows tells whether the rule holds for values and documents, by their names; a name
// without a value is null. The error, if any, is [ErrSteps].
func (r *Rule) Allows(values map[string]any, pairs Pairs) (bool, error) {
	return r.allows(r.usual, values, pairs)
}

func (r *Rule) allows(program cel.Program, values map[string]any, pairs Pairs) (bool, error) {
	out, _, err := program.Eval(r.inputs(values, pairs))
	if tookTooLong(err) {
		return false, ErrSteps
	}
	return err == nil && out == types.True, nil
}

func (r *Rule) inputs(values map[string]any, pairs Pairs) map[string]any {
	in := make(map[string]any, len(r.names)+1)
	for name, shape := range r.names {
		v := values[name]
		switch d, is := v.(*Document); {
		case v == nil, is && d == nil:
			in[name] = types.NullValue
		case is:
			in[name] = d
		default:
			in[name] = shape.value(v)
		}
	}
	in[pairedSource] = known{types.NullValue, pairs}
	return in
}
