package factsql_test

import (
	"slices"
	"strings"
	"testing"
	"time"

	"yalvo/internal/engine/store/storetest"

	"yalvo/internal/design/plan"
	"yalvo/internal/engine/store"
	"yalvo/internal/engine/store/factsql"
	"yalvo/tests/scratch"
)

func TestMain(m *testing.M) { scratch.Main(m) }

// A transaction with a low number commits after one with a higher number. A
// reader that had gone on to the higher one would never see the lower.
func TestTrapJournalHoles(t *testing.T) {
	s := storetest.Open(t)
	record := func(tx *store.Tx, subject string) {
		t.Helper()
		if _, _, err := factsql.Journal(tx, factsql.Record{Kind: plan.Created, Subject: subject}); err != nil {
			t.Fatal(err)
		}
	}
	read := func(xid, seq int64) (string, int64, int64) {
		t.Helper()
		records, xid, seq, err := factsql.JournalAfter(t.Context(), s, xid, seq, 10)
		if err != nil {
			t.Fatal(err)
		}
		var subjects []string
		for _, r := range records {
			subjects = append(subjects, r.Subject)
		}
		return strings.Join(subjects, " "), xid, seq
	}
	slow := storetest.Begin(s)
	record(slow, "slow")
	if err := s.Write(t.Context(), func(tx *store.Tx) error { record(tx, "quick"); return nil }); err != nil {
		t.Fatal(err)
	}
	got, xid, seq := read(0, 0)
	if got != "" {
		t.Errorf("while the slow one runs a reader gets %q: it would miss the slow one", got)
	}
	if err := storetest.Commit(slow); err != nil {
		t.Fatal(err)
	}
	// Other databases of this PostgreSQL hold a reader up as well.
	var all []string
	for deadline := time.Now().Add(time.Minute); len(all) < 2 && time.Now().Before(deadline); {
		got, xid, seq = read(xid, seq)
		all = append(all, strings.Fields(got)...)
	}
	if !slices.Equal(all, []string{"slow", "quick"}) {
		t.Errorf("got %q, want both", all)
	}
	if got, _, _ = read(xid, seq); got != "" {
		t.Errorf("got %q again", got)
	}
}
