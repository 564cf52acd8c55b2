package readsql_test

import (
	"slices"
	"testing"
	"time"

	"yalvo/internal/engine/store/storetest"
	"yalvo/tests/scratch"

	"yalvo/internal/engine/store"
	"yalvo/internal/engine/store/readsql"
)

func TestMain(m *testing.M) { scratch.Main(m) }

// news asks what was written since a moment, and sees that this is known.
func news(t *testing.T, s *store.Store, since readsql.Since) readsql.Rewritten {
	t.Helper()
	got, err := readsql.RewrittenSince(t.Context(), s, since)
	if err != nil {
		t.Fatal(err)
	}
	if since != (readsql.Since{}) && !got.All {
		t.Errorf("since %v: it is not known what was written", since)
	}
	slices.Sort(got.Docs)
	return got
}

// now is a moment from which on what is written is known.
func now(t *testing.T, s *store.Store) readsql.Since {
	t.Helper()
	news(t, s, readsql.Since{}) // the first who asks begins an epoch
	return news(t, s, readsql.Since{}).Next
}

func put(t *testing.T, s *store.Store, keys ...string) []int64 {
	t.Helper()
	var rows []int64
	storetest.Write(t, s, func(tx *store.Tx) error {
		for _, key := range keys {
			n, err := storetest.Put(tx, 1, key, `{"n": 1}`)
			if err != nil {
				return err
			}
			rows = append(rows, n)
		}
		return nil
	})
	return rows
}

func TestWhateverIsWrittenIsTold(t *testing.T) {
	s := storetest.Open(t)
	rows := put(t, s, "a", "b", "c", "d")
	since := now(t, s)
	for _, c := range []struct {
		what, sql string
		docs      []int64
	}{
		{"nothing", "SELECT 1", nil},
		{"a document", "UPDATE documents SET fields = '{}' WHERE key = 'a'", rows[:1]},
		{"kept values", `UPDATE kept SET "values" = '{}'
			WHERE doc IN (SELECT n FROM documents WHERE key <= 'b')`, rows[:2]},
		{"lost kept values", "DELETE FROM kept WHERE doc = (SELECT n FROM documents WHERE key = 'c')", rows[2:3]},
		{"kept values by hand", `INSERT INTO kept (doc, "values")
			SELECT n, '{}' FROM documents WHERE key = 'c'`, rows[2:3]},
		{"a removal", "DELETE FROM documents WHERE key = 'd'", rows[3:]},
	} {
		if err := storetest.Exec(s, c.sql); err != nil {
			t.Fatal(err)
		}
		got := news(t, s, since)
		if !slices.Equal(got.Docs, c.docs) {
			t.Errorf("%s: got %v, want %v", c.what, got.Docs, c.docs)
		}
		since = got.Next
	}
}

// A moment is taken while somebody writes, who commits after it: a reader that had asked for
// what has higher numbers than all that it saw would never hear of that.
func TestWhoCommitsLateIsNotMissed(t *testing.T) {
	s := storetest.Open(t)
	rows := put(t, s, "a", "b")
	begun := now(t, s)
	tx := storetest.Begin(s)
	if err := storetest.Touch(tx, "a"); err != nil {
		t.Fatal(err)
	}
	// by a later transaction
	if err := storetest.Exec(s, "UPDATE documents SET fields = '{}' WHERE key = 'b'"); err != nil {
		t.Fatal(err)
	}
	between := news(t, s, begun)
	if !slices.Equal(between.Docs, rows[1:]) {
		t.Errorf("before it has committed: got %v", between.Docs)
	}
	if err := storetest.Commit(tx); err != nil {
		t.Fatal(err)
	}
	after := news(t, s, between.Next)
	if !slices.Contains(after.Docs, rows[0]) {
		t.Fatalf("what was committed late is not among %v", after.Docs)
	}
	if !between.Next.Before(after.Xids[slices.Index(after.Docs, rows[0])]) {
		t.Error("who had read before that takes it for seen")
	}
}

// What was written is not known after a crash, to who has not asked for long, and where there was
// too much: nothing that was remembered holds then.
func TestNobodyReliesOnWhatWasForgotten(t *testing.T) {
	s := storetest.Open(t)
	put(t, s, "a")
	unknown := func(what string, since readsql.Since) {
		t.Helper()
		if got, err := readsql.RewrittenSince(t.Context(), s, since); err != nil || got.All {
			t.Errorf("%s: %+v, %v", what, got, err)
		}
	}
	since := now(t, s)
	err := storetest.Exec(s, `INSERT INTO documents (collection, key, fields)
		SELECT 1, 'x' || g, '{}' FROM generate_series(1, 1500) g`)
	if err != nil {
		t.Fatal(err)
	}
	news(t, s, since) // what is new is remembered by nobody
	if err := storetest.Exec(s, "UPDATE documents SET fields = '{}' WHERE key LIKE 'x%'"); err != nil {
		t.Fatal(err)
	}
	unknown("too much at once", since)

	since = now(t, s)
	drop := func() {
		t.Helper()
		storetest.Write(t, s, func(tx *store.Tx) error { return readsql.DropRewritten(tx, 0) })
	}
	if err := storetest.Exec(s, "UPDATE documents SET fields = '{}' WHERE key = 'a'"); err != nil {
		t.Fatal(err)
	}
	drop()
	news(t, s, since) // it is two turns until what was there at the first is dropped
	drop()
	unknown("asked for too long ago", since)
	storetest.Write(t, s, func(tx *store.Tx) error { return readsql.DropRewritten(tx, time.Hour) })
	news(t, s, now(t, s))

	since = now(t, s)
	if err := storetest.Exec(s, "TRUNCATE rewritten, rewritten_since"); err != nil { // as a crash does
		t.Fatal(err)
	}
	if err := storetest.Exec(s, "UPDATE documents SET fields = '{}' WHERE key = 'a'"); err != nil {
		t.Fatal(err)
	}
	unknown("after a crash", since)
	unknown("after a crash, and somebody has begun again", since)

	for range 3 { // though nobody asks
		drop()
	}
	if left, err := storetest.Texts(s, "SELECT doc::text FROM rewritten"); err != nil || len(left) > 0 {
		t.Errorf("%d are kept for nobody: %v", len(left), err)
	}
}

// Whoever takes rows away all together, applies what others have written, or restores a backup beside a service
// that runs, is noticed; after an audit nothing holds that was remembered before it.
func TestWhatComesInOtherWaysIsNotMissed(t *testing.T) {
	s := storetest.Open(t)
	put(t, s, "a")
	for _, c := range []struct{ what, sql string }{
		{"many notes beside a long transaction", `INSERT INTO rewritten (xid, doc)
			SELECT pg_current_xact_id()::text::bigint, g % 10 + 1 FROM generate_series(1, 30000) g`},
		{"kept values taken away together", "TRUNCATE kept"},
		{"notes taken away together", "TRUNCATE rewritten"},
		{"documents taken away together", "TRUNCATE documents CASCADE"},
		{"a restore that brings the notes along", `ALTER TABLE rewritten_since RENAME TO other;
			CREATE UNLOGGED TABLE rewritten_since (LIKE other INCLUDING ALL);
			INSERT INTO rewritten_since SELECT * FROM other`},
	} {
		since := now(t, s)
		if err := storetest.Exec(s, c.sql); err != nil {
			t.Fatal(c.what, err)
		}
		if got, err := readsql.RewrittenSince(t.Context(), s, since); err != nil || got.All {
			t.Errorf("%s: %+v, %v", c.what, got, err)
		}
	}
	rows := put(t, s, "b")
	since := now(t, s)
	err := storetest.Exec(s, `BEGIN; SET LOCAL session_replication_role = replica;
		UPDATE documents SET fields = '{"n": 2}' WHERE key = 'b'; COMMIT`)
	if err != nil {
		t.Fatal(err)
	}
	got := news(t, s, since)
	if !slices.Equal(got.Docs, rows) {
		t.Errorf("what a replica applies: got %v", got.Docs)
	}
	storetest.Write(t, s, func(tx *store.Tx) error { return readsql.BeginRewritten(tx) })
	if again, err := readsql.RewrittenSince(t.Context(), s, got.Next); err != nil || again.All {
		t.Errorf("after an audit: %+v, %v", again, err)
	}
}
