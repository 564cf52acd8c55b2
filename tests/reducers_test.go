package tests

import (
	"bufio"
	"bytes"
	"encoding/json"
	"errors"
	"fmt"
	"math/rand/v2"
	"net/http"
	"net/http/httptest"
	"slices"
	"strings"
	"testing"

	"github.com/chromedp/chromedp"

	"yalvo/client"
	watching "yalvo/internal/engine/live"
)

// What the console makes of a live read's events is what the Go client makes of them: of the same random pages, which
// become one another as the service tells it.
func TestTheConsoleFollowsAsTheClientDoes(t *testing.T) {
	b := browse(t, ponds)
	r := rand.New(rand.NewPCG(seeded(t), 27))
	const pages = 300
	stream, want := imagineStream(t, r, pages)

	var byClient []string
	web := httptest.NewServer(http.HandlerFunc(func(w http.ResponseWriter, _ *http.Request) {
		w.Header().Set("Content-Type", "text/event-stream")
		_, _ = w.Write(stream) // who has gone needs it no more
	}))
	defer web.Close()
	enough := errors.New("enough")
	err := client.New(web.URL).Follow(t.Context(), "home", "ada", client.Page{}, func(page client.Timeline) error {
		byClient = append(byClient, shownAs(t, page.Entries))
		if len(byClient) == pages {
			return enough
		}
		return nil
	})
	if !errors.Is(err, enough) {
		t.Fatal(err)
	}

	byConsole := must(chromedp.Run(b.ctx, chromedp.Evaluate[[]string](fmt.Sprintf(`import('/assets/happenings.js').then(({ after, happenings }) => {
		let items = []
		const shown = []
		for (const [name, data] of %s) {
			if (name === 'page') items = data.entries
			else if (name === 'current') shown.push(JSON.stringify(items.map((e) => [e.path, e.facts.n, e.kept.likes])))
			else if (happenings.includes(name)) items = after(items, name, data)
			else throw new Error('nobody knows of ' + name)
		}
		return shown
	})`, eventsIn(t, stream)), chromedp.EvalAwaitPromise)))(t)

	for i := range want {
		if byClient[i] != want[i] || byConsole[i] != want[i] {
			t.Fatalf("page %d:\n the service shows %s\n the client      %s\n the console     %s", i, want[i], byClient[i], byConsole[i])
		}
	}
}

// imagineStream makes pages up, each out of the one before, and tells them as the service does.
func imagineStream(t *testing.T, r *rand.Rand, pages int) (stream []byte, shown []string) {
	t.Helper()
	kinds := map[watching.Kind]int{}
	var was watching.Shown
	var page watching.Page
	for i := range pages {
		page = imaginePage(r, page)
		now := watching.Remember(page)
		if i == 0 {
			var texts []string
			for _, item := range page.Items {
				texts = append(texts, string(item.Text))
			}
			stream = watching.Current(watching.Begun("page", []byte(`{"entries":[`+strings.Join(texts, ",")+`]}`)), now.ID())
		} else {
			events := watching.Since(was, page)
			for _, e := range events {
				kinds[e.Kind]++
			}
			stream = append(stream, watching.Current(must(watching.Told("", events))(t), now.ID())...)
		}
		was = now
		var entries []client.Entry
		for _, item := range page.Items {
			var e client.Entry
			if err := json.Unmarshal(item.Text, &e); err != nil {
				t.Fatal(err)
			}
			entries = append(entries, e)
		}
		shown = append(shown, shownAs(t, entries))
	}
	for _, kind := range []watching.Kind{watching.Removed, watching.Added, watching.Moved, watching.Changed, watching.Counts} {
		if kinds[kind] < 10 {
			t.Fatalf("%d events are %q: this shows little", kinds[kind], kind)
		}
	}
	return stream, shown
}

func imaginePage(r *rand.Rand, from watching.Page) watching.Page {
	entry := func(path string) watching.Item {
		kept := fmt.Sprintf(`{"likes":%d}`, r.IntN(5))
		return watching.Item{Path: path, Kept: json.RawMessage(kept),
			Text: json.RawMessage(fmt.Sprintf(`{"path":%q,"facts":{"n":%d},"kept":%s}`, path, r.IntN(3), kept))}
	}
	to := watching.Page{More: r.IntN(2) == 0}
	for _, item := range from.Items {
		switch r.IntN(7) {
		case 0: // it goes
		case 1:
			to.Items = append(to.Items, entry(item.Path))
		default:
			to.Items = append(to.Items, item)
		}
	}
	if n := len(to.Items); n > 1 && r.IntN(3) == 0 {
		a, b := r.IntN(n), r.IntN(n)
		to.Items[a], to.Items[b] = to.Items[b], to.Items[a]
	}
	for range r.IntN(3) {
		path := fmt.Sprint("posts/p", r.IntN(20))
		if !slices.ContainsFunc(to.Items, func(i watching.Item) bool { return i.Path == path }) {
			to.Items = slices.Insert(to.Items, r.IntN(len(to.Items)+1), entry(path))
		}
	}
	return to
}

// shownAs is what entries show, in short.
func shownAs(t *testing.T, entries []client.Entry) string {
	t.Helper()
	all := [][]any{}
	for _, e := range entries {
		all = append(all, []any{e.Path, e.Facts["n"], e.Kept["likes"]})
	}
	return string(must(json.Marshal(all))(t))
}

// eventsIn are the events of a stream as a list of names and data.
func eventsIn(t *testing.T, stream []byte) string {
	t.Helper()
	var all []any
	name := ""
	for lines := bufio.NewScanner(bytes.NewReader(stream)); lines.Scan(); {
		if event, is := strings.CutPrefix(lines.Text(), "event: "); is {
			name = event
		}
		if data, is := strings.CutPrefix(lines.Text(), "data: "); is {
			all = append(all, []any{name, json.RawMessage(data)})
		}
	}
	return string(must(json.Marshal(all))(t))
}
