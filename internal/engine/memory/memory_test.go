package memory

import (
	"context"
	"testing"

	"yalvo/internal/engine/running"
	"yalvo/internal/engine/store/readsql"

	"github.com/jackc/pgx/v5/pgtype"
)

func rows(document, kept uint32) readsql.Versions {
	return readsql.Versions{Document: pgtype.Uint32{Uint32: document, Valid: document > 0},
		Kept: pgtype.Uint32{Uint32: kept, Valid: kept > 0}}
}

// small makes a memory of so many bytes, for which nobody asks what was written.
func small(t *testing.T, bytes int) *Memory {
	t.Helper()
	m, err := New(bytes, func(context.Context, readsql.Since) (readsql.Rewritten, error) {
		return readsql.Rewritten{}, nil
	})
	if err != nil {
		t.Fatal(err)
	}
	return m
}

func (m *Memory) one(now running.Era, k Key, v readsql.Versions) any {
	return m.Known(now, readsql.Since{}, []Asked{{Key: k, Versions: v}})[0]
}

func TestWhatIsShownIsRememberedInItsVersion(t *testing.T) {
	now, key := running.Era{Version: 1}, Key{3, 7}
	m := small(t, Bytes)
	m.one(now, key, rows(1, 1)) // the first look opens the era
	m.Learn(now, Learned{Key: key, Versions: rows(1, 1), What: "p1", Size: Around})
	for what, c := range map[string]struct {
		key   Key
		is    readsql.Versions
		known bool
	}{
		"the same versions":         {key, rows(1, 1), true},
		"its document was written":  {key, rows(2, 1), false},
		"its kept values were":      {key, rows(1, 2), false},
		"they are gone":             {key, rows(1, 0), false},
		"another timeline shows it": {Key{4, 7}, rows(1, 1), false},
		"a list shows it":           {Key{Doc: 7}, rows(1, 1), false},
	} {
		if got := m.one(now, c.key, c.is); (got != nil) != c.known {
			t.Errorf("%s: got %v", what, got)
		}
	}
	for what, other := range map[string]running.Era{"another design": {Version: 2},
		"after an outage": {Version: 2, Outages: 1}} {
		m.Learn(m.era, Learned{Key: key, Versions: rows(1, 1), What: "p1", Size: Around})
		before := m.era
		if got := m.one(other, key, rows(1, 1)); got != nil {
			t.Errorf("%s: got %v", what, got)
		}
		m.Learn(before, Learned{Key: key, Versions: rows(1, 1), What: "p1", Size: Around}) // by who began before
		if got := m.one(other, key, rows(1, 1)); got != nil {
			t.Errorf("%s, learned by a page of before: got %v", what, got)
		}
	}
}

func TestWhatIsRememberedIsBounded(t *testing.T) {
	const most, each = 1 << 20, 5000
	m := small(t, most)
	var now running.Era
	known := func(doc int64) bool { return m.one(now, Key{1, doc}, readsql.Versions{}) != nil }
	for doc := range int64(400) {
		m.Learn(now, Learned{Key: Key{1, doc}, What: doc, Size: each})
		if !known(0) {
			t.Fatalf("what is asked for again and again was forgotten after %d others", doc)
		}
	}
	held := m.things.Len() * each
	if held > most || held < most-each || held != m.bytes {
		t.Errorf("%d bytes are held, counted as %d, of %d that may be", held, m.bytes, most)
	}
	if known(1) {
		t.Error("what nobody asks for is never forgotten")
	}
	m.Learn(now, Learned{Key: Key{1, 0}, What: "smaller", Size: Around})
	if held += Around - each; m.bytes != held {
		t.Errorf("%d bytes are counted, not %d, after another version of one was learned", m.bytes, held)
	}
}
