package running

import (
	"encoding/json"
	"testing"

	"yalvo/internal/design"
	"yalvo/internal/design/plan"
)

// Of kept values that have more stored than they show, readers are handed what they show.
func TestKeptValuesWithoutSpare(t *testing.T) {
	two := &plan.Summary{Kept: &design.Kept{Name: "last", HowMany: 2}, Spare: 2}
	c := &plan.Collection{Spared: []*plan.Summary{two}}
	for _, one := range [][2]string{
		{`{"last": [], "n": 1}`, `{"last": [], "n": 1}`},
		{`{"last": ["a", "b"], "n": 1}`, `{"last": ["a", "b"], "n": 1}`},
		{`{"a": "]", "last": ["a", {"x": [1, 2, 3]}, "c"], "n": [1, 2, 3]}`,
			`{"a": "]", "last": ["a", {"x": [1, 2, 3]}], "n": [1, 2, 3]}`},
		{`{"last": ["a", "b", "c", "d"]}`, `{"last": ["a", "b"]}`},
		{`{"last": null}`, `{"last": null}`},
		{`{}`, `{}`},
	} {
		stored := json.RawMessage(one[0])
		if got := WithoutSpare(c, stored); string(got) != one[1] {
			t.Errorf("of %s: got %s, want %s", one[0], got, one[1])
		}
		if string(stored) != one[0] {
			t.Errorf("what is stored has become %s", stored)
		}
	}
}
