package expr

import (
	"fmt"
	"reflect"
	"strings"

	"cel.dev/cel-go/common/types"
	"cel.dev/cel-go/common/types/ref"
)

// Document is a document as a [Rule] sees it. Two are equal if they are the same
// document, whatever is known of them.
type Document struct {
	Collection, Key string
	Shape           Shape                // of its values
	Values          map[string]any       // nil: it is not there, or nothing of it is needed
	Links           map[string]*Document // by reference: what it leads to, where that is needed
}

// documentType is the name that the type of a collection's documents has in messages.
// The space keeps expressions from naming it.
func documentType(collection string) string { return collection + " document" }

func isReference(typeName string) bool { return strings.HasSuffix(typeName, documentType("")) }

func collectionOf(typeName string) string { return strings.TrimSuffix(typeName, documentType("")) }

// Follow is the document that a reference leads to, nil if it leads nowhere.
func (d *Document) Follow(reference string) *Document {
	if to := d.Links[reference]; to != nil {
		return to
	}
	key, is := d.Values[reference].(string)
	if !is {
		return nil
	}
	return &Document{Collection: d.Shape.Members[reference].To, Key: key}
}

// ConvertToNative is part of CEL's values: a document is none outside of CEL.
func (d *Document) ConvertToNative(reflect.Type) (any, error) {
	return nil, fmt.Errorf("a document cannot be written out")
}

// ConvertToType is part of CEL's values.
func (d *Document) ConvertToType(to ref.Type) ref.Val {
	if to == types.TypeType {
		return types.NewObjectType(documentType(d.Collection))
	}
	return types.NewErr("a document cannot become a %s", to.TypeName())
}

// Equal tells whether another value is the same document.
func (d *Document) Equal(other ref.Val) ref.Val {
	o, is := other.(*Document)
	return types.Bool(is && o.Collection == d.Collection && o.Key == d.Key)
}

// Type is the type that the documents of the collection have.
func (d *Document) Type() ref.Type { return types.NewObjectType(documentType(d.Collection)) }

// Value is the document itself.
func (d *Document) Value() any { return d }

// IsSet tells whether the document has a value.
func (d *Document) IsSet(name ref.Val) ref.Val {
	text, is := name.Value().(string)
	return types.Bool(is && d.Values[text] != nil)
}

// Get is one of its values, an error if it has none.
func (d *Document) Get(name ref.Val) ref.Val {
	text, _ := name.Value().(string)
	if to := d.Links[text]; to != nil {
		return to
	}
	v := d.Values[text]
	if v == nil {
		return types.NewErr("no such key: %s", text)
	}
	return types.DefaultTypeAdapter.NativeToValue(d.Shape.Members[text].value(v))
}
