package tests

import (
	"context"
	"encoding/json"
	"flag"
	"fmt"
	"io"
	"math/rand/v2"
	"net/http"
	"strings"
	"sync"
	"sync/atomic"
	"testing"
	"time"

	"yalvo/client"
)

// livePonds has a list of everybody's posts, one by likes, and one of what somebody likes.
func livePonds(t *testing.T) string {
	return guardedPonds(t) + `  lists:
    everyone: {read: true}
    loved:    {read: true}
    likes:    {read: true}
lists:
  everyone: {entries: posts, unless: {paired: block, either_way: true, with: author}}
  loved:    {entries: posts, order: [likes_n, created]}
  likes:    {entries: posts, through: like}
`
}

// lives is what a live read shows, one page after the other.
type lives[T any] struct {
	t     testing.TB
	shown chan T
}

// live begins to follow something, and ends with the test.
func live[T any](w world, follow func(ctx context.Context, show func(T) error) error) *lives[T] {
	w.t.Helper()
	l := &lives[T]{w.t, make(chan T)}
	go func() {
		_ = follow(w.t.Context(), func(page T) error { // it ends with the test
			select {
			case l.shown <- page:
			case <-w.t.Context().Done():
			}
			return nil
		})
	}()
	return l
}

// shows waits until what is shown is as wanted.
func (l *lives[T]) shows(what string, is func(T) bool) {
	l.t.Helper()
	var last T
	for late := time.After(20 * time.Second); ; {
		select {
		case last = <-l.shown:
			if is(last) {
				return
			}
		case <-late:
			l.t.Fatalf("%s: it shows %+v", what, last)
		}
	}
}

// are tells whether a page has documents in some order: their ids, and of those that are
// marked a star.
func are(want ...string) func(client.Documents) bool {
	return func(page client.Documents) bool {
		got := []string{}
		for _, d := range page.Documents {
			id := d.ID
			if d.Marks["liked"] != nil {
				id += "*"
			}
			got = append(got, id)
		}
		return fmt.Sprint(got) == fmt.Sprint(want)
	}
}

// What may not be read takes no places in a live timeline: what stands behind it is looked after too.
func TestALiveTimelineGoesPastWhatMayNotBeRead(t *testing.T) {
	t.Parallel()
	w := start(t, livePonds(t))
	w.pondsPeople()
	for _, id := range []string{"fay", "gus"} {
		w.person(id)
	}
	w.follow("fay", "ada")
	w.follow("fay", "gus")
	w.post("ada", "old", "a heron")
	for i := range 5 {
		w.post("gus", fmt.Sprint("g", i), "again")
	}
	must(w.Set(t.Context(), "block", "fay", "gus"))(t)
	w.Settle()
	home := live(w, func(ctx context.Context, show func(client.Timeline) error) error {
		return w.As("fay").Follow(ctx, "home", "fay", client.Page{Limit: 1}, show)
	})
	says := func(text string) func(client.Timeline) bool {
		return func(page client.Timeline) bool {
			return len(page.Entries) == 1 && page.Entries[0].ID == "old" && page.Entries[0].Facts["text"] == text
		}
	}
	home.shows("what may be read", says("a heron"))
	if _, _, err := w.Patch(t.Context(), "posts/old", map[string]any{"text": "two herons"}); err != nil {
		t.Fatal(err)
	}
	home.shows("an edit of it", says("two herons"))
}

func TestListsAreReadLive(t *testing.T) {
	t.Parallel()
	w := start(t, livePonds(t))
	w.pondsPeople()
	ctx := t.Context()
	list := func(as, name, of string) *lives[client.Documents] {
		return live(w, func(ctx context.Context, show func(client.Documents) error) error {
			return w.As(as).FollowList(ctx, name, of, nil, client.Page{Limit: 3, Marks: []string{"liked"}}, show)
		})
	}
	everyone, loved, likes := list("ada", "everyone", ""), list("ada", "loved", ""), list("ada", "likes", "ada")
	everyone.shows("at first", are("b1", "a1"))
	loved.shows("at first", are("b1", "a1"))
	likes.shows("at first", are())

	must(w.As("ada").Set(ctx, "like", "ada", "a1"))(t)
	everyone.shows("a like", are("b1", "a1*"))
	loved.shows("by likes", are("a1*", "b1"))
	likes.shows("what she likes", are("a1*"))

	w.post("ada", "a2", "another")
	everyone.shows("a new one", are("a2", "b1", "a1*"))
	w.post("ada", "a3", "and one more")
	everyone.shows("one that pushes another off", are("a3", "a2", "b1"))
	w.remove("posts/a3")
	everyone.shows("which comes back", are("a2", "b1", "a1*"))

	must(w.Set(ctx, "block", "ben", "ada"))(t)
	everyone.shows("when ben has blocked ada", are("a2", "a1*"))
	loved.shows("by the rules alone", are("a1*", "a2"))
	must(w.Unset(ctx, "block", "ben", "ada"))(t)
	everyone.shows("when he no longer does", are("a2", "b1", "a1*"))

	must(w.As("ada").Unset(ctx, "like", "ada", "a1"))(t)
	likes.shows("an unlike", are())
	if _, _, err := w.As("ben").Patch(ctx, "posts/b1", map[string]any{"text": "edited"}); err != nil {
		t.Fatal(err)
	}
	everyone.shows("an edit", func(page client.Documents) bool {
		return len(page.Documents) == 3 && page.Documents[1].Facts["text"] == "edited"
	})
}

func TestADocumentIsReadLive(t *testing.T) {
	t.Parallel()
	w := start(t, livePonds(t))
	w.pondsPeople()
	ctx := t.Context()
	ada := live(w, func(ctx context.Context, show func(*client.Document) error) error {
		return w.As("ada").FollowDocument(ctx, "posts/b1", client.Page{Marks: []string{"liked"}}, show)
	})
	has := func(likes, text string, liked bool) func(*client.Document) bool {
		return func(d *client.Document) bool {
			return d != nil && fmt.Sprint(d.Kept["likes_n"]) == likes && d.Facts["text"] == text && (d.Marks["liked"] != nil) == liked
		}
	}
	text := must(w.Get(ctx, "posts/b1"))(t).Facts["text"].(string)
	ada.shows("at first", has("0", text, false))
	must(w.Set(ctx, "like", "ada", "b1"))(t)
	ada.shows("a like", has("1", text, true))
	if _, _, err := w.As("ben").Patch(ctx, "posts/b1", map[string]any{"text": "edited"}); err != nil {
		t.Fatal(err)
	}
	ada.shows("an edit", has("1", "edited", true))
	gone := func(d *client.Document) bool { return d == nil }
	must(w.Set(ctx, "block", "ben", "ada"))(t)
	ada.shows("when it may be read no more", gone)
	must(w.Unset(ctx, "block", "ben", "ada"))(t)
	ada.shows("when it may be read again", has("1", "edited", true))
	w.remove("posts/b1")
	ada.shows("when it has gone", gone)

	err := w.As("ada").FollowDocument(ctx, "posts/nothing", client.Page{}, func(*client.Document) error { return nil })
	refused(t, err, "not-found")
	for _, path := range []string{"/live/collections/posts", "/live/collections/people/ada/posts", "/live/pairs/like/ada/b1", "/live/nothing"} {
		same(t, path, w.raw("GET", path, "", "").Status, 404)
	}
	same(t, "a cursor", w.raw("GET", "/live/lists/everyone?cursor=x", "", "").Status, 400)
	same(t, "a list that is none", w.raw("GET", "/live/lists/nothing", "", "").Code, "unknown-name")
}

// A stream ends when its reader would be turned away.
func TestAStreamEndsWithItsKey(t *testing.T) {
	t.Parallel()
	w := start(t, livePonds(t))
	w.pondsPeople()
	text, key, err := w.MakeKey(t.Context(), "a screen", "read")
	if err != nil {
		t.Fatal(err)
	}
	begun, ended := make(chan bool, 100), make(chan error)
	go func() {
		ended <- w.stranger().With(text).FollowList(t.Context(), "everyone", "", nil, client.Page{}, func(client.Documents) error {
			begun <- true
			return nil
		})
	}()
	<-begun
	if err := w.RevokeKey(t.Context(), key.ID); err != nil {
		t.Fatal(err)
	}
	w.post("ada", "a2", "not for everybody")
	refused(t, <-ended, "not-believed")
}

var cuts = flag.Int64("cuts", 40, "how often streams are cut: `make torture` does it 500 times")

// cutting breaks connections of streams after some bytes.
type cutting struct {
	cuts atomic.Int64
	mu   sync.Mutex
	rand *rand.Rand
}

func (c *cutting) RoundTrip(req *http.Request) (*http.Response, error) {
	resp, err := http.DefaultTransport.RoundTrip(req)
	if err == nil && strings.HasPrefix(req.URL.Path, "/v1/live/") {
		c.mu.Lock()
		resp.Body = &cutBody{resp.Body, 2000 + c.rand.IntN(4000), c}
		c.mu.Unlock()
	}
	return resp, err
}

type cutBody struct {
	io.ReadCloser
	left int
	by   *cutting
}

func (b *cutBody) Read(p []byte) (int, error) {
	if b.left <= 0 {
		b.by.cuts.Add(1)
		return 0, io.ErrUnexpectedEOF
	}
	n, err := b.ReadCloser.Read(p[:min(len(p), b.left)])
	b.left -= n
	return n, err
}

// Streams that are cut again and again while others write: what was missed comes, nothing
// comes twice, and in the end they show what there is.
func TestStreamsThatAreCutMissNothing(t *testing.T) {
	t.Parallel()
	w := start(t, livePonds(t))
	w.pondsPeople()
	seed := uint64(time.Now().UnixNano())
	t.Log("seed", seed)
	r := rand.New(rand.NewPCG(seed, 0))
	cut := &cutting{rand: rand.New(rand.NewPCG(seed, 1))}
	through := w.Using(&http.Client{Transport: cut})
	ctx, stop := context.WithCancel(t.Context())
	defer stop()
	var shown [3]atomic.Value
	var group sync.WaitGroup
	keep := func(i int) func(any) error {
		return func(page any) error {
			text, err := json.Marshal(page)
			shown[i].Store(string(text))
			return err
		}
	}
	page := client.Page{Limit: 5, Marks: []string{"liked"}}
	for i, follow := range []func(show func(any) error) error{
		func(show func(any) error) error {
			return through.As("ada").FollowList(ctx, "everyone", "", nil, page, func(d client.Documents) error { return show(d.Documents) })
		},
		func(show func(any) error) error {
			return through.As("ada").FollowList(ctx, "loved", "", nil, page, func(d client.Documents) error { return show(d.Documents) })
		},
		func(show func(any) error) error {
			return through.As("ada").Follow(ctx, "home", "ada", page, func(d client.Timeline) error { return show(d.Entries) })
		},
	} {
		group.Go(func() {
			if err := follow(keep(i)); ctx.Err() == nil {
				t.Errorf("stream %d: %v", i, err)
				stop()
			}
		})
	}
	for n := 0; cut.cuts.Load() < *cuts && ctx.Err() == nil; n++ {
		id := fmt.Sprint("x", n%40)
		var err error
		switch r.IntN(6) {
		case 0, 1:
			_, _, err = w.As([]string{"ada", "ben"}[r.IntN(2)]).Create(ctx, "posts", id, map[string]any{"text": strings.Repeat(id+" ", 30)})
		case 2:
			_, _, err = w.Remove(ctx, "posts/"+id)
		case 3:
			_, err = w.Set(ctx, "like", "ada", fmt.Sprint("x", r.IntN(40)))
		case 4:
			_, err = w.Unset(ctx, "like", "ada", fmt.Sprint("x", r.IntN(40)))
		default:
			_, _, err = w.Patch(ctx, "posts/"+id, map[string]any{"text": fmt.Sprint("edited ", n)})
		}
		if problem, is := err.(*client.Problem); err != nil && (!is || problem.Status >= 500) && ctx.Err() == nil {
			t.Fatal(err)
		}
	}
	t.Log(cut.cuts.Load(), "cuts")
	w.Settle()
	marshal := func(v any) string { return string(must(json.Marshal(v))(t)) }
	want := [3]string{
		marshal(must(w.As("ada").Named(t.Context(), "everyone", "", nil, page))(t).Documents),
		marshal(must(w.As("ada").Named(t.Context(), "loved", "", nil, page))(t).Documents),
		marshal(must(w.As("ada").Timeline(t.Context(), "home", "ada", page))(t).Entries),
	}
	for i := range want {
		until(t, fmt.Sprintf("that stream %d shows %s", i, want[i]), func() bool { return shown[i].Load() == want[i] })
	}
	stop()
	group.Wait()
}
