package tests

import (
	"context"
	"encoding/json"
	"strings"
	"sync/atomic"
	"testing"
	"time"

	"yalvo/internal/engine/documents"
	"yalvo/internal/engine/judging"
	watching "yalvo/internal/engine/live"
	"yalvo/internal/engine/memory"
	"yalvo/internal/engine/running"
	"yalvo/internal/engine/store"
	"yalvo/internal/engine/store/readsql"
	"yalvo/internal/engine/timelines"
	"yalvo/tests/scratch"
)

// Of all live pages those are read again that have changed, and no others:
// whatever it was that changed them, and whichever service has done it.
func TestALivePageIsReadAgainWhenItHasChanged(t *testing.T) {
	t.Parallel()
	for _, deliver := range []string{"push", "pull", "mixed, above: 1"} {
		t.Run(deliver, func(t *testing.T) {
			w := start(t, strings.Replace(ponds, "own: true", "own: true, deliver: "+deliver, 1))
			for _, id := range []string{"ada", "ben", "eve"} {
				w.person(id)
			}
			w.follow("ben", "ada")
			w.post("ada", "p1", "first")
			w.post("eve", "e1", "hers")
			w.Settle()
			r := reader(t, w)
			ben, eve := r.watch("ben"), r.watch("eve")
			for _, step := range []struct {
				what string
				do   func()
			}{
				{"a post of ada's", func() { w.post("ada", "p2", "second") }},
				{"a like", func() { w.set("like", "eve", "p1") }},
				{"a like taken back", func() { w.unset("like", "eve", "p1") }},
				{"another name", func() { w.rename("ada", "Ada Fen") }},
				{"a post taken away", func() { w.remove("posts/p1") }},
				{"an unfollow", func() { w.unfollow("ben", "ada") }},
			} {
				t.Log(step.what)
				step.do()
				ben.changes()
				w.Settle()
			}
			same(t, "how often eve's page was read again", eve.often.Load(), 0)
			w.post("eve", "e2", "again hers")
			eve.changes()
		})
	}
}

// readers looks at pages beside the service under test, as another one would.
type readers struct {
	*watching.Watchers
	t *testing.T
}

func reader(t *testing.T, w world) readers {
	t.Helper()
	s := must(store.Open(t.Context(), w.Database, 4))(t)
	app := must(running.New(t.Context(), "beside", s, scratch.Log()))(t)
	t.Cleanup(func() {
		if err := s.Close(); err != nil {
			t.Error(err)
		}
	})
	known := must(memory.New(memory.Bytes, func(ctx context.Context, since readsql.Since) (readsql.Rewritten, error) {
		return readsql.RewrittenSince(ctx, s, since)
	}))(t)
	docs := &documents.Reader{Judges: must(judging.New(app))(t)}
	return readers{watching.New(must(timelines.New(docs, known))(t)), t}
}

// watched is a live page that counts how often it was read again.
type watched struct {
	t     *testing.T
	often atomic.Int64
	pages chan string
}

func (r readers) watch(owner string) *watched {
	r.t.Helper()
	page := documents.Page{After: documents.FromTheTop, Limit: 30}
	read := func() string {
		got := must(r.Timeline(r.t.Context(), running.Viewer{},
			timelines.Request{Name: "home", Owner: owner}, page))(r.t)
		return string(must(json.Marshal(got.Entries))(r.t))
	}
	before := read()
	watch := must(r.WatchTimeline(r.t.Context(), running.Viewer{}, "home", owner, page, false))(r.t)
	(<-watch.Changed())() // nothing has: that was its first look
	w := &watched{t: r.t, pages: make(chan string, 100)}
	go func() {
		for {
			select {
			case <-r.t.Context().Done():
				return
			case done := <-watch.Changed():
				w.often.Add(1)
				if r.t.Context().Err() != nil {
					return // the test has ended
				}
				if now := read(); now != before {
					w.pages <- now
					before = now
				}
				done()
			}
		}
	}()
	return w
}

// changes waits for the page to change.
func (w *watched) changes() {
	w.t.Helper()
	select {
	case <-w.pages:
	case <-time.After(time.Minute):
		w.t.Fatal("the page does not change")
	}
}

func (w world) rename(id, name string) {
	w.t.Helper()
	if _, _, err := w.Patch(w.t.Context(), "people/"+id, map[string]any{"name": name}); err != nil {
		w.t.Fatal(err)
	}
}

func (w world) remove(path string) {
	w.t.Helper()
	if _, _, err := w.Remove(w.t.Context(), path); err != nil {
		w.t.Fatal(err)
	}
}
