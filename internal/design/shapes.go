package design

import "yalvo/internal/expr"

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
