package calibrating

import (
	"math"
	"os"
	"strings"
	"testing"
	"time"

	"yalvo/internal/design/forecast"
)

// By hand: what two things cost that differ in one respect says what that costs.
func TestRatesAreWorkedOutOfWhatDiffers(t *testing.T) {
	r := ratesOf(map[string]float64{
		"a page of one": 106, "a page of many": 106 + 59*6, "a page with marks": 106 + 59*6 + 120*2,
		"a page that is packed": 106 + 59*6 + 200, "bytes of that": 20_000,
		"a list put in order": 106 + 420 + 1000*3, "a timeline of somebody else": 100 + 30*6 + 420,
		"a timeline that is written out": 300, "a timeline that is collected": 300 + 50*20,
		"a document": 100 + 400 + 30, "a document that points": 100 + 400 + 30 + 4*30, "a pair": 100 + 400 + 30,
		"a pair that is counted": 100 + 400 + 30 + 70, "a post of nobody's": 900,
		"a post that everybody gets": 900 + 10_000*5,
	}, 10*time.Millisecond, 60*time.Millisecond)
	for what, one := range map[string][2]float64{"document": {r.Document, 6}, "request": {r.Request, 100},
		"packing": {r.Packing, 10}, "question": {r.Question, 420}, "passed": {r.Passed, 3}, "asked": {r.Asked, 2},
		"collect": {r.Collect, 20}, "note": {r.Note, 30}, "write": {r.Write, 400}, "kept": {r.Kept, 70},
		"entry": {r.Entry, 5},
		"begin": {r.Begin, 10}, "entries a second": {r.EntriesASecond, 200_000}} {
		if math.Abs(one[0]-one[1]) > 1e-6*one[1] {
			t.Errorf("%s: %v, not %v", what, one[0], one[1])
		}
	}
	if !r.Sound() || !strings.Contains(r.From, time.Now().Format(time.DateOnly)) {
		t.Errorf("%+v", r)
	}
}

func TestRatesAreKeptOnThisMachine(t *testing.T) {
	t.Setenv("XDG_CONFIG_HOME", t.TempDir())
	if r, err := Kept(); err != nil || r != forecast.Shipped {
		t.Errorf("of nothing kept: %+v, %v", r, err)
	}
	mine := forecast.Shipped
	mine.From, mine.Entry = "measured here", 7.5
	name, err := Keep(mine)
	if err != nil {
		t.Fatal(err)
	}
	if r, err := Kept(); err != nil || r != mine {
		t.Errorf("kept: %+v, %v", r, err)
	}
	for _, broken := range []string{"{", `{"from": "x", "request": -1}`, ""} {
		if err := os.WriteFile(name, []byte(broken), 0o600); err != nil {
			t.Fatal(err)
		}
		if _, err := Kept(); err == nil || !strings.Contains(err.Error(), "yalvo calibrate") {
			t.Errorf("%q: %v", broken, err)
		}
	}
}
