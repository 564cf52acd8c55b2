package tests

import (
	"context"
	"errors"
	"fmt"
	"slices"
	"strings"
	"testing"

	"yalvo/client"
	"yalvo/internal/machine/service"
	"yalvo/tests/harness"
)

// must fails the test on an error.
func must[T any](v T, err error) func(t testing.TB) T {
	return func(t testing.TB) T {
		t.Helper()
		if err != nil {
			t.Fatal(err)
		}
		return v
	}
}

type world struct {
	*harness.App
	t testing.TB
}

func start(t testing.TB, design string, change ...func(*service.Options)) world {
	return world{harness.Start(t, design, change...), t}
}

func (w world) person(id string) {
	w.t.Helper()
	if _, _, err := w.Create(w.t.Context(), "people", id, map[string]any{"name": strings.ToUpper(id)}); err != nil {
		w.t.Fatal(err)
	}
}

func (w world) post(author, id, text string) client.Position {
	w.t.Helper()
	_, position, err := w.As(author).Create(w.t.Context(), "posts", id, map[string]any{"text": text})
	if err != nil {
		w.t.Fatal(err)
	}
	return position
}

func (w world) follow(from, to string) client.Position {
	w.t.Helper()
	return must(w.Set(w.t.Context(), "follow", from, to))(w.t)
}

func (w world) unfollow(from, to string) client.Position {
	w.t.Helper()
	return must(w.Unset(w.t.Context(), "follow", from, to))(w.t)
}

// benFollowsAda is the ponds app with two people, and nothing due.
func benFollowsAda(t testing.TB) world {
	t.Helper()
	w := start(t, ponds)
	w.person("ada")
	w.person("ben")
	w.follow("ben", "ada")
	w.Settle()
	return w
}

// home reads a whole timeline after positions have settled: the entries' ids.
func (w world) home(owner string, after ...client.Position) []string {
	w.t.Helper()
	c := w.AfterAll()
	if len(after) > 0 {
		c = w.After(after...)
	}
	ids := []string{}
	for cursor := ""; ; {
		page := must(c.Timeline(w.t.Context(), "home", owner, client.Page{Limit: 200, Cursor: cursor}))(w.t)
		for _, e := range page.Entries {
			ids = append(ids, e.ID)
		}
		if cursor = page.Next; cursor == "" {
			return ids
		}
	}
}

func (w world) get(path string) client.Document {
	w.t.Helper()
	return must(w.AfterAll().Get(w.t.Context(), path))(w.t)
}

func same(t testing.TB, what string, got, want any) {
	t.Helper()
	if fmt.Sprint(got) != fmt.Sprint(want) {
		t.Errorf("%s: got %v, want %v", what, got, want)
	}
}

func TestAPostTurnsUpInItsFollowersTimelines(t *testing.T) {
	t.Parallel()
	w := start(t, ponds)
	for _, id := range []string{"ada", "ben", "cora"} {
		w.person(id)
	}
	w.follow("ben", "ada")
	first := w.post("ada", "p1", "a heron")

	same(t, "follower", w.home("ben", first), []string{"p1"})
	same(t, "author", w.home("ada", first), []string{"p1"})
	same(t, "stranger", w.home("cora", first), []string{})

	entry := must(w.Timeline(t.Context(), "home", "ben", client.Page{}))(t).Entries[0]
	same(t, "carried facts", entry.Facts, map[string]any{"text": "a heron"})
	same(t, "carried kept values", entry.Kept, map[string]any{"byline": map[string]any{"name": "ADA"}, "likes_n": 0})

	t.Run("an edit reaches the copies", func(t *testing.T) {
		_, position, err := w.Patch(t.Context(), "people/ada", map[string]any{"name": "Ada Fen"})
		if err != nil {
			t.Fatal(err)
		}
		entry := must(w.After(position).Timeline(t.Context(), "home", "ben", client.Page{}))(t).Entries[0]
		same(t, "byline", entry.Kept["byline"], map[string]any{"name": "Ada Fen"})
	})
	t.Run("following brings the earlier posts in, newest first", func(t *testing.T) {
		w.post("ada", "p2", "another heron")
		w.post("ben", "p3", "a coot")
		w.follow("cora", "ben")
		position := w.follow("cora", "ada")
		w.Settle()
		same(t, "cora", w.home("cora", position), []string{"p3", "p2", "p1"})
	})
	t.Run("unfollowing takes them away, and only them", func(t *testing.T) {
		same(t, "cora", w.home("cora", w.unfollow("cora", "ada")), []string{"p3"})
	})
	t.Run("a removed post leaves every timeline", func(t *testing.T) {
		_, position, err := w.Remove(t.Context(), "posts/p1")
		if err != nil {
			t.Fatal(err)
		}
		same(t, "ben", w.home("ben", position), []string{"p3", "p2"})
		same(t, "stored entries", w.Number("SELECT count(*) FROM entries e JOIN documents d ON d.n = e.doc"), w.Number("SELECT count(*) FROM entries"))
	})
	t.Run("counts follow", func(t *testing.T) {
		same(t, "ada", w.get("people/ada").Kept, map[string]any{"followers_n": 1, "following_n": 0, "posts_n": 1})
		same(t, "cora", w.get("people/cora").Kept, map[string]any{"followers_n": 0, "following_n": 1, "posts_n": 0})
	})
	w.noDrift()
}

func TestAPostGivenToAnotherAuthorMovesToTheirFollowers(t *testing.T) {
	t.Parallel()
	w := start(t, ponds)
	for _, id := range []string{"ada", "ben", "onlyada", "onlyben", "both"} {
		w.person(id)
	}
	for _, f := range [][2]string{{"onlyada", "ada"}, {"onlyben", "ben"}, {"both", "ada"}, {"both", "ben"}} {
		w.follow(f[0], f[1])
	}
	w.post("ada", "p1", "whose?")
	w.Settle()
	_, position, err := w.Patch(t.Context(), "posts/p1", map[string]any{"author": "ben"})
	if err != nil {
		t.Fatal(err)
	}
	for owner, want := range map[string][]string{"ada": {}, "ben": {"p1"}, "onlyada": {}, "onlyben": {"p1"}, "both": {"p1"}} {
		same(t, owner, w.home(owner, position), want)
	}
	same(t, "byline", w.get("posts/p1").Kept["byline"], map[string]any{"name": "BEN"})
	w.noDrift()
}

func TestRemovingAPersonTakesEverythingAlong(t *testing.T) {
	t.Parallel()
	w := start(t, ponds)
	for _, id := range []string{"ada", "ben", "cora"} {
		w.person(id)
	}
	w.follow("ben", "ada")
	w.follow("ada", "cora")
	w.follow("cora", "ada")
	w.post("ada", "p1", "mine")
	w.post("cora", "p2", "an answer")
	if _, _, err := w.Patch(t.Context(), "posts/p2", map[string]any{"about": "p1"}); err != nil {
		t.Fatal(err)
	}
	for i, who := range []string{"ada", "ben", "cora"} {
		if _, _, err := w.As(who).Create(t.Context(), "posts/p2/notes", fmt.Sprintf("n%d", i), map[string]any{"text": "hm"}); err != nil {
			t.Fatal(err)
		}
		if _, _, err := w.As(who).Create(t.Context(), "posts/p1/notes", fmt.Sprintf("n%d", i), map[string]any{"text": "hm"}); err != nil {
			t.Fatal(err)
		}
		must(w.Set(t.Context(), "like", who, "p2"))(t)
	}
	_, position, err := w.Remove(t.Context(), "people/ada")
	if err != nil {
		t.Fatal(err)
	}
	same(t, "ben's timeline", w.home("ben", position), []string{})
	same(t, "cora", w.get("people/cora").Kept, map[string]any{"followers_n": 0, "following_n": 0, "posts_n": 1})
	p2 := w.get("posts/p2")
	same(t, "the answer's counts", []any{p2.Kept["likes_n"], p2.Kept["notes_n"]}, []any{2, 2})
	if _, points := p2.Facts["about"]; points {
		t.Error("the answer still points at the removed post")
	}
	for what, sql := range map[string]string{
		"documents left": "SELECT count(*) FROM documents WHERE key = 'ada' OR key LIKE 'p1%'",
		"pairs left":     "SELECT count(*) FROM pairs p WHERE NOT EXISTS (SELECT 1 FROM documents WHERE n = p.a) OR NOT EXISTS (SELECT 1 FROM documents WHERE n = p.b)",
		"kept left":      "SELECT count(*) FROM kept k WHERE NOT EXISTS (SELECT 1 FROM documents WHERE n = k.doc)",
		"entries left":   "SELECT count(*) FROM entries e WHERE NOT EXISTS (SELECT 1 FROM documents WHERE n = e.doc) OR NOT EXISTS (SELECT 1 FROM documents WHERE n = e.owner)",
	} {
		same(t, what, w.Number(sql), 0)
	}
	changes := must(w.Changes(t.Context(), 50))(t)
	caused := slices.IndexFunc(changes, func(c client.Change) bool { return c.Subject == "posts/p1" && c.Kind == "removed" })
	if caused < 0 || fmt.Sprint(changes[caused].Cause) != string(position) {
		t.Errorf("the journal does not say that posts/p1 went because of %s: %+v", position, changes)
	}
	w.noDrift()
}

func TestAReferenceThatRefusesSaysWhoHoldsOn(t *testing.T) {
	t.Parallel()
	w := start(t, ponds)
	create := func(collection, id string, fields map[string]any) {
		t.Helper()
		if _, _, err := w.Create(t.Context(), collection, id, fields); err != nil {
			t.Fatal(err)
		}
	}
	create("pools", "north", map[string]any{"name": "North"})
	create("pools", "south", map[string]any{"name": "South"})
	create("pins", "x", map[string]any{"post": "north", "link": "south"})

	_, _, err := w.Remove(t.Context(), "pools/north")
	refused(t, err, "still-referenced", "pins/x (post)")

	_, position, err := w.Remove(t.Context(), "pools/south") // left dangling
	if err != nil {
		t.Fatal(err)
	}
	pin := must(w.After(position).Get(t.Context(), "pins/x"))(t)
	same(t, "the reference", pin.Facts["link"], "south")
	if pin.Kept["pool"] != nil {
		t.Errorf("the copy through a dangling reference is %v, not null", pin.Kept["pool"])
	}
}

// refused checks a problem's code and that its text says certain things.
func refused(t testing.TB, err error, code string, says ...string) {
	t.Helper()
	var p *client.Problem
	if !errors.As(err, &p) {
		t.Fatalf("got %v, want a problem %q", err, code)
	}
	if p.Code != code {
		t.Errorf("code %q, want %q: %v", p.Code, code, p)
	}
	for _, s := range says {
		if !strings.Contains(p.Error(), s) {
			t.Errorf("%q does not say %q", p.Error(), s)
		}
	}
}

func TestBothSidesOfAPairComeNewestFirstInPages(t *testing.T) {
	t.Parallel()
	w := start(t, ponds)
	w.person("ada")
	var want []string
	for i := range 7 {
		id := fmt.Sprintf("fan%d", i)
		w.person(id)
		w.follow(id, "ada")
		w.follow("ada", id)
		want = append([]string{id}, want...)
	}
	for _, side := range []string{"followers", "following"} {
		var got []string
		for cursor := ""; ; {
			page := must(w.List(t.Context(), "people/ada/"+side, client.Page{Limit: 3, Cursor: cursor}))(t)
			for _, d := range page.Documents {
				got = append(got, d.ID)
			}
			if cursor = page.Next; cursor == "" {
				break
			}
		}
		same(t, side, got, want)
	}
}

func TestPagesOfAGrowingTimelineGiveNothingTwiceAndSkipNothing(t *testing.T) {
	t.Parallel()
	w := start(t, ponds)
	w.person("ada")
	var want []string
	for i := range 40 {
		id := fmt.Sprintf("p%02d", i)
		w.post("ada", id, "a")
		want = append([]string{id}, want...)
	}
	w.Settle()
	var got []string
	for cursor, n := "", 0; ; n++ {
		page := must(w.Timeline(t.Context(), "home", "ada", client.Page{Limit: 7, Cursor: cursor}))(t)
		for _, e := range page.Entries {
			got = append(got, e.ID)
		}
		w.post("ada", fmt.Sprintf("new%d", n), "grown meanwhile")
		if cursor = page.Next; cursor == "" {
			break
		}
	}
	same(t, "entries over all pages", got, want)
}

func TestALiveTimelineIsSentAgainWhenItChanges(t *testing.T) {
	t.Parallel()
	w := benFollowsAda(t)
	ctx, stop := context.WithCancel(t.Context())
	defer stop()
	var seen []int
	err := w.Client.Follow(ctx, "home", "ben", client.Page{Limit: 10}, func(page client.Timeline) error {
		seen = append(seen, len(page.Entries))
		if len(page.Entries) < 2 {
			w.post("ada", fmt.Sprintf("p%d", len(seen)), "live")
			return nil
		}
		stop()
		return nil
	})
	if !errors.Is(err, context.Canceled) {
		t.Fatal(err)
	}
	same(t, "entries seen", seen, []int{0, 1, 2})
}

const feuds = `
yalvo: 1
app: feuds
accounts: people
collections:
  people: {fields: {name: {type: string}}, kept: {followers_n: {count: follow.to}, following_n: {count: follow.from}}}
  posts:
    fields: {text: {type: string}, author: {type: reference, to: people, default: me, when_gone: clear}}
    kept: {byline: {copy: author, fields: [name]}, signed: {copy: author, fields: [name], frozen: true}}
pairs:
  follow: {from: people, to: people, from_calls: following, to_calls: followers}
  block:  {from: people, to: people, from_calls: blocking, to_calls: blockers, dissolves: [follow]}
timelines: {home: {owner: people, entries: posts, by: author, through: follow}}
`

func TestABlockDissolvesTheFollowsBothWays(t *testing.T) {
	t.Parallel()
	w := start(t, feuds)
	for _, id := range []string{"ada", "ben", "cora"} {
		w.person(id)
	}
	w.follow("ada", "ben")
	w.follow("ben", "ada")
	w.follow("cora", "ben")
	w.post("ada", "p1", "hm")
	w.post("ben", "p2", "hm")
	w.Settle()
	position := must(w.Set(t.Context(), "block", "ada", "ben"))(t)
	same(t, "ada", w.home("ada", position), []string{})
	same(t, "ben", w.home("ben", position), []string{})
	same(t, "cora, who has no part in it", w.home("cora", position), []string{"p2"})
	same(t, "ben's counts", w.get("people/ben").Kept, map[string]any{"followers_n": 1, "following_n": 0})
	same(t, "ada's counts", w.get("people/ada").Kept, map[string]any{"followers_n": 0, "following_n": 0})
	for _, c := range must(w.Changes(t.Context(), 2))(t) {
		same(t, "the cause of "+c.Detail, c.Cause, position)
	}
	w.until("the block set again is the same block", func() bool {
		must(w.Set(t.Context(), "block", "ada", "ben"))(t)
		return w.Number("SELECT count(*) FROM journal WHERE subject = 'block'") == 1
	})
	must(w.Unset(t.Context(), "block", "ada", "ben"))(t)
	same(t, "after the unblock ada", w.home("ada"), []string{}) // a dissolved follow is gone for good
}

func TestAFrozenCopyStaysAsItWasFirstWritten(t *testing.T) {
	t.Parallel()
	w := start(t, feuds)
	w.person("ada")
	w.person("ben")
	if _, _, err := w.Create(t.Context(), "posts", "p1", map[string]any{"text": "nobody's yet"}); err != nil {
		t.Fatal(err)
	}
	copies := func(when string, byline, signed any) {
		t.Helper()
		same(t, when, w.get("posts/p1").Kept, map[string]any{"byline": byline, "signed": signed})
	}
	edit := func(path string, fields map[string]any) {
		t.Helper()
		if _, _, err := w.Patch(t.Context(), path, fields); err != nil {
			t.Fatal(err)
		}
	}
	name := func(s string) any { return map[string]any{"name": s} }
	copies("without an author", nil, nil)
	edit("posts/p1", map[string]any{"author": "ada"})
	copies("by ada", name("ADA"), name("ADA"))
	edit("people/ada", map[string]any{"name": "Eda"})
	copies("renamed", name("Eda"), name("ADA"))
	edit("posts/p1", map[string]any{"author": "ben"})
	copies("given to ben", name("BEN"), name("ADA"))
	if _, _, err := w.Remove(t.Context(), "people/ben"); err != nil {
		t.Fatal(err)
	}
	copies("ben gone", nil, name("ADA"))
}
