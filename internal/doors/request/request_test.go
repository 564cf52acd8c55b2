package request

import (
	"net/http/httptest"
	"strings"
	"testing"

	"github.com/labstack/echo/v5"

	"yalvo/internal/engine/documents"
	"yalvo/internal/engine/store"
)

func asked(target string) *echo.Context {
	return echo.New().NewContext(httptest.NewRequest("GET", target, nil), httptest.NewRecorder())
}

func TestACursorComesBackAsItWasOnlyIfUntouched(t *testing.T) {
	cs := NewCursors([]byte("a key"))
	next := &documents.Page{After: store.Boundary{Key: "ada", Rank: 1 << 60, N: 7}, Given: 90}
	text, err := cs.Write(asked("/v1/timelines/home/ada"), next)
	if err != nil {
		t.Fatal(err)
	}
	got, err := cs.Page(asked("/v1/timelines/home/ada?limit=5&cursor=" + text))
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
			from, target = NewCursors([]byte("another key")), "/v1/timelines/home/ada?cursor="+text
		}
		if _, err := from.Page(asked(target)); err == nil || !strings.Contains(err.Error(), "was not given out here") {
			t.Errorf("%s: %v", what, err)
		}
	}
}

func TestSegmentsAreUnescapedOneByOne(t *testing.T) {
	got, err := Segments(asked("/v1/pairs/like/ada/p1%2Fr2"), "/pairs")
	if err != nil || strings.Join(got, "|") != "like|ada|p1/r2" {
		t.Errorf("got %q, %v", got, err)
	}
}

func TestAnETagIsOneVersion(t *testing.T) {
	for tag, want := range map[string]int64{"": 0, "*": 0, `"7"`: 7, `7`: -1, `"0"`: -1, `"x"`: -1, `W/"7"`: -1,
		`"7", "8"`: -1} {
		c := asked("/")
		c.Request().Header.Set("If-Match", tag)
		got, err := IfMatch(c)
		if err != nil {
			got = -1
		}
		if got != want {
			t.Errorf("If-Match %s: got %d (%v), want %d", tag, got, err, want)
		}
	}
}
