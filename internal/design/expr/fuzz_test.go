package expr_test

import (
	"strings"
	"testing"

	"yalvo/internal/design/expr"
	"yalvo/tests/bounds"
)

// Whatever the condition says, checking it and working it out for a large
// document ends soon and in little memory.
func FuzzCondition(f *testing.F) {
	for _, text := range []string{
		`doc.birds > 2 && has(doc.spot) && doc.spot.name == "reed bed"`,
		`doc.tags.all(a, doc.tags.exists(b, a == b)) || doc.text.matches("^([a-z]{1,9} ?){9}$")`,
		`doc.tags.map(t, t + t).filter(t, t.size() > 3).size() == 0`,
		`doc.seen < timestamp("2032-01-01T00:00:00Z") - duration("24h")`,
		`[doc.text + doc.text + doc.text, doc.text][1].contains(doc.text)`,
	} {
		f.Add(text)
	}
	tags := make([]any, 1000)
	for i := range tags {
		tags[i] = strings.Repeat("t", i%10)
	}
	values := map[string]any{"doc": map[string]any{"text": strings.Repeat("a heron ", 25_000), "birds": int64(3),
		"seen": "2031-04-05T06:07:08.000000Z", "spot": map[string]any{"name": "reed bed"}, "tags": tags}}
	f.Fuzz(func(t *testing.T, text string) {
		bounds.Hold(t, func() {
			if e, err := expr.Compile(text, names); err == nil {
				_, _ = e.Holds(values) // too many steps is an answer
			}
			if v, err := expr.CompileValue(text, names, expr.List); err == nil {
				_, _ = v.Of(values)
			}
		})
	})
}
