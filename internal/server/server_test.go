package server

import (
	"encoding/json"
	"net/http/httptest"
	"strings"
	"testing"
	"time"

	"github.com/getkin/kin-openapi/openapi3"
	"github.com/labstack/echo/v5"

	"yalvo/demo"
	"yalvo/internal/language"
	"yalvo/internal/openapi"
	"yalvo/internal/plan"
	"yalvo/internal/reading"
	"yalvo/internal/store"
)

func asked(target string) *echo.Context {
	return echo.New().NewContext(httptest.NewRequest("GET", target, nil), httptest.NewRecorder())
}

func TestACursorComesBackAsItWasOnlyIfUntouched(t *testing.T) {
	cs := cursors{[]byte("a key")}
	next := &reading.Page{After: store.Boundary{Key: "ada", Rank: 1 << 60, N: 7}, Given: 90}
	text, err := cs.write(asked("/v1/timelines/home/ada"), next)
	if err != nil {
		t.Fatal(err)
	}
	got, err := cs.page(asked("/v1/timelines/home/ada?limit=5&cursor=" + text))
	if err != nil || got.After != next.After || got.Given != 90 || got.Limit != 5 {
		t.Errorf("got %+v, %v", got, err)
	}
	refused := map[string]string{
		"another path": "/v1/timelines/home/ben?cursor=" + text,
		"cut short":    "/v1/timelines/home/ada?cursor=" + text[:len(text)-3],
		"no base64":    "/v1/timelines/home/ada?cursor=" + text + "!",
		"too short":    "/v1/timelines/home/ada?cursor=AAAA",
		"another key":  "",
	}
	for what, target := range refused {
		from := cs
		if target == "" {
			from, target = cursors{[]byte("another key")}, "/v1/timelines/home/ada?cursor="+text
		}
		if _, err := from.page(asked(target)); err == nil || !strings.Contains(err.Error(), "was not given out here") {
			t.Errorf("%s: %v", what, err)
		}
	}
}

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

func TestSegmentsAreUnescapedOneByOne(t *testing.T) {
	got, err := segments(asked("/v1/pairs/like/ada/p1%2Fr2"), "/pairs")
	if err != nil || strings.Join(got, "|") != "like|ada|p1/r2" {
		t.Errorf("got %q, %v", got, err)
	}
}

func TestAnETagIsOneVersion(t *testing.T) {
	for tag, want := range map[string]int64{"": 0, "*": 0, `"7"`: 7, `7`: -1, `"0"`: -1, `"x"`: -1, `W/"7"`: -1,
		`"7", "8"`: -1} {
		c := asked("/")
		c.Request().Header.Set("If-Match", tag)
		got, err := ifMatch(c)
		if err != nil {
			got = -1
		}
		if got != want {
			t.Errorf("If-Match %s: got %d (%v), want %d", tag, got, err, want)
		}
	}
}

func TestTheOpenAPIDocumentFollowsTheDesign(t *testing.T) {
	d, err := language.Read("fenwatch.yaml", demo.Design)
	if err != nil {
		t.Fatal(err)
	}
	var n plan.Number
	p := plan.New(d, func(string, string) plan.Number { n++; return n })
	for name, p := range map[string]*plan.Plan{"without a design": nil, "fenwatch": p} {
		doc, err := openapi.Describe(p)
		if err != nil {
			t.Fatal(err)
		}
		raw, err := json.Marshal(doc)
		if err != nil {
			t.Fatal(err)
		}
		read, err := openapi3.NewLoader().LoadFromData(raw)
		if err != nil {
			t.Fatalf("%s: %v", name, err)
		}
		if err := read.Validate(t.Context()); err != nil {
			t.Errorf("%s: %v", name, err)
		}
		if p == nil {
			continue
		}
		for _, path := range []string{"/v1/collections/members/{id}/followers",
			"/v1/collections/sightings/{sightings_id}/remarks/{id}", "/v1/pairs/like/{from}/{to}",
			"/v1/live/timelines/home/{owner}"} {
			if read.Paths.Find(path) == nil {
				t.Errorf("%s is not described", path)
			}
		}
		fields := read.Components.Schemas["SightingsFacts"].Value
		if max := fields.Properties["text"].Value.MaxLength; max == nil || *max != 600 {
			t.Error("the text's length is not described")
		}
		if _, has := fields.Properties["byline"]; has {
			t.Error("a kept value is described as a field")
		}
	}
}
