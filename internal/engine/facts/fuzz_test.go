package facts

import (
	"encoding/json"
	"errors"
	"strings"
	"testing"

	"yalvo/internal/engine/running"
	"yalvo/tests/bounds"
)

// Whatever the patch, applying it to a large document ends soon, in little memory,
// with new facts or with a refusal.
func FuzzPatch(f *testing.F) {
	for _, seed := range []string{
		`[{"op":"test","path":"/facts/text","value":"x"},{"op":"copy","from":"/facts","path":"/facts/inner/a"}]`,
		`[{"op":"move","from":"/facts/inner","path":"/facts/inner/a"}]`,
		`[{"op":"add","path":"/facts/words/-","value":[]},{"op":"remove","path":"/facts/words/0"}]`,
		`[{"op":"replace","path":"","value":{}},{"op":"test","path":"/kept","value":null}]`,
		`[{"op":"copy","from":"/facts/text","path":"/facts/words/-"},` +
			`{"op":"copy","from":"/facts/words","path":"/facts/inner/a"}]`,
	} {
		f.Add([]byte(seed))
	}
	facts, err := json.Marshal(map[string]any{"text": strings.Repeat("x", 100_000), "words": make([]int, 5000),
		"inner": map[string]any{}})
	if err != nil {
		f.Fatal(err)
	}
	doc := running.Document{ID: "n1", Path: "notes/n1", Version: 1, Facts: facts, Kept: json.RawMessage(`{"n":1}`)}
	f.Fuzz(func(t *testing.T, text []byte) {
		bounds.Hold(t, func() {
			patch, err := ReadOperations(text)
			if err == nil {
				_, err = patch.apply(doc)
			}
			var refused *running.Refusal
			if err != nil && !errors.As(err, &refused) {
				t.Errorf("no refusal: %v", err)
			}
		})
	})
}
