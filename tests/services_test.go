package tests

import (
	"fmt"
	"strings"
	"testing"

	"yalvo/client"
	"yalvo/internal/harness"
)

// A design is applied through one service, and answered when the other works by
// it too: its very next answer is of the new design.
func TestAnAppliedDesignIsInForceInAllServices(t *testing.T) {
	w := start(t, ponds)
	w.person("ada")
	w.post("ada", "p1", "a heron")
	w.Settle()
	other := world{harness.StartOn(t, w.Database, ""), t}
	must(other.Timeline(t.Context(), "home", "ada", client.Page{Limit: 30}))(t)
	for round, carry := range []string{"text", "text, byline", "kind", "text, kind", "likes_n"} {
		next := strings.Replace(ponds, "carry: [text, byline, likes_n]", fmt.Sprintf("carry: [%s]", carry), 1)
		got := must(w.Apply(t.Context(), "test.yaml", []byte(next)))(t)
		same(t, "services that have not taken it up", got.Without, []string{})
		entry := must(other.Timeline(t.Context(), "home", "ada", client.Page{Limit: 30}))(t).Entries[0]
		for _, name := range []string{"text", "kind"} {
			if _, carried := entry.Facts[name]; carried != strings.Contains(carry, name) {
				t.Errorf("round %d: with carry [%s] the other service shows %v", round, carry, entry.Facts)
			}
		}
	}
}

// One that cannot take it up is named. It is kept from nothing but writing: its
// writes are refused by the version they were planned with.
func TestAServiceThatDoesNotTakeUpADesignIsNamed(t *testing.T) {
	w := start(t, ponds)
	stuck := must(w.Pool().Acquire(t.Context()))(t)
	defer stuck.Release()
	if _, err := stuck.Exec(t.Context(), "SELECT set_config('application_name', 'the one that hangs', false), pg_advisory_lock_shared(7480, 1)"); err != nil {
		t.Fatal(err)
	}
	got := must(w.Apply(t.Context(), "test.yaml", []byte(ponds+"# again\n")))(t)
	same(t, "services that have not taken it up", got.Without, []string{"the one that hangs"})
	w.person("ada")
	w.yalvo("apply", designFile(t, ponds+"# and again\n")).says(t, 0, "Not taken up yet by the one that hangs")
}
