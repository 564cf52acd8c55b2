package tests

import (
	"testing"

	"github.com/chromedp/chromedp"

	"yalvo/demo"
)

// Two phones beside one another: what the one does is on the screens of both.
func TestScreensStandThereAsOnAPhone(t *testing.T) {
	b := browse(t, string(demo.Design))
	for _, id := range []string{"ada", "ben"} {
		b.given("members", id, map[string]any{"handle": id, "name": "Somebody " + id})
	}
	if _, err := b.As("ben").Set(t.Context(), "follow", "ben", "ada"); err != nil {
		t.Fatal(err)
	}
	if _, _, err := b.As("ada").Create(t.Context(), "sightings", "s1", map[string]any{"text": "a <b>heron</b>"}); err != nil {
		t.Fatal(err)
	}
	b.Settle()
	frame := func(screen, as string) string {
		return `document.querySelector('[data-screen="` + screen + `"][data-as="` + as + `"]')`
	}
	b.signIn()
	b.sees("that the link leads to the screens", `location.pathname === '/screens'`)
	b.do(chromedp.Navigate(b.URL + "/screens?as=ben&beside=ada"))
	b.sees("the post of whom ben follows, as text", frame("home", "ben")+`.innerText.includes('a <b>heron</b>')`)
	b.sees("who it is of", frame("home", "ben")+`.querySelector('.kept').innerText.includes('Somebody ada')`)
	b.sees("what a look costs", frame("home", "ben")+`.querySelector('.cost').innerText.includes('ms a look')`)
	b.sees("that nothing is saved", frame("saved", "ben")+`.innerText.includes('No sightings here for ben')`)

	b.press(`[data-screen="home"][data-as="ben"] [data-act="like"]`)
	b.sees("the like at both", `['ben', 'ada'].every(as => document.querySelector('[data-screen="home"][data-as="' + as + '"]')
		.innerText.includes('like count 1'))`)
	b.press(`[data-screen="home"][data-as="ben"] [data-act="save"]`)
	b.sees("what ben has saved", frame("saved", "ben")+`.innerText.includes('heron')`)
	b.sees("that ada has not", frame("saved", "ada")+`.innerText.includes('No sightings here for ada')`)
	b.auditFindsNothing()
}
