package expr_test

import (
	"errors"
	"slices"
	"strings"
	"testing"

	"yalvo/internal/design/expr"
)

var names = map[string]expr.Shape{"doc": {Kind: expr.Object, Members: map[string]expr.Shape{
	"text":  {Kind: expr.String},
	"birds": {Kind: expr.Integer},
	"size":  {Kind: expr.Number},
	"seen":  {Kind: expr.Timestamp},
	"spot":  {Kind: expr.Object, Members: map[string]expr.Shape{"name": {Kind: expr.String}}},
	"tags":  {Kind: expr.List, Items: &expr.Shape{Kind: expr.String}},
}}}

func TestConditionsHoldForTheRightDocuments(t *testing.T) {
	doc := map[string]any{
		"text": "a heron", "birds": int64(3), "size": int64(2), "seen": "2031-04-05T06:07:08.000000Z",
		"spot": map[string]any{"name": "reed bed"}, "tags": []any{"heron", "grey"},
	}
	for text, want := range map[string]bool{
		`doc.birds > 2`:                                true,
		`doc.birds > 3`:                                false,
		`doc.size >= 1.5`:                              true,
		`doc.text.startsWith("a ")`:                    true,
		`has(doc.spot)`:                                true,
		`doc.spot.name == "reed bed"`:                  true,
		`"heron" in doc.tags`:                          true,
		`doc.tags.exists(t, t == "coot")`:              false,
		`doc.seen < timestamp("2032-01-01T00:00:00Z")`: true,
		`doc.seen.getFullYear() == 2031`:               true,
	} {
		e, err := expr.Compile(text, names)
		if err != nil {
			t.Errorf("%s: %v", text, err)
			continue
		}
		if got, err := e.Holds(map[string]any{"doc": doc}); got != want || err != nil {
			t.Errorf("%s: got %v, %v", text, got, err)
		}
	}
}

func TestWhatIsAbsentDoesNotHold(t *testing.T) {
	for text, want := range map[string]bool{`has(doc.birds)`: false, `doc.birds > 2`: false, `!(doc.birds > 2)`: false,
		`!has(doc.spot) || has(doc.spot.name)`: true} {
		e, err := expr.Compile(text, names)
		if err != nil {
			t.Fatal(err)
		}
		if got, err := e.Holds(map[string]any{"doc": map[string]any{"text": "x"}}); got != want || err != nil {
			t.Errorf("%s: got %v, %v", text, got, err)
		}
	}
}

func TestWhatAConditionNames(t *testing.T) {
	e, err := expr.Compile(`has(doc.spot.name) && doc.tags.all(t, t != doc.text)`, names)
	if err != nil {
		t.Fatal(err)
	}
	whole, err := expr.Compile(`doc == doc`, names)
	if err != nil {
		t.Fatal(err)
	}
	got := []bool{e.Names("doc"), e.Names("old"), e.Names("doc", "spot"), e.Names("doc", "name", "birds"),
		e.Names("doc", "text"), e.Names("old", "text"), whole.Names("doc", "birds")}
	if want := []bool{true, false, true, false, true, false, true}; !slices.Equal(got, want) {
		t.Errorf("got %v, want %v", got, want)
	}
}

func TestMistakesAreToldWithTheirPlace(t *testing.T) {
	for text, want := range map[string]string{
		`doc.brids > 2`:          "undefined field 'brids'",
		`doc.birds > "2"`:        "found no matching overload",
		`doc.birds`:              "must be true or false, this is of type int",
		`doc.birds >`:            "Syntax error",
		`me.name == ""`:          "undeclared reference to 'me'",
		`doc.spot.nme == "reed"`: "undefined field 'nme'",
		strings.Repeat(" ", expr.MaxText) + "true": "2004 bytes, 2000 are allowed",
	} {
		_, err := expr.Compile(text, names)
		var m *expr.Mistake
		if !errors.As(err, &m) || !strings.Contains(m.Message, want) || m.Line < 1 || m.Column < 1 {
			t.Errorf("%s: got %v, want %s", text, err, want)
		}
	}
}

func TestAConditionThatTakesTooLongIsAnError(t *testing.T) {
	e, err := expr.Compile(`doc.tags.all(a, doc.tags.all(b, doc.tags.all(c, a == b || c != "")))`, names)
	if err != nil {
		t.Fatal(err)
	}
	tags := make([]any, 1000)
	for i := range tags {
		tags[i] = "t"
	}
	if _, err := e.Holds(map[string]any{"doc": map[string]any{"tags": tags}}); !errors.Is(err, expr.ErrSteps) {
		t.Errorf("a thousand million steps: %v", err)
	}
	if held, err := e.Holds(map[string]any{"doc": map[string]any{"tags": tags[:10]}}); !held || err != nil {
		t.Errorf("a thousand steps: %v, %v", held, err)
	}
}

func TestPatternsAreBounded(t *testing.T) {
	for text, want := range map[string]string{
		`doc.text.matches(doc.text)`:                            "a pattern must stand in the condition as it is",
		`doc.text.matches("(a")`:                                "missing closing )",
		`doc.text.matches("(x{500}){2}(y{500}){2}z")`:           "steps, 2000 are allowed",
		`doc.seen < timestamp("yesterday")`:                     "invalid timestamp",
		`doc.text.matches("` + strings.Repeat("a", 1001) + `")`: "1001 bytes, 1000 are allowed",
	} {
		_, err := expr.Compile(text, names)
		var m *expr.Mistake
		if !errors.As(err, &m) || !strings.Contains(m.Message, want) {
			t.Errorf("%s: got %v, want %s", text, err, want)
		}
	}
	costly, err := expr.Compile(`doc.text.matches("([a-z ]{1,20}){40}x")`, names)
	if err != nil {
		t.Fatal(err)
	}
	long := map[string]any{"doc": map[string]any{"text": strings.Repeat("a", 200_000)}}
	if _, err := costly.Holds(long); !errors.Is(err, expr.ErrSteps) {
		t.Errorf("a costly pattern on a long text: %v", err)
	}
}
