package expr

import (
	"fmt"
	"slices"
	"strings"

	"cel.dev/cel-go/common/ast"
	"cel.dev/cel-go/common/operators"
)

// Claim is what a rule says, in a form in which it can be seen whether one follows from others: "and",
// "or", and statements that hold or are known not to. What cannot be worked out is neither, as in CEL,
// so that nothing is concluded from a statement and its opposite.
type Claim struct {
	kind  claimKind
	parts []Claim
	text  string // of a statement, in one form however it was written
	not   bool   // the statement is known not to hold
}

type claimKind int

const (
	claimAll claimKind = iota // without parts: true
	claimAny                  // without parts: false
	claimOne
)

// TruthClaim is the claim that always, or never, holds.
func TruthClaim(holds bool) Claim {
	if holds {
		return Claim{kind: claimAll}
	}
	return Claim{kind: claimAny}
}

// Claim is what the rule says when its names stand for something: doc for "source", and "source.author"
// for "holder", where the two are the same document. A name for which nothing is said stands for itself.
func (r *Rule) Claim(stands map[string]string) Claim {
	return claiming{stands}.claim(r.checked.NativeRep().Expr(), false)
}

type claiming struct{ stands map[string]string }

func (c claiming) claim(e ast.Expr, not bool) Claim {
	if _, body, is := named(e); is {
		return c.claim(body, not)
	}
	if e.Kind() == ast.LiteralKind {
		if b, is := e.AsLiteral().Value().(bool); is {
			return TruthClaim(b != not)
		}
	}
	if e.Kind() == ast.CallKind {
		args := e.AsCall().Args()
		switch e.AsCall().FunctionName() {
		case operators.LogicalNot:
			return c.claim(args[0], !not)
		case operators.LogicalAnd, operators.LogicalOr:
			kind := claimAny
			if (e.AsCall().FunctionName() == operators.LogicalAnd) != not {
				kind = claimAll
			}
			return Claim{kind: kind, parts: []Claim{c.claim(args[0], not), c.claim(args[1], not)}}
		case operators.NotEquals:
			return Claim{kind: claimOne, text: c.equality(args), not: !not}
		case operators.Equals:
			return Claim{kind: claimOne, text: c.equality(args), not: not}
		}
	}
	return Claim{kind: claimOne, text: c.text(e), not: not}
}

// equality is the same whichever side stands first.
func (c claiming) equality(args []ast.Expr) string {
	sides := []string{c.text(args[0]), c.text(args[1])}
	slices.Sort(sides)
	return strings.Join(sides, " == ")
}

// text is an expression in one form. What repeats itself is like nothing else.
func (c claiming) text(e ast.Expr) string {
	switch e.Kind() {
	case ast.IdentKind:
		return c.standing(e.AsIdent())
	case ast.LiteralKind:
		return fmt.Sprintf("%T %v", e.AsLiteral().Value(), e.AsLiteral().Value())
	case ast.SelectKind:
		s := e.AsSelect()
		if s.IsTestOnly() {
			return "has(" + c.text(s.Operand()) + "." + s.FieldName() + ")"
		}
		return c.standing(c.text(s.Operand()) + "." + s.FieldName())
	case ast.CallKind:
		call := e.AsCall()
		parts := make([]string, 0, len(call.Args())+1)
		if call.IsMemberFunction() {
			parts = append(parts, c.text(call.Target()))
		}
		for _, arg := range call.Args() {
			parts = append(parts, c.text(arg))
		}
		return call.FunctionName() + "(" + strings.Join(parts, ", ") + ")"
	case ast.ListKind:
		parts := make([]string, e.AsList().Size())
		for i, one := range e.AsList().Elements() {
			parts[i] = c.text(one)
		}
		return "[" + strings.Join(parts, ", ") + "]"
	}
	return fmt.Sprintf("%p", e)
}

func (c claiming) standing(path string) string {
	if to, is := c.stands[path]; is {
		return to
	}
	return path
}

// mostProving bounds the steps of [Follows]: what takes more is not known to follow.
const mostProving = 5000

// Follows tells whether a claim is known to hold wherever some others all do. It finds what follows from
// their form, and may miss what follows otherwise.
func Follows(what Claim, from ...Claim) bool {
	p := proving{left: mostProving}
	return p.follows(what, p.known(nil, from))
}

type proving struct{ left int }

// known adds claims to others that are known to hold, in their parts.
func (p *proving) known(before, more []Claim) []Claim {
	all := slices.Clone(before)
	for _, c := range more {
		if c.kind == claimAll {
			all = p.known(all, c.parts)
		} else {
			all = append(all, c)
		}
	}
	return all
}

func (p *proving) follows(what Claim, known []Claim) bool {
	if p.left--; p.left < 0 {
		return false
	}
	switch what.kind {
	case claimAll:
		return !slices.ContainsFunc(what.parts, func(c Claim) bool { return !p.follows(c, known) })
	case claimAny:
		if slices.ContainsFunc(what.parts, func(c Claim) bool { return p.follows(c, known) }) {
			return true
		}
	case claimOne:
		same := func(c Claim) bool { return c.kind == claimOne && c.text == what.text && c.not == what.not }
		if slices.ContainsFunc(known, same) {
			return true
		}
	}
	// Whichever of some alternatives holds. If there are none, nothing can hold.
	for i, c := range known {
		if c.kind != claimAny {
			continue
		}
		others := slices.Delete(slices.Clone(known), i, i+1)
		either := func(part Claim) bool { return !p.follows(what, p.known(others, []Claim{part})) }
		if !slices.ContainsFunc(c.parts, either) {
			return true
		}
	}
	return false
}
