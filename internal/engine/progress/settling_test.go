package progress

import (
	"strings"
	"testing"
)

func TestPositionsThatAreNoneAreRefused(t *testing.T) {
	for _, text := range []string{"soon", "-1", "1,", "..", "..x", "..=7", "=", "1;2", "99999999999999999999"} {
		if _, err := parsePositions(text); err == nil || !strings.Contains(err.Error(), "is no position") {
			t.Errorf("%q: %v", text, err)
		}
	}
	for text, want := range map[string]int64{"1": 0, "1,2, 3": 0, "=1": 0, "..7": 7, "4,..7,..5": 7} {
		if got, err := parsePositions(text); err != nil || got.UpTo != want {
			t.Errorf("%q: got %+v, %v", text, got, err)
		}
	}
}
