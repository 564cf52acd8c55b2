package api

import (
	"encoding/json"
	"testing"
	"time"

	"yalvo/internal/engine/timelines"
)

func TestAPageOfATimelineIsTheJSONOfItsEntries(t *testing.T) {
	entry := &timelines.Entry{ID: "r_2", Path: "posts/p-1/remarks/r_2",
		At: time.Date(2031, 5, 4, 3, 2, 1, 123456000, time.UTC), Author: "ada",
		Facts: json.RawMessage(`{"text":"two \"herons\""}`), Kept: json.RawMessage(`{}`)}
	for _, page := range []timelinePage{{Entries: []*timelines.Entry{}}, {Entries: []*timelines.Entry{entry}},
		{Entries: []*timelines.Entry{entry, entry}, Next: "AB-_9"}} {
		want, err := json.Marshal(page)
		if err != nil {
			t.Fatal(err)
		}
		if got := page.text(); string(got) != string(want) {
			t.Errorf("got  %s\nwant %s", got, want)
		}
	}
}
