package tests

import (
	"encoding/json"
	"net/http"
	"os"
	"path/filepath"
	"strings"
	"testing"

	"github.com/chromedp/chromedp"

	"yalvo/demo"
)

// In the picture of a design one chooses a field and sees all that it feeds, with what that means and costs.
func TestAFieldLightsUpWhatItFeeds(t *testing.T) {
	b := browse(t, string(demo.Design))
	at := func(id string) string { return `document.querySelector('[data-at="` + id + `"]')` }
	b.do(chromedp.Navigate(b.URL + "/design/picture"))
	b.sees("all things of the design", `document.querySelectorAll('.thing').length === 35`)
	b.sees("that it can be read without zooming",
		`new DOMMatrix(getComputedStyle(document.querySelector('.vue-flow__transformationpane')).transform).a >= 0.8`)

	b.press(`[data-at="collections.members.fields.name"]`)
	b.sees("what the name feeds, all the way", at("collections.sightings.kept.byline")+`.classList.contains('lit') && `+
		at("timelines.home")+`.parentElement.classList.contains('lit') && `+
		at("screens.followers")+`.parentElement.classList.contains('lit')`)
	b.sees("what it does not feed", at("collections.sightings.kept.like_count")+`.classList.contains('dim')`)
	b.sees("what it means", `document.querySelector('[data-part="chosen"]').innerText.includes('up to 60 characters')`)
	b.sees("the choice in the address", `location.search.includes('members.fields.name')`)

	b.press(`[data-to="collections.sightings.kept.byline"]`)
	b.sees("that of the copy, with its numbers", `(s => s.includes('a copy of handle, name and portrait') &&
		s.includes('8,000') && s.includes('rewritten a day'))(document.querySelector('[data-part="chosen"]').innerText)`)
	b.do(chromedp.KeyEvent("\x1b"))
	b.sees("nothing chosen any more", `document.querySelectorAll('.dim, .lit').length === 0`)

	for range 6 {
		b.press(`[aria-label="farther"]`)
	}
	b.sees("things alone from afar", `getComputedStyle(document.querySelector('.member')).visibility === 'hidden'`)
}

// Pages have moved into places; each address that there was leads where it did.
func TestWhatPagesWereCalledStillLeadsToThem(t *testing.T) {
	b := browse(t, ponds)
	for path, place := range map[string]string{"/": "Truth", "/documents/people": "App", "/lists": "App",
		"/together": "App", "/audit": "Truth", "/design": "Design", "/access": "Design", "/calls": "App",
		"/parked": "Operating"} {
		b.do(chromedp.Navigate(b.URL + path))
		b.sees(path+" in "+place, `document.querySelector('.places [aria-current]').innerText === '`+place+
			`' && location.pathname === '`+path+`'`)
	}
}

// A graph is of any design: of the running one, and of a draft, whose mistakes are told by their lines.
func TestADraftIsAGraphToo(t *testing.T) {
	w := start(t, ponds)
	var g struct {
		App    string
		Things []struct{ ID string }
	}
	asked := func(body string) (int, string) {
		r, answer := w.ask(http.MethodPost, "/v1/design/graph?name=draft.yaml", "application/yaml", body)
		return r.StatusCode, string(answer)
	}
	for _, body := range []string{"", changed(t, ponds, "app: ponds", "app: draft")} {
		status, answer := asked(body)
		if err := json.Unmarshal([]byte(answer), &g); err != nil || status != http.StatusOK || len(g.Things) == 0 {
			t.Fatalf("%d %s (%v)", status, answer, err)
		}
	}
	same(t, "the app", g.App, "draft")
	if status, answer := asked(ponds + "lists: {none: {entries: nowhere}}\n"); status != 422 ||
		!strings.Contains(answer, "draft.yaml:") || !strings.Contains(answer, "nowhere") {
		t.Errorf("%d %s", status, answer)
	}
}

func TestTheCommandDrawsADesign(t *testing.T) {
	w := start(t, ponds)
	out := filepath.Join(t.TempDir(), "ponds.svg")
	w.yalvo("design", "--picture", out).says(t, 0, "things of ponds")
	if svg := string(must(os.ReadFile(out))(t)); !strings.Contains(svg, ">likes_n") {
		t.Errorf("likes_n is not in the picture: %.300s", svg)
	}
	w.yalvo("design", "--picture", "ponds.png").says(t, 2, ".svg")
	w.yalvo("design", "ponds.yaml").says(t, 2, "--picture")
	w.yalvo("design", "--picture", out, "nowhere.yaml").says(t, 1, "nowhere.yaml")
}
