package tests

import (
	"os"
	"testing"

	"github.com/chromedp/chromedp"

	"yalvo/client"
	"yalvo/demo"
)

// page is one of the console, with something that it shows last.
type page struct{ path, shows string }

// consolePages are all.
var consolePages = []page{
	{"/design/picture", ".run.feeds"},
	{"/design/picture?at=collections.members.fields.name", ".run.lit"},
	{"/design/drafts", "table"},
	{"/design/drafts/cards", ".found li"},
	{"/design/forecast", "[data-part='figures']"},
	{"/design", "table tbody tr"},
	{"/access", "h1"},
	{"/screens?as=ada", "article"},
	{"/together", "h1"},
	{"/documents/members", "table, .empty"},
	{"/documents/members/ada", "h1"},
	{"/lists/everyone", "h1"},
	{"/calls", "h1"},
	{"/", "h1"},
	{"/audit", "h1"},
	{"/parked", "h1"},
}

// No page has what axe-core calls serious or worse, in either theme.
func TestPagesCanBeReadByAll(t *testing.T) {
	half := len(consolePages) / 2 // each in a browser of its own: all would take one too long on a slow machine
	t.Run("the first", func(t *testing.T) { canBeRead(t, consolePages[:half]) })
	t.Run("the others", func(t *testing.T) { canBeRead(t, consolePages[half:]) })
}

func canBeRead(t *testing.T, pages []page) {
	axe := string(must(os.ReadFile("../console/node_modules/axe-core/axe.min.js"))(t))
	b := browse(t, string(demo.Design))
	for _, id := range []string{"ada", "ben"} {
		b.given("members", id, map[string]any{"handle": id, "name": "Somebody " + id})
	}
	must(b.KeepDraft(t.Context(), client.Draft{Name: "cards", Base: -1, Source: ponds}))(t)
	b.Settle()
	const still = `document.head.insertAdjacentHTML('beforeend', '<style>* {transition: none !important}</style>')`
	ask := axe + `;axe.run(document, {resultTypes: ['violations']}).then(r => r.violations
		.filter(v => v.impact === 'serious' || v.impact === 'critical')
		.map(v => v.id + ': ' + v.nodes.slice(0, 3).map(n => n.html.slice(0, 160)).join(' | ')))`
	turn := func(theme string) {
		is := map[string]string{"light": "false", "dark": "true"}[theme]
		b.do(chromedp.Evaluate[chromedp.Void](`document.documentElement.classList.toggle('dark', ` + is + `)`))
	}
	for _, page := range pages {
		b.do(chromedp.Navigate(b.URL + page.path))
		b.sees(page.path, `document.querySelector("main `+page.shows+`") !== null`)
		b.do(chromedp.Evaluate[chromedp.Void](still))
		for _, theme := range []string{"light", "dark"} {
			turn(theme)
			found, err := chromedp.Run(b.ctx, chromedp.Evaluate[[]string](ask, chromedp.EvalAwaitPromise))
			if err != nil {
				t.Fatal(page.path, theme, err)
			}
			for _, one := range found {
				t.Errorf("%s, %s: %s", page.path, theme, one)
			}
		}
	}
}
