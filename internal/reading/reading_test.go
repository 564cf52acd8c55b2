package reading

import (
	"strings"
	"testing"

	"github.com/go-json-experiment/json/jsontext"
)

func TestAnEntryShowsMembersAsTheyStand(t *testing.T) {
	pick := func(text string) (string, error) {
		some, err := sift([]byte("before "), []byte(text),
			func(name, _ jsontext.Value) bool { return !names(name, "b") })
		return string(some), err
	}
	for text, want := range map[string]string{
		`{}`: `before {}`,
		`{"a": 1.50, "b": {"a": 2}, "c\"d": [1, null]}`: `before {"a":1.50,"c\"d":[1, null]}`,
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

func TestPositionsThatAreNoneAreRefused(t *testing.T) {
	for _, text := range []string{"soon", "-1", "1,", "..", "..x", "..=7", "=", "1;2", "99999999999999999999"} {
		if _, err := parsePositions(text); err == nil || !strings.Contains(err.Error(), "is no position") {
			t.Errorf("%q: %v", text, err)
		}
	}
	for text, want := range map[string]int64{"1": 0, "1,2, 3": 0, "=1": 0, "..7": 7, "4,..7,..5": 7} {
		if got, err := parsePositions(text); err != nil || got.upTo != want {
			t.Errorf("%q: got %+v, %v", text, got, err)
		}
	}
}
