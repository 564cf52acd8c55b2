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

// CompileValue checks an expression that is to yield a value of a kind.
// Whole numbers may stand where numbers are wanted. The error, if any, is a
// [*Mistake].
func CompileValue(text string, names map[string]Shape, want Kind) (*Value, error) {
	ast, program, err := compile(text, names)
	if err != nil {
		return nil, err
	}
	if !fits(ast.OutputType(), want) {
		return nil, &Mistake{1, 1, fmt.Sprintf("it is of type %s, and a %s is wanted", ast.OutputType(), want)}
	}
	return &Value{text, names, program}, nil
}

func fits(t *cel.Type, want Kind) bool {
	switch want {
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
	if err != nil {
		return nil, fmt.Errorf("`%s` cannot be worked out: %w", v.Text, err)
	}
	return plain(out.Value())
}

// plain turns what CEL computes with into values as documents hold them.
func plain(v any) (any, error) {
	switch v := v.(type) {
	case string, int64, float64, bool:
		return v, nil
	case time.Time:
		return v.UTC().Format(time.RFC3339Nano), nil
	case []any:
		out := make([]any, len(v))
		for i, item := range v {
			var err error
			if out[i], err = plain(item); err != nil {
				return nil, err
			}
		}
		return out, nil
	case []ref.Val:
		out := make([]any, len(v))
		for i, item := range v {
			var err error
			if out[i], err = plain(item.Value()); err != nil {
				return nil, err
			}
		}
		return out, nil
	case map[string]any:
		return v, nil
	}
	return nil, fmt.Errorf("a value of type %T has no place in a document", v)
}
