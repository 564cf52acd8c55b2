package tests

import (
	"fmt"
	"os"
	"path/filepath"
	"regexp"
	"strings"
	"testing"

	"yalvo/client"
	"yalvo/internal/design/plan"
)

// holdEnds keeps what follows from removals from being done until what it returns is called. It holds no locks.
func (w world) holdEnds() (goOn func()) {
	w.t.Helper()
	w.SQL(`CREATE FUNCTION hold() RETURNS trigger LANGUAGE plpgsql AS $$
		BEGIN NEW.not_before = now() + interval '1 hour'; RETURN NEW; END $$`)
	w.SQL(fmt.Sprintf("CREATE TRIGGER held BEFORE INSERT ON due FOR EACH ROW WHEN (NEW.lane = %d) "+
		"EXECUTE FUNCTION hold()", plan.Ending))
	return func() {
		w.t.Helper()
		w.SQL("DROP TRIGGER held ON due")
		w.SQL("UPDATE due SET not_before = NULL")
	}
}

// plainly is a dump without what an edit changes that empties a reference.
func plainly(dump []string) string { return aboutEdits.ReplaceAllString(strings.Join(dump, "\n"), "") }

var aboutEdits = regexp.MustCompile(`"(updated|version)":[^,}]*,?`)

// A dump that is taken while a removal is on its way is as one that is taken when it is done: nobody comes back by
// it, whose posts go along, and who is to be forgotten, is in no frozen copy.
func TestADumpBesideARemovalBringsNothingBack(t *testing.T) {
	t.Parallel()
	for _, how := range []string{"removed", "forgotten"} {
		t.Run(how, func(t *testing.T) {
			t.Parallel()
			w := start(t, memoir)
			for _, id := range []string{"ada", "ben"} {
				w.given("people", id, map[string]any{"name": "Secretname of " + id})
			}
			w.follow("ben", "ada")
			for _, id := range []string{"p1", "p2"} {
				w.given("posts", id, map[string]any{"text": "a thought of ada", "author": "ada"})
			}
			w.given("posts", "b1", map[string]any{"text": "mine", "author": "ben"})
			for i, of := range []string{"p1", "b1"} {
				w.given("quotes", fmt.Sprint("q", i), map[string]any{"text": "so true", "of": of, "who": "ada"})
			}
			w.Settle()
			goOn := w.holdEnds()
			if how == "removed" {
				if _, _, err := w.Remove(t.Context(), "people/ada"); err != nil {
					t.Fatal(err)
				}
			} else {
				must(w.Forget(t.Context(), "people/ada"))(t)
			}
			w.given("people", "ada", map[string]any{"name": "Another"}) // who has none of it
			file := filepath.Join(t.TempDir(), "memoir.ndjson")
			w.yalvo("dump", file).says(t, 0, "documents")
			meanwhile := w.dump()
			goOn()
			w.Settle()
			text := string(must(os.ReadFile(file))(t))
			if strings.Contains(text, "posts/p") || how == "forgotten" && strings.Contains(text, "Secretname of ada") {
				t.Errorf("the dump has what is gone: %s", text)
			}
			same(t, "the dump beside it and after it", plainly(meanwhile), plainly(w.dump()))

			other := start(t, memoir)
			other.yalvo("load", file).says(t, 0, "Loaded")
			other.Settle()
			other.auditFindsNothing()
			same(t, "the app elsewhere", plainly(other.dump()), plainly(w.dump()))
			same(t, "ben's timeline", other.home("ben"), []string{"b1"})
		})
	}
}

// What is loaded and points at nothing comes to the end that the design has for it, and that is told; an audit that
// mends does the same. What a line says may not fit, and what a reference refuses, is listed.
func TestWhatPointsNowhereIsEnded(t *testing.T) {
	t.Parallel()
	w := start(t, changed(t, memoir, "quotes:\n    fields:",
		"spots: {fields: {name: {type: string}}}\n  quotes:\n    fields:\n      held: {type: reference, to: spots, when_gone: refuse}"))
	file := filepath.Join(t.TempDir(), "lines.ndjson")
	lines := `{"document": "people/ben", "facts": {"name": "Ben"}}
{"document": "posts/p1", "facts": {"text": "a heron", "author": "nobody"}}
{"document": "posts/p2", "facts": {"text": "a bittern", "author": "later"}}
{"document": "posts/p3", "facts": {"text": "a tern", "author": "nobody"}, "unfit": true}
{"document": "quotes/q1", "facts": {"text": "so true", "of": "p1", "who": "nobody"}}
{"document": "quotes/q2", "facts": {"text": "not so", "of": "p9", "held": "p9"}}
{"document": "people/later", "facts": {"name": "Later"}}
`
	if err := os.WriteFile(file, []byte(lines), 0o600); err != nil {
		t.Fatal(err)
	}
	goOn := w.holdEnds()
	w.yalvo("load", file).says(t, 0, "Loaded 7 documents",
		"Pointing by posts.author at what is not there: 1 document, removed as its `when_gone` says.",
		"Pointing by quotes.of at what is not there: 1 document, emptied as its `when_gone` says.",
		"Pointing by quotes.held at what is not there: 1 document, listed by `yalvo misfits`.")
	p := w.raw("GET", "/collections/quotes/q2?settled=all&patience=0.1", "", "")
	same(t, "as long as the endings are due", []any{p.Status, p.Code}, []any{503, "not-yet"})
	goOn()
	w.Settle()
	_, err := w.Get(t.Context(), "posts/p1")
	refused(t, err, "not-found")
	same(t, "a post of somebody who came later", w.get("posts/p2").Facts["author"], "later")
	same(t, "a quote of a post that went", w.get("quotes/q1").Facts["of"], nil)
	same(t, "a quote of one that never was", w.get("quotes/q2").Facts["of"], nil)
	same(t, "what does not fit", w.misfits(), "posts.author no-such-document 1, quotes.held no-such-document 1")

	w.SQL("UPDATE yalvo.documents SET fields = fields || '{\"of\": \"p77\"}' WHERE key = 'q1'") // by hand
	a, found := w.audit(client.Scope{Mend: true})
	same(t, "what an audit finds", []any{a.Drifted, len(found)}, []any{int64(3), 3})
	w.Settle()
	same(t, "a quote of what never was", w.get("quotes/q1").Facts["of"], nil)
	_, err = w.Get(t.Context(), "posts/p3")
	refused(t, err, "not-found")
	_, found = w.audit(client.Scope{})
	if len(found) != 1 || found[0].Duplicate != "quotes.held" { // which a person decides
		t.Errorf("after mending: %+v", found)
	}
}

// An entry whose author was changed by hand is mended by one mend, though that takes it out and puts it in.
func TestOneMendIsEnough(t *testing.T) {
	t.Parallel()
	w := start(t, memoir)
	for _, id := range []string{"ada", "ben", "cy"} {
		w.person(id)
	}
	w.follow("ben", "ada")
	w.follow("ben", "cy")
	w.given("posts", "p1", map[string]any{"text": "a heron", "author": "ada"})
	w.given("posts", "c1", map[string]any{"text": "a coot", "author": "cy"})
	w.Settle()
	w.SQL(`UPDATE yalvo.entries SET author = (SELECT n FROM yalvo.documents WHERE key = 'cy')
		WHERE owner = (SELECT n FROM yalvo.documents WHERE key = 'ben')
		  AND doc = (SELECT n FROM yalvo.documents WHERE key = 'p1')`)
	a, found := w.audit(client.Scope{Mend: true})
	if a.Drifted == 0 || len(found) == 0 || found[0].Mended == nil {
		t.Errorf("the audit: %+v %+v", a, found)
	}
	w.Settle()
	same(t, "ben's timeline", w.home("ben"), []string{"c1", "p1"})
	w.auditFindsNothing()
}
