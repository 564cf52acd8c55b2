package expr_test

import (
	"errors"
	"reflect"
	"strings"
	"testing"

	"yalvo/internal/design/expr"
)

func TestValuesAreWorkedOutAsDocumentsHoldThem(t *testing.T) {
	scope := map[string]expr.Shape{"doc": names["doc"], "key": {Kind: expr.String}}
	doc := map[string]any{"text": "a heron", "birds": int64(3), "seen": "2031-04-05T06:07:08.5Z", "tags": []any{"grey"}}
	for _, c := range []struct {
		text string
		kind expr.Kind
		want any
	}{
		{`"shout: " + doc.text`, expr.String, "shout: a heron"},
		{`key`, expr.String, "p1"},
		{`doc.birds * 2`, expr.Integer, int64(6)},
		{`doc.birds`, expr.Number, int64(3)},
		{`doc.text.size() > 3`, expr.Boolean, true},
		{`doc.seen`, expr.Timestamp, "2031-04-05T06:07:08.5Z"},
		{`doc.seen + duration("1h")`, expr.Timestamp, "2031-04-05T07:07:08.5Z"},
		{`doc.tags`, expr.List, []any{"grey"}},
		{`["a", doc.text]`, expr.List, []any{"a", "a heron"}},
	} {
		v, err := expr.CompileValue(c.text, scope, c.kind)
		if err != nil {
			t.Errorf("%s: %v", c.text, err)
			continue
		}
		got, err := v.Of(map[string]any{"doc": doc, "key": "p1"})
		if err != nil || !reflect.DeepEqual(got, c.want) {
			t.Errorf("%s: got %#v (%v), want %#v", c.text, got, err, c.want)
		}
	}
}

func TestAValueThatCannotBeHadIsAnError(t *testing.T) {
	_, err := expr.CompileValue(`doc.birds`, names, expr.String)
	var m *expr.Mistake
	if !errors.As(err, &m) || m.Message != "it is of type int, and a string is wanted" {
		t.Errorf("another type: %v", err)
	}
	v, err := expr.CompileValue(`doc.text + "!"`, names, expr.String)
	if err != nil {
		t.Fatal(err)
	}
	if _, err := v.Of(map[string]any{"doc": map[string]any{}}); err == nil ||
		!strings.Contains(err.Error(), "cannot be worked out") {
		t.Errorf("an absent value: %v", err)
	}
}

// A short expression can hold a long text very many times.
func TestAValueThatExplodesIsAnError(t *testing.T) {
	v, err := expr.CompileValue(`doc.tags.map(a, [doc.text, doc.text])`, names, expr.List)
	if err != nil {
		t.Fatal(err)
	}
	tags := make([]any, 100)
	for i := range tags {
		tags[i] = "t"
	}
	_, err = v.Of(map[string]any{"doc": map[string]any{"text": strings.Repeat("x", 100_000), "tags": tags}})
	if err == nil || !strings.Contains(err.Error(), "larger than 262144 bytes") {
		t.Errorf("200 times 100,000 bytes: %v", err)
	}
}
