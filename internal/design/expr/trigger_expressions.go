package expr

import (
	"errors"
	"fmt"
	"strings"

	"cel.dev/cel-go/cel"
	"cel.dev/cel-go/common/types"
)

// Seen is an expression of a trigger: over the values that it is given alone, or over
// documents, whose references it may follow and between which it may ask for pairs.
type Seen struct {
	Text      string
	Condition *Expr  // over values: true or false
	Value     *Value // over values: a value
	Rule      *Rule  // over documents, nil if it needs none
}

// CompileSeen checks an expression over values of given shapes or, where it is none, over
// documents as [CompileRule] does. want is the kind of value that it is to yield, empty for
// any; a document stands for its key where a text is wanted. The error, if any, is a
// [*Mistake].
func CompileSeen(text string, names map[string]Shape, scope Scope, want Kind, condition bool) (*Seen, error) {
	s := &Seen{Text: text}
	var err error
	if condition {
		s.Condition, err = Compile(text, names)
	} else {
		s.Value, err = CompileValue(text, names, want)
	}
	if err == nil {
		return s, nil
	}
	if condition {
		want = Boolean
	}
	rule, ruleErr := compileRule(text, scope, func(t *cel.Type) error {
		if fits(t, want) || isReference(t.TypeName()) && (want == String || want == "") {
			return nil
		}
		return &Mistake{1, 1, fmt.Sprintf("it is of type %s, and a %s is wanted", t, want)}
	})
	if ruleErr != nil {
		return nil, better(err, ruleErr)
	}
	return &Seen{Text: text, Rule: rule}, nil
}

// better is the mistake that says more: what is wrong with the documents, if what is wrong
// with the values is that these have not what is named.
func better(values, documents error) error {
	for _, lacks := range []string{"does not support field selection", "undefined field", "undeclared reference"} {
		if strings.Contains(values.Error(), lacks) {
			return documents
		}
	}
	return values
}

// Of works a rule out that yields a value, as documents hold it; of a document its key. Where
// something is absent the error wraps [ErrAbsent].
func (r *Rule) Of(values map[string]any, pairs Pairs) (any, error) {
	out, _, err := r.usual.Eval(r.inputs(values, pairs))
	if tookTooLong(err) {
		return nil, fmt.Errorf("`%s` cannot be worked out: %w", r.Text, ErrSteps)
	}
	if err != nil {
		return nil, fmt.Errorf("`%s` cannot be worked out: %w: %w", r.Text, ErrAbsent, err)
	}
	if out == types.NullValue {
		return nil, nil
	}
	left := MaxValue
	value, err := plain(out.Value(), &left)
	if err != nil {
		return nil, fmt.Errorf("what `%s` yields cannot be stored: %w", r.Text, err)
	}
	return value, nil
}

// ErrAbsent is why a value cannot be worked out: something that it needs is not there.
var ErrAbsent = errors.New("something that it needs is not there")

// StillAllows is [Rule.Allows] with twice the steps.
func (r *Rule) StillAllows(values map[string]any, pairs Pairs) (bool, error) {
	return r.allows(r.patient, values, pairs)
}
