package language

import (
	"errors"
	"fmt"

	"yalvo/internal/design"
	"yalvo/internal/design/expr"
)

// condition compiles a condition over values of given shapes.
func (r *reader) condition(n *node, what string, names map[string]expr.Shape) *expr.Expr {
	text, is := n.scalar.(string)
	if !is {
		r.problem(n.pos, design.CodeShape, fmt.Sprintf("%s must be a condition, this is %s", what, describe(n)),
			"a condition is a text and needs quotes, as in `when: \"doc.size > 3\"`")
		return nil
	}
	e, err := expr.Compile(text, names)
	var m *expr.Mistake
	if errors.As(err, &m) {
		r.problem(n.pos, design.CodeCondition, "the condition cannot be used: "+m.Message,
			"conditions are CEL over the fields of the design")
		return nil
	}
	return e
}
