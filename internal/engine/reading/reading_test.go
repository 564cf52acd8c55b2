package reading

import (
	"encoding/json"
	"strings"
	"testing"

	"yalvo/internal/engine/running"
	"yalvo/internal/engine/store/readsql"

	"github.com/jackc/pgx/v5/pgtype"
)

func TestAnEntryShowsMembersAsTheyStand(t *testing.T) {
	pick := func(text string) (string, error) {
		some, err := sift([]byte("before "), []byte(text),
			func(name []byte, _ json.RawMessage) bool { return !names(name, "b") })
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
	version := func(document, kept uint32) readsql.Versions {
		return readsql.Versions{Document: pgtype.Uint32{Uint32: document, Valid: true},
			Kept: pgtype.Uint32{Uint32: kept, Valid: true}}
	}
	now, key := running.Era{Version: 1}, shownKey{3, 7}
	s := emptyShown(t)
	s.in(now, key, version(1, 1), readsql.Since{}) // the first look opens the era
	s.learn(now, key, remembered{Versions: version(1, 1), what: &Entry{ID: "p1"}, size: around})
	for what, c := range map[string]struct {
		key   shownKey
		is    readsql.Versions
		known bool
	}{
		"the same versions":         {key, version(1, 1), true},
		"its document was written":  {key, version(2, 1), false},
		"its kept values were":      {key, version(1, 2), false},
		"they are gone":             {key, readsql.Versions{Document: version(1, 1).Document}, false},
		"another timeline shows it": {shownKey{4, 7}, version(1, 1), false},
		"a list shows it":           {shownKey{doc: 7}, version(1, 1), false},
	} {
		if got := s.in(now, c.key, c.is, readsql.Since{}); (got != nil) != c.known {
			t.Errorf("%s: got %v", what, got)
		}
	}
	for what, other := range map[string]running.Era{"another design": {Version: 2},
		"after an outage": {Version: 2, Outages: 1}} {
		s.learn(s.era, key, remembered{Versions: version(1, 1), what: &Entry{ID: "p1"}, size: around})
		if got := s.in(other, key, version(1, 1), readsql.Since{}); got != nil {
			t.Errorf("%s: got %v", what, got)
		}
	}
}

func TestWhatIsRememberedIsBounded(t *testing.T) {
	s := emptyShown(t)
	var now running.Era
	entry := &Entry{Facts: make([]byte, 100_000)}
	known := func(doc int64) bool { return s.in(now, shownKey{1, doc}, readsql.Versions{}, readsql.Since{}) != nil }
	for doc := range int64(4000) {
		s.learn(now, shownKey{1, doc}, remembered{what: entry, size: sizeOf(entry)})
		if !known(0) {
			t.Fatalf("what is asked for again and again was forgotten after %d others", doc)
		}
	}
	held := s.known.Len() * sizeOf(entry)
	if held > shownBytes || held < shownBytes-sizeOf(entry) || held != s.bytes {
		t.Errorf("%d bytes are held, counted as %d, of %d that may be", held, s.bytes, shownBytes)
	}
	if known(1) {
		t.Error("what nobody asks for is never forgotten")
	}
	s.learn(now, shownKey{1, 0}, remembered{what: entry, size: around})
	if held += around - sizeOf(entry); s.bytes != held {
		t.Errorf("%d bytes are counted, not %d, after another version of one was learned", s.bytes, held)
	}
}

func emptyShown(t *testing.T) *shown {
	t.Helper()
	s, err := newShown()
	if err != nil {
		t.Fatal(err)
	}
	return s
}
