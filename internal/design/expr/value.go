package expr

import (
	"fmt"
	"time"

	"cel.dev/cel-go/cel"
	"cel.dev/cel-go/common/types"
	"cel.dev/cel-go/common/types/ref"
)

// Value is an expression that yields a value of a kind.
type Value struct {
	Text    string
	names   map[string]Shape
	program cel.Program
}

// MaxValue is how large a value may be that an expression yields, in bytes.
const MaxValue = 256 << 10

var errValue = fmt.Errorf("it is larger than %d bytes", MaxValue)

// CompileValue checks an expression that is to yield a value of a kind.
// Whole numbers may stand where numbers are wanted. The error, if any, is a
// [*Mistake].
func CompileValue(text string, names map[string]Shape, want Kind) (*Value, error) {
	ast, programs, err := compile(text, names)
	if err != nil {
		return nil, err
	}
	if !fits(ast.OutputType(), want) {
		return nil, &Mistake{1, 1, fmt.Sprintf("it is of type %s, and a %s is wanted", ast.OutputType(), want)}
	}
	return &Value{text, names, programs.usual}, nil
}

func fits(t *cel.Type, want Kind) bool {
	switch want {
	case "":
		return !isReference(t.TypeName())
	case String:
		return t == cel.StringType
	case Integer:
		return t == cel.IntType
	case Number:
		return t == cel.DoubleType || t == cel.IntType
	case Boolean:
		return t == cel.BoolType
	case Timestamp:
		return t == cel.TimestampType
	case List:
		return t.Kind() == types.ListKind
	}
	return t.Kind() == types.MapKind || t.Kind() == types.StructKind
}

// Of works the value out, as documents hold it.
func (v *Value) Of(values map[string]any) (any, error) {
	out, _, err := v.program.Eval(inputs(v.names, values))
	if tookTooLong(err) {
		err = ErrSteps
	}
	if err != nil {
		return nil, fmt.Errorf("`%s` cannot be worked out: %w", v.Text, err)
	}
	left := MaxValue
	value, err := plain(out.Value(), &left)
	if err != nil {
		return nil, fmt.Errorf("what `%s` yields cannot be stored: %w", v.Text, err)
	}
	return value, nil
}

// plain turns what CEL computes with into values as documents hold them. A value
// may hold another one many times over: left is how many bytes there may be yet.
func plain(v any, left *int) (any, error) {
	if *left -= 8; *left < 0 {
		return nil, errValue
	}
	switch v := v.(type) {
	case string:
		if *left -= len(v); *left < 0 {
			return nil, errValue
		}
		return v, nil
	case int64, float64, bool, nil:
		return v, nil
	case *Document:
		return plain(v.Key, left)
	case time.Time:
		return v.UTC().Format(time.RFC3339Nano), nil
	case []any:
		return plainItems(v, left, func(item any) any { return item })
	case []ref.Val:
		return plainItems(v, left, func(item ref.Val) any { return item.Value() })
	case map[string]any:
		out := make(map[string]any, len(v))
		for name, member := range v {
			var err error
			if *left -= len(name); *left < 0 {
				return nil, errValue
			}
			if out[name], err = plain(member, left); err != nil {
				return nil, err
			}
		}
		return out, nil
	}
	return nil, fmt.Errorf("a value of type %T has no place in a document", v)
}

func plainItems[T any](items []T, left *int, value func(T) any) ([]any, error) {
	out := make([]any, len(items))
	for i, item := range items {
		var err error
		if out[i], err = plain(value(item), left); err != nil {
			return nil, err
		}
	}
	return out, nil
}
