package tests

import (
	"context"
	"encoding/json"
	"fmt"
	"strings"
	"testing"

	"github.com/chromedp/cdproto/cdp"
	"github.com/chromedp/cdproto/network"
	"github.com/chromedp/chromedp"

	"yalvo/client"
	"yalvo/demo"
)

// types puts a text in place of what the editor has, as somebody does who selects all and pastes.
func (b browser) types(text string) {
	b.t.Helper()
	b.sees("an editor", `document.querySelector(".cm-content") !== null`)
	b.do(chromedp.Evaluate[chromedp.Void](`{
		const at = document.querySelector('.cm-content'), pasted = new DataTransfer()
		at.focus()
		document.execCommand('selectAll')
		pasted.setData('text/plain', ` + inJS(text) + `)
		at.dispatchEvent(new ClipboardEvent('paste', {clipboardData: pasted, bubbles: true, cancelable: true}))
	}`))
}

// sets gives an input or a choice a value, as somebody does who types it and goes on.
func (b browser) sets(selector, value string) {
	b.t.Helper()
	b.sees("an input "+selector, `(i => {
		if (i === null || i.disabled) return false
		Object.getOwnPropertyDescriptor(Object.getPrototypeOf(i), 'value').set.call(i, `+inJS(value)+`)
		i.dispatchEvent(new Event('input', {bubbles: true}))
		i.dispatchEvent(new Event('change', {bubbles: true}))
		return true
	})(document.querySelector(`+inJS(selector)+`))`)
}

func (b browser) goes(page string) { b.t.Helper(); b.do(chromedp.Navigate(b.URL + page)) }

func inJS(text string) string {
	quoted, err := json.Marshal(text)
	if err != nil {
		panic(err) // no string is refused
	}
	return string(quoted)
}

// A design is changed as text: mistakes stand at their lines as one types, a finding is cured after its difference was
// looked at, and the draft is compared and put in force.
func TestADraftIsWrittenAndPutInForce(t *testing.T) {
	b := browse(t, ponds)
	b.person("ada")
	b.goes("/design/drafts")
	b.sees("that there are none", `document.querySelector("main .empty") !== null`)
	b.sets(`[data-act="name"]`, "autumn-cards")
	b.press(`[data-act="begin"]`)
	b.sees("the editor", `document.querySelector(".cm-content")?.textContent.includes("people")`)

	b.types(strings.Replace(ponds, "type: string", "type: strin", 1))
	b.sees("the mistake", `document.querySelector(".found .mistake")?.textContent.includes("string")`)
	b.sees("that it cannot be compared", `document.querySelector('[data-act="compare-draft"]').disabled`)
	b.sees("that it is kept all the same", `document.querySelector('[data-part="standing"]').textContent.includes("kept 2")`)

	next := strings.Replace(ponds, "fields:", "fields:\n      town: {type: string}", 1)
	b.types(next)
	b.sees("no mistake", `document.querySelector(".found .mistake") === null && !document.querySelector('[data-act="compare-draft"]').disabled`)
	b.press(`[data-cure="endless-text"]`)
	b.sees("the difference", `document.querySelector(".cure .cm-content")?.textContent.includes("max: 2000")`)
	b.press(`[data-act="take-cure"]`)
	next = strings.Replace(next, "town: {type: string}", "town: {type: string, max: 2000}", 1)
	b.sees("that it is written so", `document.querySelector(".cm-content").textContent.includes("max: 2000") && document.querySelector(".cure") === null`)
	b.press(`[data-act="compare-draft"]`)
	b.sees("what it would change", `[...document.querySelectorAll("table td.mono")].some(td => td.textContent.includes("town"))`)
	b.press(`[data-act="apply"]`)
	b.sees("that it is in force", `document.querySelector("main h2")?.textContent.includes("Version 2 is in force, and all is done")`)
	same(t, "what is in force", string(must(b.Design(t.Context()))(t)), next)
	same(t, "what is kept", must(b.Draft(t.Context(), "autumn-cards"))(t).Source, next)
}

// Of two who edit one draft nobody writes over the other's text without having been asked.
func TestTwoPeopleEditOneDraft(t *testing.T) {
	b := browse(t, ponds)
	must(b.KeepDraft(t.Context(), client.Draft{Name: "both", Source: ponds, Author: "mo"}))(t)
	b.goes("/design/drafts/both")
	b.sees("the text", `document.querySelector(".cm-content")?.textContent.includes("people")`)
	theirs := must(b.KeepDraft(t.Context(), client.Draft{Name: "both", Edition: 1, Source: ponds + "# of mo <b>\n", Author: "mo"}))(t)
	b.types(ponds + "# mine\n")
	b.sees("that mo has been at it", `document.querySelector('[data-part="theirs"]')?.textContent.includes("mo has kept edition 2")`)
	same(t, "what is kept", must(b.Draft(t.Context(), "both"))(t).Edition, theirs.Edition)
	b.press(`[data-act="keep-mine"]`)
	b.sees("that mine is kept", `document.querySelector('[data-part="theirs"]') === null && document.querySelector('[data-part="standing"]').textContent.includes("kept 2")`)
	same(t, "what is kept", must(b.Draft(t.Context(), "both"))(t).Source, ponds+"# mine\n")

	must(b.KeepDraft(t.Context(), client.Draft{Name: "both", Edition: 3, Source: ponds + "# of mo again\n", Author: "mo"}))(t)
	b.types(ponds + "# mine again\n")
	b.press(`[data-act="take-theirs"]`)
	b.sees("theirs", `document.querySelector('[data-part="theirs"]') === null`)
	b.sees("that all is kept", `document.querySelector('[data-part="standing"]').textContent.includes("kept 2")`)
	same(t, "what is kept", must(b.Draft(t.Context(), "both"))(t).Source, ponds+"# of mo again\n")
}

// A design is begun from nothing by forms alone, put in force, and changed.
func TestADesignIsBegunByForms(t *testing.T) {
	b := browse(t, "yalvo: 1\napp: pond\ncollections:\n  notes: {fields: {text: {type: string}}}\n")
	b.Evolving.Store(true) // other designs, other documents of the API
	b.given("notes", "n1", map[string]any{"text": "of the design before"})
	b.goes("/design/drafts")
	b.sets(`[data-act="name"]`, "first")
	b.press(`input[value="nothing"]`)
	b.press(`[data-act="begin"]`)
	b.press("#tab-forms")
	add := func(group, name string, values map[string]string) {
		t.Helper()
		b.press(fmt.Sprintf(`[data-add=%q]`, group))
		b.sets(fmt.Sprintf(`[data-group=%q] [data-act="new-name"]`, group), name)
		for key, value := range values {
			b.sets(fmt.Sprintf(`[data-group=%q] [data-row=%q] :is(input, select)`, group, key), value)
		}
		b.press(`[data-act="add"]`)
	}
	home := func() { t.Helper(); b.press(`[data-go=""]`) }
	add("collections", "people", nil)
	add("fields", "name", map[string]string{"type": "string"})
	home()
	b.press(`[data-act="all"]`)
	b.sets(`[data-row="accounts"] input`, "people")
	add("collections", "posts", nil)
	add("fields", "author", map[string]string{"type": "reference"})
	b.sees("the form", `document.querySelector('[data-row="type"] select')?.value === "reference"`)
	b.press(`[data-act="all"]`)
	b.sets(`[data-row="to"] input`, "people")
	b.sees("no mistakes", `document.querySelector('[data-part="judged"]').textContent.includes("found") || document.querySelector('[data-part="judged"]').textContent.includes("finding")`)
	home()
	b.press(`[data-thing="people"]`)
	b.press(`[data-add="kept"]`)
	b.sets(`[data-group="kept"] [data-act="new-name"]`, "posts_n")
	b.sets(`[data-group="kept"] [data-row="count"] :is(input, select)`, "posts.author")
	b.sees("what it will mean", `document.querySelector('[data-part="preview"]')?.textContent.length > 20`)
	b.press(`[data-act="add"]`)
	b.press(`[data-act="compare-draft"]`)
	b.sees("what would be lost", `document.querySelector(".lose input") !== null`)
	b.press(".lose input")
	b.press(`[data-act="apply"]`)
	b.sees("that it is in force", `document.querySelector("main h2")?.textContent.includes("Version 2 is in force")`)
	b.given("people", "ada", map[string]any{"name": "Ada"})
	b.given("posts", "p1", map[string]any{"author": "ada"})
	b.Settle()
	same(t, "ada's posts", b.get("people/ada").Kept["posts_n"], any(float64(1)))

	b.press("#tab-forms")
	home()
	b.press(`[data-thing="people"]`)
	b.sets(`[data-act="rename-to"]`, "members")
	b.press(`[data-act="rename"]`)
	b.sees("where it is now", `document.querySelector(".trail").textContent.includes("members")`)
	b.press(`[data-act="compare-draft"]`)
	b.sees("the new name", `document.querySelector(".lose") === null && [...document.querySelectorAll("td.mono")].some(td => td.textContent === "members")`)
	b.press(`[data-act="apply"]`)
	b.sees("that it is in force", `document.querySelector("main h2")?.textContent.includes("Version 3 is in force")`)
	b.Settle()
	same(t, "ada's posts under the new name", b.get("members/ada").Kept["posts_n"], any(float64(1)))
	b.auditFindsNothing()
}

// Every edit that a form makes leaves all else of the demo's file as it is, to the letter.
func TestEditsKeepWhatIsNotMeant(t *testing.T) {
	b := browse(t, ponds)
	source := inJS(string(demo.Design))
	b.goes("/design/drafts")
	got, err := chromedp.Run(b.ctx, chromedp.Evaluate[[]string](`(async () => {
		const {put, takeOut, rename, valueAt} = await import('/assets/edits.js')
		const text = `+source+`, wrong = []
		const design = valueAt(text, []).meant
		const comments = t => t.split('\n').filter(l => l.includes('#')).map(l => l.slice(l.indexOf('#'))).join('\n')
		const is = (what, got, want) => { if (got !== want) wrong.push(what) }
		const isMap = v => v !== null && typeof v === 'object' && !Array.isArray(v)
		let places = 0
		const walk = (path, value) => {
			places++
			const at = path.join('.')
			if (isMap(value)) {
				const more = put(text, path, 'zz_new', '{type: string}')
				is('put a key at ' + at + ' and take it out', takeOut(more, path, 'zz_new'), text)
				is('what stands at ' + at + ' then', JSON.stringify(valueAt(more, path).meant), JSON.stringify({...value, zz_new: {type: 'string'}}))
				is('comments beside ' + at, comments(more), comments(text))
			}
			const parent = path.slice(0, -1), key = path[path.length - 1]
			if (path.length) {
				const renamed = rename(text, parent, key, 'zz_called')
				is('rename ' + at + ' and back', rename(renamed, parent, 'zz_called', key), text)
				const without = takeOut(text, parent, key)
				is('what is left without ' + at, valueAt(without, path), undefined)
				const lines = new Set(text.split('\n'))
				is('lines beside ' + at, without.split('\n').filter(l => !lines.has(l)).length <= 1, true)
				const {written} = valueAt(text, path)
				if (!written.includes('\n')) is('put what stands at ' + at, put(text, parent, key, written), text)
			}
			if (isMap(value)) for (const [k, v] of Object.entries(value)) walk([...path, k], v)
		}
		walk([], design)
		if (places < 300) wrong.push('only ' + places + ' places')
		return wrong
	})()`, chromedp.EvalAwaitPromise))
	if err != nil {
		t.Fatal(err)
	}
	for _, one := range got {
		t.Error(one)
	}
}

// offline cuts the page off from the service, or lets it through again.
func (b browser) offline(is bool) {
	b.t.Helper()
	b.do(chromedp.Func(func(ctx context.Context, t *chromedp.Target) error {
		all := network.EmulateNetworkConditionsByRuleParams{MatchedNetworkConditions: []*network.Conditions{{Offline: is,
			DownloadThroughput: -1, UploadThroughput: -1}}}
		_, err := cdp.Call(ctx, t, network.EmulateNetworkConditionsByRule, all)
		return err
	}))
}

// While the service is away the text stays on the page, and it is kept when the service is back. What cannot be kept, or
// is no design, is told.
func TestADraftOutlivesTheServiceAndBadInput(t *testing.T) {
	b := browse(t, ponds)
	must(b.KeepDraft(t.Context(), client.Draft{Name: "away", Base: -1, Source: ponds}))(t)
	b.goes("/design/drafts/away")
	b.sees("the text", `document.querySelector(".cm-content")?.textContent.includes("people")`)
	b.offline(true)
	b.types(ponds + "# while it was away\n")
	b.sees("that it is not kept", `document.querySelector('[data-part="standing"]').textContent.includes("not kept: The service does not answer")`)
	same(t, "what is kept", must(b.Draft(t.Context(), "away"))(t).Edition, 1)
	b.offline(false)
	b.sees("that it is kept", `document.querySelector('[data-part="standing"]').textContent.includes("kept 2")`)
	same(t, "what is kept", must(b.Draft(t.Context(), "away"))(t).Source, ponds+"# while it was away\n")

	b.types("\x89PNG\x1a\x00\x01\x00binary")
	b.sees("that it cannot be kept", `document.querySelector('[data-part="standing"]').textContent.includes("UTF-8")`)
	b.sees("that it is no design", `document.querySelectorAll(".found .mistake").length > 0 || document.querySelector('[data-part="judged"]').textContent.length > 20`)
	b.types("yalvo: 1\napp: \"<img src=x onerror=alert(1)>\"\ncollections: {}\n")
	b.sees("markup as text", `document.querySelector(".found .mistake")?.textContent.includes("<img") && document.querySelector("main img") === null`)
	b.types(strings.Repeat("# "+strings.Repeat("x", 98)+"\n", 2700))
	b.sees("that it is too large", `document.querySelector('[data-part="standing"]').textContent.includes("262144")`)
	b.types(ponds)
	b.sees("that all is well again", `document.querySelector('[data-part="standing"]').textContent.includes("kept 2") && document.querySelector(".found .mistake") === null`)
	same(t, "what is kept", must(b.Draft(t.Context(), "away"))(t).Source, ponds)
}
