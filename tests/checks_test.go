package tests

import (
	"errors"
	"os"
	"path/filepath"
	"strings"
	"testing"

	"yalvo/client"
)

const checks = `    checks:
      - {that: "has(doc.rating) || has(doc.photo)", otherwise: "it needs a rating or a photo"}
      - {that: "!has(doc.spot) || has(doc.spot.lat)", otherwise: "a spot needs its latitude"}
      - {that: "!has(old.rating) || has(doc.rating) && doc.rating >= old.rating", otherwise: "a rating never falls"}
`

// checked is the ponds design in which posts have checks.
func checked(t *testing.T) string {
	t.Helper()
	return changed(t, ponds, "    kept:\n      byline:", checks+"    kept:\n      byline:")
}

// broken are the mistakes of a refusal: where, and what is said.
func broken(t *testing.T, err error) []string {
	t.Helper()
	var p *client.Problem
	if !errors.As(err, &p) || p.Code != "invalid" {
		t.Fatalf("it is not refused as it should be: %v", err)
	}
	var all []string
	for _, m := range p.Errors {
		all = append(all, m.Pointer+" "+m.Code+" "+m.Detail)
	}
	return all
}

// What must hold of a document is seen to when it is created and edited, and all that
// does not is told at once.
func TestWhatIsRefusedByChecks(t *testing.T) {
	t.Parallel()
	w := start(t, checked(t))
	w.person("ada")
	ada := w.As("ada")
	spot := map[string]any{"name": "Nine Posts"}
	_, _, err := ada.Create(t.Context(), "posts", "p1", map[string]any{"text": "a heron", "spot": spot})
	same(t, "two at once", broken(t, err), []string{"/facts check it needs a rating or a photo",
		"/facts check a spot needs its latitude"})
	_, _, err = ada.Create(t.Context(), "posts", "p1", map[string]any{"text": "", "spot": spot})
	same(t, "fields are told as well", len(broken(t, err)), 3)
	if _, _, err = ada.Create(t.Context(), "posts", "p1", map[string]any{"text": "a heron", "rating": 5}); err != nil {
		t.Fatal(err)
	}
	_, err = w.amend("posts/p1", map[string]any{"rating": 3, "spot": spot})
	same(t, "an edit", broken(t, err), []string{"/facts check a spot needs its latitude",
		"/facts check a rating never falls"})
	_, err = w.amend("posts/p1", map[string]any{"rating": nil, "photo": "/heron.jpg"})
	same(t, "what was before", broken(t, err), []string{"/facts check a rating never falls"})
	must(w.amend("posts/p1", map[string]any{"rating": 7, "spot": map[string]any{"name": "Nine Posts", "lat": 51.5}}))(t)
	same(t, "its version", w.get("posts/p1").Version, 2)
}

// A check that comes with another version lists what does not hold it. What an edit
// leaves as it was is not held against it.
func TestChecksComeWhileTheAppRuns(t *testing.T) {
	t.Parallel()
	w := start(t, ponds)
	w.person("ada")
	w.post("ada", "p1", "a heron")
	w.post("ada", "p2", "a bittern")
	must(w.amend("posts/p2", map[string]any{"rating": 3, "about": "p1"}))(t)
	w.Evolving.Store(true)
	next := changed(t, checked(t), "otherwise: \"a spot needs its latitude\"}",
		"otherwise: \"a spot needs its latitude\"}\n      - {that: \"has(doc.about)\", otherwise: \"it is about another one\"}")
	d := must(w.Diff(t.Context(), "ponds.yaml", []byte(next)))(t)
	same(t, "what would not hold", differing(d), "posts check 2, posts check 2 1, posts check 2 1")
	w.evolves(next)
	same(t, "what does not hold", w.misfits(), "posts.checks check 1")
	page := must(w.Misfits(t.Context()))(t)[0]
	same(t, "both are told", page.Examples[0].Detail, "it needs a rating or a photo; it is about another one")
	must(w.amend("posts/p1", map[string]any{"text": "a grey heron"}))(t)
	same(t, "an edit of something else", w.misfits(), "posts.checks check 1")
	_, err := w.amend("posts/p1", map[string]any{"photo": nil, "rating": nil, "kind": "frog"})
	same(t, "an edit that leaves it", err, nil)
	_, err = w.amend("posts/p1", map[string]any{"spot": map[string]any{"name": "Nine Posts"}})
	same(t, "an edit that breaks another one", broken(t, err), []string{"/facts check a spot needs its latitude"})
	must(w.amend("posts/p1", map[string]any{"rating": 1, "about": "p2"}))(t)
	same(t, "what holds is off the list", w.misfits(), "")

	if _, _, err := w.Remove(t.Context(), "posts/p1"); err != nil { // p2 was about it
		t.Fatal(err)
	}
	w.Settle()
	same(t, "what no longer holds when its target has gone", w.misfits(), "posts.checks check 1")
	file := filepath.Join(t.TempDir(), "ponds")
	w.yalvo("dump", file).says(t, 0, "2 documents")
	other := start(t, next)
	other.Evolving.Store(true)
	other.yalvo("load", file).says(t, 0, "Loaded 2 documents")
	same(t, "what does not hold elsewhere", other.misfits(), "posts.checks check 1")
	if err := os.WriteFile(file, []byte(`{"document":"posts/p3","facts":{"text":"a coot","author":"ada"}}`+"\n"),
		0o600); err != nil {
		t.Fatal(err)
	}
	other.yalvo("load", file).says(t, 5, "1 line could not be loaded")
	same(t, "why", strings.Contains(string(must(os.ReadFile(file+".bad"))(t)),
		`"/facts: it needs a rating or a photo","/facts: it is about another one"`), true)
	w.evolves(ponds)
	same(t, "without checks everything fits", w.misfits(), "")
	w.auditFindsNothing()
}

// A trigger is bound by checks too: what it may not do is parked, with the reason.
func TestATriggerThatBreaksACheckIsParked(t *testing.T) {
	t.Parallel()
	w := start(t, checked(t)+`triggers:
  echo: {on: {set: like}, do: [{create: posts, id: "'of-' + to", fields: {text: "'liked'", author: from}}]}
`)
	w.person("ada")
	if _, _, err := w.As("ada").Create(t.Context(), "posts", "p1", map[string]any{"text": "a heron",
		"rating": 5}); err != nil {
		t.Fatal(err)
	}
	must(w.Set(t.Context(), "like", "ada", "p1"))(t)
	w.until("it is parked", func() bool { return len(must(w.ParkedWork(t.Context()))(t)) > 0 })
	parked := must(w.ParkedWork(t.Context()))(t)[0]
	same(t, "the reason", strings.Contains(parked.Error, "it needs a rating or a photo"), true)
	must(w.AwaitForgotten(t.Context(), must(w.Forget(t.Context(), "posts/p1"))(t).ID))(t) // and what the reason may say of it
	same(t, "parked work", len(must(w.ParkedWork(t.Context()))(t)), 0)
}
