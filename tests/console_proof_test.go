package tests

import (
	"strings"
	"testing"

	"github.com/chromedp/chromedp"
)

func TestDriftIsFoundAndMendedInTheConsole(t *testing.T) {
	b := browse(t, ponds)
	b.person("ada")
	b.person("ben")
	b.follow("ben", "ada")
	b.post("ada", "p1", "a heron")
	b.Settle()
	b.do(chromedp.Navigate(b.URL + "/audit"))
	b.sees("nothing audited", `document.querySelector('h1').innerText === 'Nothing has been audited yet'`)
	b.press(`[data-act="audit"]`)
	b.sees("no drift", `document.querySelector('h1').innerText.startsWith('No drift')`)

	b.SQL(`UPDATE kept SET "values" = "values" || '{"followers_n": 7}' WHERE doc = (SELECT n FROM documents WHERE key = 'ada')`)
	b.SQL(`DELETE FROM entries WHERE owner = (SELECT n FROM documents WHERE key = 'ben')`)
	b.press(`[data-act="audit"]`)
	b.sees("both", `document.querySelector('h1').innerText === '2 drifted'`)
	b.sees("what is stored and what should be", `document.querySelector('[data-drift="people.followers_n"]').innerText.replace(/\s+/g, ' ').includes('people/ada 7 1')`)
	b.press(`[data-act="mend"]`)
	b.sees("mended", `document.querySelector('h1').innerText === '2 had drifted, all of it is mended'`)
	same(t, "ben's timeline", b.home("ben"), []string{"p1"})
	b.noDrift()
}

func TestTheConsoleSaysWhy(t *testing.T) {
	b := browse(t, ponds)
	b.person("ada")
	b.person("ben")
	b.person("cora")
	b.follow("ben", "ada")
	b.post("ada", "p1", "a heron")
	b.Settle()
	b.do(chromedp.Navigate(b.URL + "/together?left=ben&right=cora"))
	b.press(in("left", "why"))
	b.sees("for one", `document.querySelector('[data-why="ben"] h3').innerText.startsWith('In ben')`)
	b.sees("against the other", `document.querySelector('[data-why="cora"] .against').innerText.includes('never set')`)

	b.do(chromedp.Navigate(b.URL + "/documents/people/ada"))
	b.press(`[data-kept="followers_n"] [data-act="why"]`)
	b.sees("the source of a count", `document.querySelector('.sources').innerText.includes('people/ben')`)
}

func TestTheConsoleShowsWhatAChangeCausedAndWhatIsParked(t *testing.T) {
	b := browse(t, ponds)
	b.person("ada")
	b.person("ben")
	b.follow("ben", "ada")
	position := b.post("ada", "p1", "a heron")
	b.Settle()
	b.do(chromedp.Navigate(b.URL + "/changes/" + string(position)))
	b.sees("settled", `document.querySelector('h1').innerText.startsWith('Everything that followed was settled after')`)
	b.sees("the steps", `document.body.innerText.includes('delivered to the home timelines')`)
	b.do(chromedp.Navigate(b.URL + "/changes/9999"))
	b.sees("no such change", `document.body.innerText.includes('there is no change 9999')`)

	b.do(chromedp.Navigate(b.URL + "/parked"))
	b.sees("nothing parked", `document.querySelector('h1').innerText === 'No work is parked'`)
	b.SQL(`INSERT INTO parked (seq, lane, step, subject, key, doc, rank, amount, cursor, until, change, chunks, rows, since, attempts, error)
		SELECT 1, 3, 5, n, 0, 0, 0, 0, 0, 0, $1::bigint, 0, 0, now(), 8, 'the disk was full' FROM numbers WHERE kind = 'timeline'
		UNION ALL SELECT 2, 3, 5, n, 0, 0, 0, 0, 0, 0, 0, 0, 0, now(), 8, 'the disk was gone' FROM numbers WHERE kind = 'timeline'`, exact(position))
	b.do(chromedp.Navigate(b.URL + "/changes/" + string(position)))
	b.sees("the parked step", `document.querySelector('.stuck').innerText.includes('the disk was full')`)
	b.do(chromedp.Navigate(b.URL + "/parked"))
	b.sees("both are listed", `[...document.querySelectorAll('td.error')].map(e => e.innerText).join() === 'the disk was full,the disk was gone'`)
	b.press(`[data-retry="2"]`)
	b.sees("one is tried again", `[...document.querySelectorAll('td.error')].map(e => e.innerText).join() === 'the disk was full'`)
	b.press(`[data-act="retry"]`)
	b.sees("it is tried again", `document.querySelector('h1').innerText === 'No work is parked'`)
	b.noDrift()
}

func TestTheConsoleForgetsAPersonAndSendsAgain(t *testing.T) {
	got := receive(t, nil)
	b := browse(t, strings.Replace(memoir, "triggers: {", "triggers: {tell: {on: {created: posts}, do: [{send: '"+got.URL+"'}]}, ", 1))
	b.person("ada")
	if _, _, err := b.Create(t.Context(), "posts", "p1", map[string]any{"text": "a thought", "author": "ada"}); err != nil {
		t.Fatal(err)
	}
	b.Settle()
	b.do(chromedp.Navigate(b.URL + "/parked"))
	b.press(`[aria-label="trigger"]`)
	b.press(`.el-select-dropdown__item`)
	b.press(`[data-act="replay"]`)
	b.sees("what was sent again", `document.body.innerText.includes('Sent again: 1')`)
	b.do(chromedp.Navigate(b.URL + "/documents/people/ada"))
	b.press(`[data-act="forget"]`)
	b.press(`.el-message-box__btns .el-button--primary`)
	b.sees("the report", `document.querySelector('h1').innerText === 'people/ada is forgotten: nothing of it is left'`)
	b.sees("what went", `document.body.innerText.replace(/\s+/g, ' ').includes('posts 1')`)
	b.do(chromedp.Navigate(b.URL + "/forgotten/77"))
	b.sees("no such number", `document.body.innerText.includes('77')`)
}

// A design file is compared in the console, put in force, and what does not fit it
// is listed.
func TestADesignIsComparedAndAppliedInTheConsole(t *testing.T) {
	b := browse(t, ponds)
	b.Evolving.Store(true)
	b.person("ada")
	b.person("bartholomew")
	file := designFile(t, changed(t, ponds, "required: true, max: 40", "required: true, max: 5", "      mail: {type: string, unique: true}\n", "",
		"posts_n:     {count: posts.author}", "written:     {count: posts.author, was: posts_n}"))
	b.do(chromedp.Navigate(b.URL + "/design"))
	b.sees("the version in force", `document.querySelector('h1').innerText.startsWith('Version 1 of ponds is in force')`)
	b.do(chromedp.SetUploadFiles(chromedp.CSS("[data-act=compare]"), []string{file}))
	b.sees("what would not fit", `document.querySelector('[data-part=difference]').innerText.includes('people/bartholomew')`)
	b.sees("what would be lost, and no way to lose it unseen", `document.querySelector('[data-act=apply]').disabled && document.querySelector('.lose').innerText.includes('people.mail')`)
	b.press(".lose input")
	b.press("[data-act=apply]")
	b.sees("the new version", `document.querySelector('h1').innerText.startsWith('Version 2 of ponds is in force')`)
	b.sees("what does not fit", `document.querySelector('[data-part=misfits]').innerText.includes('people.name')`)
	b.press(`[data-back="1"]`)
	b.sees("what going back would change", `document.querySelector('[data-part=difference]').innerText.includes('people.written')`)
	b.Evolving.Store(false)
	b.Settle()
	b.auditFindsNothing()
}
