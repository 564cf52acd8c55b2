package reading

import (
	"strings"
	"testing"

	"yalvo/internal/plan"
	"yalvo/internal/store"

	"github.com/go-json-experiment/json/jsontext"
	"github.com/jackc/pgx/v5/pgtype"
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
		if got, err := parsePositions(text); err != nil || got.UpTo != want {
			t.Errorf("%q: got %+v, %v", text, got, err)
		}
	}
}

func TestWhatAnEntryShowsIsRememberedInItsVersion(t *testing.T) {
	version := func(document, kept uint32) store.Place {
		return store.Place{Doc: 7, Document: pgtype.Uint32{Uint32: document, Valid: true},
			Kept: pgtype.Uint32{Uint32: kept, Valid: true}}
	}
	now := era{design: 1}
	var s shown
	s.of(now, 3, version(1, 1)) // the first look opens the era
	s.learn(now, 3, version(1, 1), &Entry{ID: "p1"})
	for what, c := range map[string]struct {
		at       era
		timeline plan.Number
		place    store.Place
		known    bool
	}{
		"the same versions":         {now, 3, version(1, 1), true},
		"its document was written":  {now, 3, version(2, 1), false},
		"its kept values were":      {now, 3, version(1, 2), false},
		"they are gone":             {now, 3, store.Place{Doc: 7, Document: version(1, 1).Document}, false},
		"another timeline shows it": {now, 4, version(1, 1), false},
	} {
		if got := s.of(c.at, c.timeline, c.place); (got != nil) != c.known {
			t.Errorf("%s: got %v", what, got)
		}
	}
	for what, other := range map[string]era{"another design": {design: 2}, "after an outage": {design: 2, outages: 1}} {
		s.learn(s.era, 3, version(1, 1), &Entry{ID: "p1"})
		if got := s.of(other, 3, version(1, 1)); got != nil {
			t.Errorf("%s: got %v", what, got)
		}
	}
}

func TestWhatIsRememberedIsBounded(t *testing.T) {
	var s shown
	now := era{}
	entry := &Entry{Facts: make([]byte, 100_000)}
	place := func(doc int64) store.Place { return store.Place{Doc: doc} }
	for doc := range int64(4000) {
		s.learn(now, 1, place(doc), entry)
		if s.of(now, 1, place(0)) == nil {
			t.Fatalf("what is asked for again and again was forgotten after %d others", doc)
		}
	}
	if held := len(s.young) + len(s.old); held*sizeOf(entry) > 2*youngBytes+2*sizeOf(entry) {
		t.Errorf("%d are held: %d bytes", held, held*sizeOf(entry))
	}
	if s.of(now, 1, place(1)) != nil {
		t.Error("what nobody asks for is never forgotten")
	}
}
