package expr

import (
	"errors"
	"strings"

	"cel.dev/cel-go/cel"
	"cel.dev/cel-go/common/ast"
	"cel.dev/cel-go/common/operators"
	"cel.dev/cel-go/common/types"
	"cel.dev/cel-go/common/types/ref"
	"cel.dev/cel-go/interpreter"
)

// Part is a part of a rule with what it came to.
type Part struct {
	Text  string `json:"text"`
	Value Truth  `json:"value"`
	Words string `json:"words,omitempty"` // of a named rule: what those are told whom it refuses
	Parts []Part `json:"parts,omitempty"` // what it was worked out from

	negates bool // it is true if its part is not
}

// Truth is what a part of a rule comes to.
type Truth string

// The values of parts.
const (
	True    Truth = "true"
	False   Truth = "false"
	Unknown Truth = "unknown" // it cannot be worked out: something that it names is absent
)

// Explain works a rule out with all of its parts. The error, if any, is [ErrSteps].
func (r *Rule) Explain(values map[string]any, pairs Pairs) (Part, error) {
	out, details, err := r.explains.Eval(r.inputs(values, pairs))
	if tookTooLong(err) {
		return Part{}, ErrSteps
	}
	if details == nil {
		return Part{}, errors.Join(err, errors.New("nothing is known of the rule's parts"))
	}
	root := r.part(r.checked.NativeRep().Expr(), details.State())
	if root.Value = Unknown; err == nil {
		root.Value = truthOf(out)
	}
	return root, nil
}

func (r *Rule) part(e ast.Expr, state interpreter.EvalState) Part {
	p := Part{Text: r.text(e), Value: Unknown}
	if v, there := state.Value(e.ID()); there {
		p.Value = truthOf(v)
	}
	if name, body, is := named(e); is {
		p.Words = r.named[name].Otherwise
		e = body
	}
	r.split(e, state, &p)
	if len(p.Parts) == 0 && p.Words == "" && r.text(e) != p.Text { // a named condition of one part
		p.Parts = []Part{r.part(e, state)}
	}
	return p
}

// named takes the use of a named condition apart.
func named(e ast.Expr) (name string, body ast.Expr, is bool) {
	if e.Kind() != ast.CallKind || e.AsCall().FunctionName() != namedCall {
		return "", nil, false
	}
	args := e.AsCall().Args()
	name, _ = args[0].AsLiteral().Value().(string)
	return name, args[2], true
}

// split takes apart what is joined by and, or and not.
func (r *Rule) split(e ast.Expr, state interpreter.EvalState, into *Part) {
	if e.Kind() != ast.CallKind {
		return
	}
	switch name := e.AsCall().FunctionName(); name {
	case operators.LogicalNot:
		into.negates = true
		into.Parts = append(into.Parts, r.part(e.AsCall().Args()[0], state))
	case operators.LogicalAnd, operators.LogicalOr:
		for _, arg := range e.AsCall().Args() {
			if arg.Kind() == ast.CallKind && arg.AsCall().FunctionName() == name {
				r.split(arg, state, into) // a && b && c are three, not two of which one is two
				continue
			}
			into.Parts = append(into.Parts, r.part(arg, state))
		}
	}
}

// text is a part as the design writes it.
func (r *Rule) text(e ast.Expr) string {
	text, err := cel.ExprToString(r.asWritten(e), r.checked.NativeRep().SourceInfo())
	if err != nil {
		return r.Text
	}
	if !strings.Contains(r.Text, `"`) && !strings.Contains(text, "'") {
		text = strings.ReplaceAll(text, `"`, "'") // as the rule has it
	}
	return text
}

// asWritten puts calls of named conditions and questions for pairs back in the place of
// what they have become.
func (r *Rule) asWritten(e ast.Expr) ast.Expr {
	made := ast.NewExprFactory()
	all := func(some []ast.Expr) []ast.Expr {
		out := make([]ast.Expr, len(some))
		for i, one := range some {
			out[i] = r.asWritten(one)
		}
		return out
	}
	if e.Kind() != ast.CallKind {
		return e
	}
	call := e.AsCall()
	args := call.Args()
	switch name := call.FunctionName(); {
	case name == namedCall:
		name, _ := args[0].AsLiteral().Value().(string)
		return made.NewCall(0, name, all(args[1].AsCall().Args()[1].AsList().Elements())...)
	case name == pairedCall:
		return made.NewCall(0, pairedName, all(args[1:])...)
	case call.IsMemberFunction():
		return made.NewMemberCall(0, name, r.asWritten(call.Target()), all(args)...)
	default:
		return made.NewCall(0, name, all(args)...)
	}
}

func truthOf(v ref.Val) Truth {
	switch v {
	case types.True:
		return True
	case types.False:
		return False
	}
	return Unknown
}

// Refusing are the words for those whom the rule has refused: of the named rules that had
// to hold and did not, the innermost that have some.
func (p Part) Refusing() []string { return p.refusing(True) }

func (p Part) refusing(wanted Truth) []string {
	if p.Value == wanted {
		return nil
	}
	inner := wanted
	if p.negates {
		inner = map[Truth]Truth{True: False, False: True}[wanted]
	}
	var words []string
	for _, part := range p.Parts {
		words = append(words, part.refusing(inner)...)
	}
	if len(words) == 0 && p.Words != "" && wanted == True {
		return []string{p.Words}
	}
	return words
}
