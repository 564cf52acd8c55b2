package tests

import (
	"errors"
	"fmt"
	"math/rand/v2"
	"os"
	"strings"
	"syscall"
	"testing"

	"yalvo/client"
	"yalvo/internal/engine/running"
	"yalvo/internal/engine/store"
	"yalvo/internal/machine/service"
	"yalvo/tests/harness"
	"yalvo/tests/scratch"

	"github.com/jackc/pgx/v5"
)

// A design is applied through one service, and answered when the other works by
// it too: its very next answer is of the new design.
func TestAnAppliedDesignIsInForceInAllServices(t *testing.T) {
	t.Parallel()
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
	t.Parallel()
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

// Data that the program of any earlier version has written is served by this one,
// and everything in it is true: of the oldest, the newest, and some in between; `make torture` looks at all.
func TestDataOfEveryEarlierVersionIsServed(t *testing.T) {
	t.Parallel()
	some := rand.IntN(4)
	for version := 1; version < store.SchemaVersion; version++ {
		if *everyNth > 1 && version%4 != some && version != 1 && version != store.SchemaVersion-1 {
			continue
		}
		database := scratch.Database(t)
		c := must(pgx.Connect(t.Context(), database))(t)
		_, err := c.Exec(t.Context(), string(must(os.ReadFile(fmt.Sprintf("../internal/engine/store/testdata/tables/%d.sql", version)))(t)))
		if err != nil {
			t.Fatal(err)
		}
		c.Close(t.Context())
		w := world{harness.StartOn(t, database, ""), t}
		same(t, "a name", w.get("people/ben").Facts["name"], any("Benno"))
		if _, _, err := w.As("cy").Create(t.Context(), "posts", "cy-9", map[string]any{"text": "still here"}); err != nil {
			t.Fatal(err)
		}
		w.Settle()
		same(t, "what cy sees first", must(w.Timeline(t.Context(), "home", "cy", client.Page{Limit: 1}))(t).Entries[0].ID, "cy-9")
		w.auditFindsNothing()
	}
}

// A program that refuses the design in force, as one may that checks more than the program
// which took it, leaves the tables to that program.
func TestAProgramThatRefusesTheDesignInForceChangesNothing(t *testing.T) {
	t.Parallel()
	for _, version := range []int{1, store.SchemaVersion - 1} {
		database := scratch.Database(t)
		c := must(pgx.Connect(t.Context(), database))(t)
		defer c.Close(t.Context())
		for _, sql := range []string{
			string(must(os.ReadFile(fmt.Sprintf("../internal/engine/store/testdata/tables/%d.sql", version)))(t)),
			"UPDATE yalvo.designs SET source = replace(source, 'max: 40', 'max: -1')"} {
			if _, err := c.Exec(t.Context(), sql); err != nil {
				t.Fatal(err)
			}
		}
		_, err := service.Start(t.Context(), service.Options{Listen: "127.0.0.1:0", Database: database, Log: scratch.Log()})
		for _, says := range []string{"refuses the design in force", "leaves the database as it is", "max"} {
			if err == nil || !strings.Contains(err.Error(), says) {
				t.Errorf("the service says %v, and should say %q", err, says)
			}
		}
		var stays string
		if err := c.QueryRow(t.Context(), "SELECT value FROM yalvo.settings WHERE name = 'schema'").Scan(&stays); err != nil {
			t.Fatal(err)
		}
		same(t, "the version of the tables", stays, fmt.Sprint(version))
	}
}

// Whoever applies a design waits for the services that it sees: one that has only just begun has to look by itself.
func TestAServiceThatNobodySeesYetLooksBeforeItAnswers(t *testing.T) {
	t.Parallel()
	w := start(t, ponds)
	s := must(store.Open(t.Context(), w.Database, 4))(t)
	t.Cleanup(func() {
		if err := s.Close(); err != nil {
			t.Error(err)
		}
	})
	beside := must(running.New(t.Context(), "beside", s, scratch.Log()))(t) // it has not shown itself to others
	same(t, "at first", must(beside.Now(t.Context()))(t).Number, 1)
	w.evolves(changed(t, ponds, "max: 200", "max: 300"))
	same(t, "as soon as another is in force", must(beside.Now(t.Context()))(t).Number, 2)
}

// A service that hung while a stricter design was put in force answers, when it goes on, first of all by that: what
// had been asked meanwhile, too.
func TestAServiceThatHungAnswersByTheDesignInForce(t *testing.T) {
	t.Parallel()
	w := guarded(t)
	hung := spawn(t, "--database", w.Database)
	t.Cleanup(func() { hung.kill(t) })
	operator := harness.Client(t, hung.url)
	if _, err := operator.As("dora").Get(t.Context(), "posts/a1"); err != nil {
		t.Fatal(err)
	}
	w.until("both services are seen", func() bool {
		return w.Number("SELECT count(DISTINCT pid) FROM pg_locks WHERE locktype = 'advisory' AND classid = 7480 AND "+
			"objsubid = 2 AND database = (SELECT oid FROM pg_database WHERE datname = current_database())") == 2
	})
	stop := func(signal os.Signal) {
		t.Helper()
		if err := hung.cmd.Process.Signal(signal); err != nil {
			t.Fatal(err)
		}
	}
	stop(syscall.SIGSTOP)
	w.until("it stands still", func() bool {
		state := string(must(os.ReadFile(fmt.Sprintf("/proc/%d/stat", hung.cmd.Process.Pid)))(t))
		return strings.Contains(state, ") T ")
	})
	asked := make(chan error, 40)
	ask := func() {
		_, err := operator.As("dora").Get(t.Context(), "posts/a1")
		asked <- err
	}
	for range 20 { // they wait in its sockets
		go ask()
	}
	stricter := changed(t, guardedPonds(t), `read:   "!apart(me, doc.author)"`, `read:   "doc.author == me"`)
	got, err := w.Apply(t.Context(), "test.yaml", []byte(stricter))
	if busy := (*client.Problem)(nil); errors.As(err, &busy) && busy.Code == "busy" {
		// It was stopped within a transaction, which PostgreSQL has ended meanwhile.
		got, err = w.Apply(t.Context(), "test.yaml", []byte(stricter))
	}
	if err != nil {
		t.Fatal(err)
	}
	if len(got.Without) != 1 {
		t.Errorf("services that have not taken it up: %v", got.Without)
	}
	stop(syscall.SIGCONT)
	for range 20 {
		go ask()
	}
	for range 40 {
		refused(t, <-asked, "not-found")
	}
}
