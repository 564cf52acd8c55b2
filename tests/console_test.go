package tests

import (
	"context"
	"fmt"
	"io/fs"
	"net/http"
	"net/netip"
	"os"
	"os/exec"
	"regexp"
	"strings"
	"sync"
	"testing"
	"time"

	"github.com/chromedp/chromedp"

	"yalvo/console"
	"yalvo/demo"
	"yalvo/internal/machine/service"
	"yalvo/tests/harness"
	"yalvo/tests/scratch"
)

// browser is a page of the console in headless Chromium.
type browser struct {
	world
	ctx context.Context
}

func browse(t *testing.T, design string) browser {
	t.Helper()
	t.Parallel() // a page mostly waits
	if _, err := fs.Stat(console.Files(), "index.html"); err != nil {
		t.Fatalf("the console is not built: run `make build` (%v)", err)
	}
	database := scratch.Prepared(t)
	s, err := service.Start(t.Context(), service.Options{Listen: "127.0.0.1:0", Database: database, Console: console.Files(), Log: scratch.Log(),
		SendWithin: []netip.Prefix{netip.MustParsePrefix("127.0.0.0/8")}})
	if err != nil {
		t.Fatal(err)
	}
	harness.SignIn(t, s)
	w := world{harness.Connect(t, s.Address, database, design), t}
	page, closePage := chromedp.NewContext(chromium(t), chromedp.WithNewBrowserContext())
	limited, stopWaiting := context.WithTimeout(page, 90*time.Second) // on a machine that has much else to do
	t.Cleanup(func() {
		stopWaiting()
		closePage()
		if err := s.Stop(); err != nil {
			t.Error(err)
		}
	})
	b := browser{w, limited}
	b.signIn()
	return b
}

// chrome is the Chromium that all tests share, each with cookies and storage of its own.
var chrome struct {
	once sync.Once
	ctx  context.Context
	stop func()
	err  error
}

func chromium(t *testing.T) context.Context {
	t.Helper()
	chrome.once.Do(func() {
		options := append(chromedp.DefaultExecAllocatorOptions[:], chromedp.NoSandbox, chromedp.DisableGPU,
			chromedp.Flag("disable-background-networking", true), chromedp.Flag("disable-component-update", true),
			chromedp.WindowSize(1280, 800))
		if shell, err := exec.LookPath("chromium-headless-shell"); err == nil { // half the work of one with windows
			options = append(options, chromedp.ExecPath(shell))
		}
		allocator, free := chromedp.NewExecAllocator(context.Background(), options...)
		ctx, end := chromedp.NewContext(allocator)
		chrome.ctx, chrome.stop = ctx, func() { end(); free() }
		_, chrome.err = chromedp.Run(ctx, chromedp.Evaluate[int]("1"))
	})
	if chrome.err != nil {
		t.Fatal(chrome.err)
	}
	return chrome.ctx
}

// signIn opens a link that signs in.
func (b browser) signIn() {
	b.t.Helper()
	link, _, err := b.Link(b.t.Context())
	if err != nil {
		b.t.Fatal(err)
	}
	b.do(chromedp.Navigate(link))
	b.sees("that it is signed in", `document.querySelector('[data-act="sign-out"]') !== null`)
}

func (b browser) do(steps ...chromedp.Action[chromedp.Void]) {
	b.t.Helper()
	for i, step := range steps {
		if err := chromedp.Do(b.ctx, step); err != nil {
			b.t.Fatalf("step %d: %v", i+1, err)
		}
	}
}

// sees waits until an expression holds on the page. A page that is replaced
// while it is being asked is asked again.
func (b browser) sees(what, expression string) {
	b.t.Helper()
	question := chromedp.Poll[bool]("(() => { try { return " + expression + " } catch { return false } })()")
	_, err := chromedp.Run(b.ctx, question)
	for tries := 1; err != nil && tries < 5 && strings.Contains(err.Error(), "context with specified id"); tries++ {
		_, err = chromedp.Run(b.ctx, question)
	}
	if err != nil {
		text, textErr := chromedp.Run(b.ctx, chromedp.Evaluate[string]("document.body.innerText"))
		b.t.Fatalf("%s: %v\nthe page says (%v):\n%s", what, err, textErr, text)
	}
}

// press clicks a button as soon as it is there and enabled.
func (b browser) press(selector string) {
	b.t.Helper()
	b.sees("a button "+selector, "(b => !b.disabled && (b.click(), true))(document.querySelector('"+selector+"'))")
}

// texts is the JavaScript for the texts of all entries in a column.
func texts(side string) string {
	return `[...document.querySelectorAll('[data-side="` + side + `"] article .body')].map(e => e.innerText).join('|')`
}

func in(side, act string) string { return `[data-side="` + side + `"] [data-act="` + act + `"]` }

func TestTwoPeopleSideBySide(t *testing.T) {
	b := browse(t, ponds)
	b.person("ada")
	b.person("ben")
	b.post("ada", "p1", "an early heron")
	b.Settle()
	b.do(chromedp.Navigate(b.URL + "/together?left=ada&right=ben"))
	b.sees("ada's own post", texts("left")+` === 'an early heron'`)
	b.sees("ben's empty timeline", `document.querySelector('[data-side="right"] .empty') !== null`)

	b.press(in("right", "follow"))
	b.sees("the earlier post after the follow", texts("right")+` === 'an early heron'`)
	b.sees("the counts", `document.querySelector('[data-side="left"] .counts').innerText.includes('followers n 1')`)
	b.sees("the mark", `document.querySelector('.brand img').naturalWidth > 0`)

	b.do(chromedp.SendKeys(chromedp.CSS(`[data-side="left"] form.post textarea`), "a late bittern"))
	b.press(in("left", "post"))
	b.sees("the new post in the other's timeline", texts("right")+` === 'a late bittern|an early heron'`)
	b.sees("the new post in their own", texts("left")+` === 'a late bittern|an early heron'`)
	b.sees("how long it took", `document.querySelector('[role=status]').innerText.includes('every duplicate settled')`)

	b.press(in("left", "edit"))
	b.do(chromedp.SendKeys(chromedp.CSS(`[data-side="left"] article textarea`), ", seen twice"))
	b.press(in("left", "save"))
	b.sees("the edit in the other's timeline", texts("right")+` === 'a late bittern, seen twice|an early heron'`)

	b.press(in("left", "remove"))
	b.sees("the removal in the other's timeline", texts("right")+` === 'an early heron'`)

	b.press(in("right", "follow"))
	b.sees("nothing after the unfollow", texts("right")+` === ''`)
	b.noDrift()
}

func TestDocumentsAreBrowsedAndEdited(t *testing.T) {
	b := browse(t, ponds)
	b.person("ada")
	b.post("ada", "p1", "a heron")
	b.Settle()
	b.do(chromedp.Navigate(b.URL + "/documents/posts"))
	b.press("td.id a")
	b.sees("facts and kept values apart", `[...document.querySelectorAll('td .kept')].map(e => e.innerText.replace(/\s+/g, ' ').trim()).join('|') === 'name ADA|0|0'`)

	b.do(chromedp.Navigate(b.URL + "/documents/people/ada"))
	edit := func(name, value string) {
		t.Helper()
		field := chromedp.CSS(`.el-dialog input[aria-label="` + name + `"]`)
		b.press(".head .el-button--primary")
		b.sees("the old value selected", "document.querySelector('"+string(field)+"').select() === undefined")
		b.do(chromedp.SendKeys(field, value))
		b.press(`.el-dialog button[type="submit"]`)
	}
	edit("name", "This name is much too long for the forty characters it may have")
	b.sees("the service's objection at the field", `document.querySelector('.el-form-item__error')?.innerText.includes('40')`)
	b.do(chromedp.Navigate(b.URL + "/documents/people/ada"))
	edit("name", "Ada Fen")
	b.sees("the new name", `document.querySelector('h1').innerText === 'Ada Fen'`)
	same(t, "the copy", b.get("posts/p1").Kept["byline"], map[string]any{"name": "Ada Fen"})
}

func TestTheFirstPageSaysWhetherEverythingIsSettled(t *testing.T) {
	b := browse(t, ponds)
	b.person("ada")
	b.Settle()
	b.do(chromedp.Navigate(b.URL + "/"))
	b.sees("settled", `document.querySelector('h1').innerText === 'Everything is settled'`)
	b.sees("the change", `document.body.innerText.includes('people/ada')`)
	b.SQL("INSERT INTO parked (seq, lane, step, subject, key, doc, rank, amount, cursor, until, change, chunks, rows, since, attempts, error) VALUES (1, 3, 3, 0, 0, 0, 0, 0, 0, 0, 0, 0, 0, now(), 8, 'broken')")
	b.sees("parked", `document.querySelector('h1').innerText === '1 piece of work is parked'`)

	resp, err := http.Get(b.URL + "/assets/nothing.js")
	if err != nil {
		t.Fatal(err)
	}
	if err := resp.Body.Close(); err != nil || resp.StatusCode != http.StatusNotFound {
		t.Errorf("a missing asset: %d %v", resp.StatusCode, err)
	}
}

// A page's own address is there for who keeps it, and for the programs between.
func TestEveryPageOfTheConsoleHasAnAddress(t *testing.T) {
	b := browse(t, ponds)
	source, err := os.ReadFile("../console/src/router.ts")
	if err != nil {
		t.Fatal(err)
	}
	pages := regexp.MustCompile(`path: '([^']+)',\s+name:`).FindAllStringSubmatch(string(source), -1)
	if len(pages) < 5 {
		t.Fatalf("the pages cannot be read: %v", pages)
	}
	for _, page := range pages {
		path := regexp.MustCompile(`:\w+(\(\.\*\)\*|\?)?`).ReplaceAllString(page[1], "1")
		resp, err := http.Get(b.URL + path)
		if err != nil {
			t.Fatal(err)
		}
		if err := resp.Body.Close(); err != nil || resp.StatusCode != http.StatusOK {
			t.Errorf("%s: %d %v", path, resp.StatusCode, err)
		}
	}
}

func TestPagesFitANarrowScreenAndCarryLongNames(t *testing.T) {
	b := browse(t, ponds)
	long := "Adalberta_Extraordinarily_Longname_the_1"
	if _, _, err := b.Create(t.Context(), "people", long, map[string]any{"name": long}); err != nil {
		t.Fatal(err)
	}
	b.person("ben")
	if _, _, err := b.As(long).Create(t.Context(), "posts", "p1", map[string]any{"text": "https://pond.example/" + strings.Repeat("heron", 30)}); err != nil {
		t.Fatal(err)
	}
	b.Settle()
	b.do(chromedp.EmulateViewport(390, 800))
	for path, shows := range map[string]string{
		"/":                                "table",
		"/documents/people":                "td.id",
		"/documents/people/" + long:        "td .kept",
		"/documents/posts/p1":              "td .kept",
		"/together?left=ben&right=" + long: `[data-side="right"] article`,
		"/audit":                           ".begin",
		"/parked":                          "h1",
		"/design/picture":                  ".thing",
		"/changes/1":                       "h1",
	} {
		b.do(chromedp.Navigate(b.URL + path))
		b.sees(path, "document.querySelector('"+shows+"') !== null")
		b.sees(path+" fits", "document.documentElement.scrollWidth <= window.innerWidth")
	}
}

func TestAnEmptyAppSaysSo(t *testing.T) {
	b := browse(t, ponds)
	for path, words := range map[string]string{
		"/":                  "Nothing has been written yet.",
		"/documents/people":  "Nothing is here yet.",
		"/documents/nothing": "The design has nothing at",
		"/together":          "There are not two accounts yet",
		"/elsewhere":         "There is no such page",
	} {
		b.do(chromedp.Navigate(b.URL + path))
		b.sees(path, "document.body.innerText.includes('"+words+"')")
	}
}

// Whatever pairs the design has can be set and unset side by side, by each to the
// other and to an entry; what goes from a timeline says why.
func TestEverythingCanBeDoneSideBySide(t *testing.T) {
	b := browse(t, string(demo.Design))
	for _, id := range []string{"ada", "ben"} {
		if _, _, err := b.Create(t.Context(), "members", id, map[string]any{"handle": id + "_fen", "name": strings.ToUpper(id)}); err != nil {
			t.Fatal(err)
		}
	}
	if _, _, err := b.As("ada").Create(t.Context(), "sightings", "s1", map[string]any{"text": "an early heron"}); err != nil {
		t.Fatal(err)
	}
	b.follow("ben", "ada")
	b.Settle()
	b.do(chromedp.Navigate(b.URL + "/together?left=ada&right=ben"))
	b.sees("the heron", texts("right")+` === 'an early heron'`)
	pressed := func(act string, is bool) {
		t.Helper()
		b.sees(fmt.Sprintf("%s pressed: %v", act, is), `document.querySelector('`+in("right", act)+`').getAttribute('aria-pressed') === '`+fmt.Sprint(is)+`'`)
	}
	shows := func(words string) {
		t.Helper()
		b.sees(words, `document.querySelector('[data-side="left"] article footer').innerText.replace(/\s+/g, ' ').includes('`+words+`')`)
	}
	pressed("follow", true)
	b.press(in("right", "like"))
	pressed("like", true)
	shows("like count 1")
	b.press(in("right", "save"))
	pressed("save", true)
	b.press(in("right", `verdict:1`))
	pressed("verdict:1", true)
	shows("agreement 1")
	b.press(in("right", `verdict:-1`))
	pressed("verdict:-1", true)
	pressed("verdict:1", false)
	shows("agreement -1")
	b.press(in("right", `verdict:-1`))
	pressed("verdict:-1", false)
	b.press(in("right", "like"))
	pressed("like", false)
	shows("like count 0")

	b.press(in("right", "remarks"))
	b.do(chromedp.SendKeys(chromedp.CSS(`[data-side="right"] .nested input`), "well seen"))
	b.press(in("right", "add-remarks"))
	b.sees("the remark", `document.querySelector('[data-side="right"] .nested li').innerText.includes('well seen')`)
	shows("remark count 1")

	b.press(in("left", "block"))
	b.sees("nothing after the block", texts("right")+` === ''`)
	b.press(in("right", "why-not"))
	b.sees("why not", `document.querySelector('[data-side="right"] .gone .why h3').innerText.startsWith('Not in ben')`)
	b.sees("that ada blocks ben", `document.querySelector('`+in("left", "block")+`').getAttribute('aria-pressed') === 'true'`)
	b.press(in("left", "block"))
	b.sees("the heron again after the unblock", texts("right")+` === 'an early heron'`)
	b.sees("nothing that has gone", `document.querySelector('[data-side="right"] .gone') === null`)

	b.sees("another view is chosen", `(s => { s.value = 'saved'; s.dispatchEvent(new Event('change')); return true })(document.querySelector('[data-side="right"] select'))`)
	b.sees("what is saved", `document.querySelector('[data-side="right"] li .head').innerText === 'an early heron'`)
	b.auditFindsNothing()
}

// Every call can be tried, as an account too.
func TestTheConsoleTriesCalls(t *testing.T) {
	b := browse(t, ponds)
	b.person("ada")
	b.do(chromedp.Navigate(b.URL + "/calls?call=getPeople"))
	b.sees("what it does", `document.querySelector('h1').innerText === 'Read one of people'`)
	fill := func(input, value string) {
		t.Helper()
		b.sees("the input "+input, `(i => { i.value = '`+value+`'; i.dispatchEvent(new Event('input', {bubbles: true})); return true })(document.querySelector('[data-input="`+input+`"]'))`)
	}
	fill("id", "ada")
	b.sees("the address", `document.querySelector('[data-part="address"]').innerText === 'GET /v1/collections/people/ada'`)
	b.press(`[data-act="send"]`)
	b.sees("the answer", `document.querySelector('[data-part="answer"]').innerText.includes('"path": "people/ada"')`)
	b.do(chromedp.Navigate(b.URL + "/calls?call=createPosts"))
	b.sees("a body to begin with", `document.querySelector('[data-input="body"]').value.includes('"facts"')`)
	fill("body", "{}")
	b.press(`[data-act="send"]`)
	b.sees("what is wrong", `document.querySelector('[data-part="answer"]').innerText.includes('"pointer": "/facts/author"')`)
	b.do(chromedp.Navigate(b.URL + "/calls"))
	b.sees("all there are", `document.querySelectorAll('nav[aria-label="calls"] a').length > 60`)
}
