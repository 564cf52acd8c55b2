package tests

import (
	"testing"

	"github.com/chromedp/chromedp"

	"yalvo/demo"
)

// What a design costs is asked for with sliders: ten times as many accounts, twice as many posts.
func TestWhatADesignCostsIsAskedForWithSliders(t *testing.T) {
	b := browse(t, string(demo.Design))
	b.do(chromedp.Navigate(b.URL + "/design/forecast"))
	figure := func(i string) string {
		return `document.querySelectorAll('[data-part="figures"] dd:nth-child(2)')[` + i + `].innerText`
	}
	row := func(part, name string, column string) string {
		return `[...document.querySelectorAll('[data-part="` + part + `"] tr')].find(r => r.cells[0].innerText === '` + name +
			`').cells[` + column + `].innerText`
	}
	move := func(slider, to string) {
		b.do(chromedp.Evaluate[chromedp.Void](`(s => { s.value = '` + to + `'; s.dispatchEvent(new Event('input', {bubbles: true})) })
			(document.querySelector('[data-set="` + slider + `"]'))`))
	}
	b.sees("the accounts of the workload", figure("0")+` === '2,000'`)
	b.sees("how often the screen home is opened", row("screens", "home", "1")+` === '16,000'`)
	b.sees("how often is posted", row("actions", "create sightings", "1")+` === '600'`)
	b.sees("what gives way first", `document.querySelector('[data-part="breaks"] tr td') !== null`)

	move("accounts", "1")
	b.sees("ten times as many accounts", figure("0")+` === '20,000' && `+row("screens", "home", "1")+` === '160,000'`)
	move("posts", "0.3")
	b.sees("and each posts twice as much", row("actions", "create sightings", "1")+` === '11,972'`)
	b.press(`[data-act="reset"]`)
	b.sees("what the design says again", figure("0")+` === '2,000' && `+row("actions", "create sightings", "1")+` === '600'`)
}
