package design

import (
	"errors"
	"fmt"

	"yalvo/internal/expr"
)

// condition compiles a condition over values of given shapes.
func (r *reader) condition(n *node, what string, names map[string]expr.Shape) *expr.Expr {
	text, is := n.scalar.(string)
	if !is {
		r.problem(n.pos, CodeShape, fmt.Sprintf("%s must be a condition, this is %s", what, describe(n)),
			"a condition is a text and needs quotes, as in `when: \"doc.size > 3\"`")
		return nil
	}
	e, err := expr.Compile(text, names)
	var m *expr.Mistake
	if errors.As(err, &m) {
		r.problem(n.pos, CodeCondition, "the condition cannot be used: "+m.Message,
			"conditions are CEL over the fields of the design")
		return nil
	}
	return e
}

// ShapeOf describes the values of fields to an expression.
func ShapeOf(fields []*Field) expr.Shape {
	s := expr.Shape{Kind: expr.Object, Members: map[string]expr.Shape{}}
	for _, f := range fields {
		if f.Type != "" {
			s.Members[f.Name] = f.Shape()
		}
	}
	return s
}

// Shape describes the field's value to an expression.
func (f *Field) Shape() expr.Shape {
	switch f.Type {
	case Integer:
		return expr.Shape{Kind: expr.Integer}
	case Number:
		return expr.Shape{Kind: expr.Number}
	case Boolean:
		return expr.Shape{Kind: expr.Boolean}
	case Timestamp:
		return expr.Shape{Kind: expr.Timestamp}
	case Object:
		return ShapeOf(f.Fields)
	case List, Set:
		items := expr.Shape{Kind: expr.String}
		if f.Of != nil {
			items = f.Of.Shape()
		}
		return expr.Shape{Kind: expr.List, Items: &items}
	}
	return expr.Shape{Kind: expr.String}
}
