package design

import "yalvo/internal/design/expr"

// ShapeOf describes the values of fields to an expression.
func ShapeOf(fields []*Field) expr.Shape {
	s := expr.Shape{Kind: expr.Object, Members: map[string]expr.Shape{}}
	for _, f := range fields {
		s.Members[f.Name] = f.Shape()
	}
	return s
}

// Shape describes the field's value to an expression.
func (f *Field) Shape() expr.Shape {
	switch f.Type {
	case "": // that is a problem already
		return expr.Shape{Kind: expr.Mistaken}
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

// ShapeOf describes a document of the collection to a rule: its facts, with references
// that can be followed, those of its kept values that are numbers or times, and id,
// created, updated and version.
func (c *Collection) ShapeOf() expr.Shape {
	s := expr.Shape{Kind: expr.Reference, To: c.Name, Members: map[string]expr.Shape{
		"id": {Kind: expr.String}, "version": {Kind: expr.Integer},
		"created": {Kind: expr.Timestamp}, "updated": {Kind: expr.Timestamp}}}
	for _, f := range c.Fields {
		s.Members[f.Name] = f.followed()
	}
	for _, k := range c.Kept {
		if t := (Part{Kept: k}).Numeric(); t != "" {
			if k.Timed() {
				t = Timestamp
			}
			s.Members[k.Name] = (&Field{Type: t}).Shape()
		}
	}
	return s
}

// followed is [Field.Shape] where references can be followed.
func (f *Field) followed() expr.Shape {
	if f.Type == Reference && f.To != nil {
		return expr.Shape{Kind: expr.Reference, To: f.To.Name}
	}
	s := f.Shape()
	if (f.Type == List || f.Type == Set) && f.Of != nil {
		items := f.Of.followed()
		s.Items = &items
	}
	return s
}
