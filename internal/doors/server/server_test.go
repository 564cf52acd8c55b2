package server

import (
	"encoding/json"
	"testing"
	"time"

	"yalvo/internal/engine/reading"
)

func TestAPageOfATimelineIsTheJSONOfItsEntries(t *testing.T) {
	entry := &reading.Entry{ID: "r_2", Path: "posts/p-1/remarks/r_2",
		At: time.Date(2031, 5, 4, 3, 2, 1, 123456000, time.UTC), Author: "ada",
		Facts: json.RawMessage(`{"text":"two \"herons\""}`), Kept: json.RawMessage(`{}`)}
	for _, page := range []timelinePage{{Entries: []*reading.Entry{}}, {Entries: []*reading.Entry{entry}},
		{Entries: []*reading.Entry{entry, entry}, Next: "AB-_9"}} {
		want, err := json.Marshal(page)
		if err != nil {
			t.Fatal(err)
		}
		if got := page.text(); string(got) != string(want) {
			t.Errorf("got  %s\nwant %s", got, want)
		}
	}
}
