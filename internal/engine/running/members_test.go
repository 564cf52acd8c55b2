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

func TestAnEntryShowsMembersAsTheyStand(t *testing.T) {
	pick := func(text string) (string, error) {
		some, err := Sift([]byte("before "), []byte(text),
			func(name []byte, _ json.RawMessage) bool { return !IsNamed(name, "b") })
		return string(some), err
	}
	for text, want := range map[string]string{
		`{}`: `before {}`,
		`{"a": 1.50, "b": {"a": 2}, "c\"d": [1, null]}`: `before {"a": 1.50, "c\"d": [1, null]}`,
		`{"b": 1}`: `before {}`,
	} {
		if got, err := pick(text); err != nil || got != want {
			t.Errorf("%s: got %s (%v), want %s", text, got, err, want)
		}
	}
	if _, err := pick(`{"a":`); err == nil {
		t.Error("half an object is taken for a whole one")
	}
}
