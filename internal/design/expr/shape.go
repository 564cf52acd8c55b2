package expr

import (
	"sort"
	"time"

	"cel.dev/cel-go/common/types"
)

// Kind is the type of a value that a condition can name.
type Kind string

// The kinds. A timestamp's value is a string in the form of RFC 3339.
const (
	String    Kind = "string"
	Integer   Kind = "integer"
	Number    Kind = "number"
	Boolean   Kind = "boolean"
	Timestamp Kind = "timestamp"
	Object    Kind = "object"
	List      Kind = "list"
	Reference Kind = "reference" // a document, which a [Rule] may follow; its value is a [*Document]
	Mistaken  Kind = "mistaken"  // its type is mistaken: a condition may name it, and is not to be used
)

// Shape describes a value: of an object also its members, of a list its items, of a
// reference the collection it leads to.
type Shape struct {
	Kind    Kind
	Members map[string]Shape
	Items   *Shape
	To      string
}

// provider knows the objects of one expression by made-up type names.
type provider struct {
	*types.Registry
	objects map[string]map[string]Shape
}

// typeOf is the CEL type of a shape. Objects get a name by their place, with a
// # before it so that no expression can name them.
func (p *provider) typeOf(place string, s Shape) *types.Type {
	switch s.Kind {
	case String:
		return types.StringType
	case Integer:
		return types.IntType
	case Number:
		return types.DoubleType
	case Boolean:
		return types.BoolType
	case Mistaken:
		return types.DynType
	case Timestamp:
		return types.TimestampType
	case List:
		return types.NewListType(p.typeOf(place+".items", *s.Items))
	case Reference:
		return types.NewObjectType(documentType(s.To))
	}
	p.objects[place] = s.Members
	for name, member := range s.Members {
		p.typeOf(place+"."+name, member)
	}
	return types.NewObjectType(place)
}

// FindStructType finds an object by its made-up name.
func (p *provider) FindStructType(name string) (*types.Type, bool) {
	if _, ok := p.objects[name]; ok {
		return types.NewTypeTypeWithParam(types.NewObjectType(name)), true
	}
	return p.Registry.FindStructType(name)
}

// FindStructFieldNames lists the members of an object.
func (p *provider) FindStructFieldNames(name string) ([]string, bool) {
	members, ok := p.objects[name]
	if !ok {
		return p.Registry.FindStructFieldNames(name)
	}
	var names []string
	for member := range members {
		names = append(names, member)
	}
	sort.Strings(names)
	return names, true
}

// FindStructFieldType finds a member of an object.
func (p *provider) FindStructFieldType(name, field string) (*types.FieldType, bool) {
	members, ok := p.objects[name]
	if !ok {
		return p.Registry.FindStructFieldType(name, field)
	}
	member, ok := members[field]
	if !ok {
		return nil, false
	}
	return &types.FieldType{Type: p.typeOf(name+"."+field, member)}, true
}

// value turns a value as documents hold it into what CEL computes with.
func (s Shape) value(v any) any {
	switch v := v.(type) {
	case string:
		if s.Kind == Reference {
			return &Document{Collection: s.To, Key: v}
		}
		if s.Kind != Timestamp {
			return v
		}
		t, err := time.Parse(time.RFC3339Nano, v)
		if err != nil {
			return types.NewErr("%q is no timestamp", v)
		}
		return t
	case int64:
		if s.Kind == Number {
			return float64(v)
		}
	case float64:
		if s.Kind == Integer {
			return int64(v)
		}
	case map[string]any:
		out := make(map[string]any, len(v))
		for name, member := range v {
			if member != nil {
				out[name] = s.Members[name].value(member)
			}
		}
		return out
	case []any:
		out := make([]any, len(v))
		for i, item := range v {
			out[i] = s.Items.value(item)
		}
		return out
	}
	return v
}
