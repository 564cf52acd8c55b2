package tests

import (
	"context"
	"fmt"
	"io"
	"os"
	"path/filepath"
	"strings"
	"testing"

	"yalvo/client"
	"yalvo/demo"
	"yalvo/internal/command/cli"
	"yalvo/internal/command/lines"
	"yalvo/tests/harness"
)

// crowdFile is a file of facts with so many people, who post, follow and like.
func crowdFile(t *testing.T, people int) string {
	t.Helper()
	file := filepath.Join(t.TempDir(), "crowd.ndjson")
	var text strings.Builder
	for i := range people {
		fmt.Fprintf(&text, `{"document":"people/p%d","facts":{"name":"Person %d"}}`+"\n", i, i)
	}
	for i := range people {
		fmt.Fprintf(&text, `{"document":"posts/p%d","facts":{"text":"%s","author":"p%d"}}`+"\n", i,
			strings.Repeat("a heron ", 20), i*7%people)
	}
	for i := range people {
		fmt.Fprintf(&text, `{"pair":"follow","from":"p%d","to":"p%d"}`+"\n", i, (i+1+i%5)%people)
		fmt.Fprintf(&text, `{"pair":"like","from":"p%d","to":"p%d"}`+"\n", i, (i*3)%people)
	}
	if err := os.WriteFile(file, []byte(text.String()), 0o600); err != nil {
		t.Fatal(err)
	}
	return file
}

// full has the database say that its disk is full when rows of a table are added.
func (w world) full(table string) (emptied func()) {
	w.t.Helper()
	w.SQL(`CREATE FUNCTION yalvo.no_room() RETURNS trigger LANGUAGE plpgsql AS
		$$ BEGIN RAISE EXCEPTION 'could not extend file: No space left on device' USING ERRCODE = 'disk_full'; END $$`)
	w.SQL(`CREATE TRIGGER no_room BEFORE INSERT ON yalvo.` + table + ` FOR EACH STATEMENT EXECUTE FUNCTION yalvo.no_room()`)
	return func() { w.t.Helper(); w.SQL("DROP FUNCTION yalvo.no_room CASCADE") }
}

// A service is killed while it loads, another one while it derives what follows; who
// runs the load again has it whole, and nothing twice.
func TestALoadGoesOnAfterAKill(t *testing.T) {
	t.Parallel()
	const people = 3000
	w := start(t, ponds)
	w.Evolving.Store(true)
	file := crowdFile(t, people)

	victim := spawn(t, "--database", w.Database)
	doomed := harness.Client(t, victim.url)
	must(doomed.BeginLoad(t.Context()))(t)
	_, err := w.BeginAudit(t.Context(), client.Scope{})
	refused(t, err, "being-built", "facts are being loaded") // the other service knows
	in := must(os.Open(file))(t)
	defer in.Close()
	batches := 0
	l := &lines.Loader{Service: doomed, BadFile: file + ".bad", Progress: func() {
		if batches++; batches == 2 {
			victim.kill(t)
		}
	}}
	if err := l.Load(t.Context(), lines.Read(in)); err == nil || batches != 2 {
		t.Fatal("the load has gone on without its service")
	}

	next := spawn(t, "--database", w.Database)
	w.yalvo("--service", next.url, "load", "--no-wait", file).says(t, 0, "10,000 lines passed over")
	w.until("it derives", func() bool {
		return w.Number("SELECT count(*) FROM builds WHERE does <> 'load' AND began IS NOT NULL") > 0
	})
	next.kill(t)
	v := must(w.Versions(t.Context(), 1))(t)[0]
	must(w.AwaitVersion(t.Context(), v.Version, nil))(t)
	w.Evolving.Store(false)
	w.Settle()
	same(t, "people",
		w.Number("SELECT count(*) FROM documents WHERE key ~ '^p' AND collection = (SELECT n FROM numbers WHERE kind = 'collection' AND name = 'people')"), people)
	same(t, "pairs", w.Number("SELECT count(*) FROM pairs"), 2*people)
	w.auditFindsNothing()
}

// A disk that is full breaks a load off with a sentence, and what was derived until
// then waits. With room again it goes on.
func TestALoadGoesOnWhenThereIsRoomAgain(t *testing.T) {
	t.Parallel()
	w := start(t, ponds)
	w.Evolving.Store(true)
	file := crowdFile(t, 200)
	emptied := w.full("pairs")
	w.yalvo("load", file).says(t, 1, "out of room", "The load is still open: run it again")
	emptied()
	emptied = w.full("entries")
	w.yalvo("load", "--no-wait", file).says(t, 0, "Loaded")
	w.until("a step cannot get on",
		func() bool { return w.Number("SELECT count(*) FROM builds WHERE name = 'home' AND began IS NULL") == 1 })
	emptied()
	v := must(w.Versions(t.Context(), 1))(t)[0]
	must(w.AwaitVersion(t.Context(), v.Version, nil))(t)
	w.Evolving.Store(false)
	w.auditFindsNothing()
	same(t, "pairs", w.Number("SELECT count(*) FROM pairs"), 400)

	w.Evolving.Store(true)
	bad := filepath.Join(t.TempDir(), "bad.ndjson")
	if err := os.WriteFile(bad, []byte("no line\n"), 0o600); err != nil {
		t.Fatal(err)
	}
	w.yalvo("load", "--bad", "/dev/full", bad).says(t, 1, "no space left on device")
	w.yalvo("load", bad).says(t, 5, "1 line could not be loaded")
}

// Who puts a design in force that cannot be carried out for a while is told so, and waits.
func TestADesignThatDoesNotGetOnIsTold(t *testing.T) {
	t.Parallel()
	w := start(t, ponds)
	w.Evolving.Store(true)
	w.person("ada")
	w.post("ada", "p1", "a heron")
	w.Settle()
	w.SQL(`CREATE FUNCTION yalvo.broken() RETURNS trigger LANGUAGE plpgsql AS $$ BEGIN
		IF EXISTS (SELECT FROM yalvo.builds WHERE ended IS NULL) THEN RAISE EXCEPTION 'no such luck'; END IF;
		RETURN NULL; END $$`)
	w.SQL("CREATE TRIGGER broken BEFORE INSERT ON yalvo.entries FOR EACH STATEMENT EXECUTE FUNCTION yalvo.broken()")
	file := designFile(t, changed(t, ponds, "timelines:",
		"timelines:\n  all: {owner: people, entries: posts, by: author, through: follow, own: true, length: 20}"))
	var out, told strings.Builder
	stuck := writerFunc(func(p []byte) (int, error) {
		if told.Len() == 0 { // it says so while it waits
			w.SQL("DROP FUNCTION yalvo.broken CASCADE")
		}
		return told.Write(p)
	})
	code := cli.Run(t.Context(), []string{"yalvo", "--service", w.URL, "apply", file}, &out, stuck)
	said{code, out.String(), told.String()}.says(t, 0, "all does not get on:", "no such luck", "It is tried again", "now runs")
	w.Evolving.Store(false)
	w.auditFindsNothing()
}

// An app that is brought along goes through the same.
func TestBringingAlongGoesOnWhenThereIsRoomAgain(t *testing.T) {
	t.Parallel()
	w := start(t, string(demo.Design))
	w.Evolving.Store(true)
	const mapping = "../demo/export/mapping.yaml"
	w.yalvo("bring", "--lines", "/dev/full", mapping).says(t, 1, "no space left on device")
	same(t, "nothing was loaded", w.Number("SELECT count(*) FROM documents"), 0)
	emptied := w.full("pairs")
	w.yalvo("bring", mapping).says(t, 1, "out of room", "run it again")
	emptied()
	w.yalvo("bring", mapping).says(t, 0, "and 1,790 pairs")
	w.Evolving.Store(false)
	w.auditFindsNothing()
}

// A dump of a service that is killed, or to a disk that is full, is told from a whole
// one, and leaves no file behind.
func TestADumpThatBreaksOffIsToldFromAWholeOne(t *testing.T) {
	t.Parallel()
	w := start(t, ponds)
	w.SQL(`INSERT INTO documents (collection, key, fields) SELECT (SELECT n FROM numbers WHERE kind = 'collection' AND name = 'pools'),
		'pool' || g, jsonb_build_object('name', repeat('reed ', 40)) FROM generate_series(1, 50000) g`) // more than lies on the way

	victim := spawn(t, "--database", w.Database)
	var killed strings.Builder
	kill := writerFunc(func(p []byte) (int, error) {
		if killed.Len() == 0 {
			victim.kill(t)
		}
		return killed.Write(p)
	})
	if err := harness.Client(t, victim.url).Dump(t.Context(), kill); err == nil || strings.Contains(killed.String(),
		`"end":true`) {
		t.Errorf("a dump that was cut off after %d bytes says %v", killed.Len(), err)
	}
	file := filepath.Join(t.TempDir(), "cut")
	if err := os.WriteFile(file, []byte(killed.String()), 0o600); err != nil {
		t.Fatal(err)
	}
	other := start(t, ponds)
	other.Evolving.Store(true)
	other.yalvo("load", file).says(t, 5, "could not be loaded")
	same(t, "what is said of it", strings.Contains(string(must(os.ReadFile(file+".bad"))(t)), "it was cut off"), true)

	err := w.Dump(t.Context(), writerFunc(func(p []byte) (int, error) { return 0, io.ErrShortWrite }))
	if err == nil {
		t.Error("a dump that cannot be written says nothing")
	}
	there := must(os.ReadDir(filepath.Dir(file)))(t)
	ctx, cancel := context.WithCancel(t.Context())
	cancel()
	if err := w.Dump(ctx, io.Discard); err == nil {
		t.Error("a dump that nobody waits for says nothing")
	}
	w.yalvo("dump", filepath.Join(filepath.Dir(file), "nowhere", "x")).says(t, 1, "the dump cannot be written")
	same(t, "files", len(must(os.ReadDir(filepath.Dir(file)))(t)), len(there))
	full := must(os.OpenFile("/dev/full", os.O_WRONLY, 0))(t)
	defer full.Close()
	if err := w.Dump(t.Context(), full); err == nil || !strings.Contains(err.Error(), "no space left on device") {
		t.Errorf("a dump to a full disk says %v", err)
	}
}

type writerFunc func(p []byte) (int, error)

func (f writerFunc) Write(p []byte) (int, error) { return f(p) }
