package tests

import (
	"errors"
	"fmt"
	"testing"
	"time"

	"yalvo/client"
)

// Several writes are one: all of them or none, each after the other, and answered once
// however often they are sent.
func TestSeveralWritesAreAllOrNone(t *testing.T) {
	t.Parallel()
	w := start(t, ponds)
	w.person("ada")
	w.person("ben")
	ada := w.As("ada")
	batch := []client.Write{
		client.Creating("posts", "p1", map[string]any{"text": "a heron"}),
		client.Creating("posts/p1/notes", "n1", map[string]any{"text": "a grey one"}),
		client.Editing("posts/p1", map[string]any{"rating": 7}),
		client.Setting("like", "ben", "p1", nil),
		client.Setting("follow", "ben", "ada", nil),
		client.Setting("like", "ben", "p1", nil), // once more
		client.Unsetting("follow", "ada", "ben"), // it did not stand
		client.Creating("posts", "p2", map[string]any{"text": "a mistake"}),
		client.Removing("posts/p2"),
	}
	got, position, err := ada.Once("k1").Batch(t.Context(), batch...)
	if err != nil {
		t.Fatal(err)
	}
	var fresh []bool
	for _, one := range got {
		fresh = append(fresh, one.Fresh)
	}
	same(t, "what was written", fresh, []bool{true, true, true, true, true, false, false, true, true})
	same(t, "the edited document", []any{got[2].Document.Facts["rating"], got[2].Document.Version}, []any{7, 2})
	post := must(w.After(position).Get(t.Context(), "posts/p1"))(t)
	same(t, "its counts, at the position of all", []any{post.Kept["likes_n"], post.Kept["notes_n"]}, []any{1, 1})
	same(t, "a timeline", w.home("ben"), []string{"p1"})

	again, _, err := ada.Once("k1").Batch(t.Context(), batch...)
	if err != nil {
		t.Fatal(err)
	}
	same(t, "the same answer", fmt.Sprint(len(again), again[0].Position), fmt.Sprint(len(got), got[0].Position))
	same(t, "nothing was written twice", w.get("posts/p1").Version, 2)

	_, _, err = ada.Batch(t.Context(),
		client.Creating("posts", "p3", map[string]any{"text": "a coot"}),
		client.Creating("posts", "p4", map[string]any{"txt": "?", "rating": 11}),
		client.Editing("posts/p9", map[string]any{"rating": 1}),
		client.Setting("like", "ben", "p3", nil),
		client.Setting("follow", "ben", "ben", nil),
		client.Creating("birds", "", map[string]any{}),
		client.Creating("posts", "p1", map[string]any{"text": "another"}))
	var p *client.Problem
	if !errors.As(err, &p) {
		t.Fatal(err)
	}
	var where []string
	for _, m := range p.Errors {
		where = append(where, m.Pointer+" "+m.Code)
	}
	same(t, "all that cannot be", where, []string{"/writes/1/facts/rating too-large",
		"/writes/1/facts/txt unknown-field",
		"/writes/1/facts/text required", "/writes/2 not-found", "/writes/4/to self", "/writes/5 unknown-name",
		"/writes/6 conflict"})
	refused(t, err, "invalid", "5 of 7 writes cannot be done, so nothing was written")
	_, err = w.Get(t.Context(), "posts/p3")
	refused(t, err, "not-found", "posts/p3")

	many := make([]client.Write, 501)
	for i := range many {
		many[i] = client.Setting("like", "ben", "p1", nil)
	}
	_, _, err = ada.Batch(t.Context(), many...)
	refused(t, err, "invalid", "there are 501 writes, 500 are allowed")
	for _, c := range []struct {
		write client.Write
		says  string
	}{
		{client.Write{}, "/writes/0: a write says one of"},
		{client.Write{"create": "posts", "edit": "posts/p1"}, "a write says one of"},
		{client.Write{"set": "like", "from": "ben", "to": "p1", "id": "x"},
			"/writes/0/id: id means nothing in a write that says set"},
		{client.Write{"create": "posts", "when": 1}, "/writes/0: a write has create, edit"},
		{client.Write{"create": "posts", "facts": 1}, "/writes/0/facts: this must be an object"},
	} {
		_, _, err = ada.Batch(t.Context(), c.write)
		refused(t, err, "invalid", c.says)
	}
	w.Settle()
	w.auditFindsNothing()

	said := func() int64 { return w.Number("SELECT count(*) FROM answered WHERE answer LIKE '%a heron%'") }
	same(t, "answers that are kept", said(), 1)
	f := must(w.AwaitForgotten(t.Context(), must(w.Forget(t.Context(), "posts/p1"))(t).ID))(t)
	same(t, "and when what they hold is forgotten", said(), 0)
	same(t, "what is left, and how many answers went", []any{len(f.Left), f.Answers}, []any{0, 1})
}

// Batches that want the same documents in another order get on with one another.
func TestBatchesThatCrossGetOn(t *testing.T) {
	t.Parallel()
	w := start(t, ponds)
	const people, each = 8, 10
	for i := range people {
		w.person(fmt.Sprint("p", i))
		w.post(fmt.Sprint("p", i), fmt.Sprint("post-", i), "a heron")
	}
	together(people, func(me int) {
		for n := range each {
			var batch []client.Write
			for i := range people {
				at := (me + i) % people
				if me%2 == 1 {
					at = (me + people - i) % people
				}
				batch = append(batch, client.Editing(fmt.Sprint("posts/post-", at), map[string]any{"rating": n,
					"text": fmt.Sprint(me, n)}),
					client.Setting("like", fmt.Sprint("p", me), fmt.Sprint("post-", at), nil))
			}
			if _, _, err := w.Batch(t.Context(), batch...); err != nil {
				t.Error(err)
			}
		}
	})
	w.Settle()
	for i := range people {
		same(t, "likes", w.get(fmt.Sprint("posts/post-", i)).Kept["likes_n"], people)
	}
	w.auditFindsNothing()
}

// Whoever may not write something does not hold it up for those who may: it is refused before it is locked, in a
// batch that begins with what they may write, too.
func TestARefusedBatchLocksNothing(t *testing.T) {
	t.Parallel()
	w := guarded(t)
	w.given("posts", "d1", map[string]any{"text": "by dora", "author": "dora"}) // who may remove it
	tx := must(w.Pool().Begin(t.Context()))(t)
	defer tx.Rollback(t.Context()) // it only held it
	must(tx.Exec(t.Context(), "SELECT FROM yalvo.documents WHERE key IN ('a1', 'b1', 'ben') FOR UPDATE"))(t)
	for what, writes := range map[string][]client.Write{
		"edits": {client.Editing("posts/b1", map[string]any{"text": "mine"}), client.Removing("posts/a1")},
		"after what is allowed": {client.Removing("posts/d1"), client.Editing("posts/b1", map[string]any{"text": "mine"}),
			client.Setting("like", "ben", "a1", nil)},
	} {
		began := time.Now()
		_, _, err := w.As("dora").Batch(t.Context(), writes...)
		refused(t, err, "invalid", "so nothing was written")
		if took := time.Since(began); took > 5*time.Second { // a lock is waited for 10 s
			t.Errorf("%s took %v", what, took)
		}
	}
	if _, err := w.Get(t.Context(), "posts/d1"); err != nil {
		t.Error("what was allowed was done alone:", err)
	}
}

// What a batch is refused for now it may be allowed when the writes before it have been done.
func TestABatchOpensItsOwnWay(t *testing.T) {
	t.Parallel()
	w := guarded(t)
	_, _, err := w.As("ada").Batch(t.Context(), client.Creating("posts", "p7", map[string]any{"text": "x"}),
		client.Editing("posts/p7", map[string]any{"text": "y"}), client.Removing("posts/p7"),
		client.Creating("posts", "p7", map[string]any{"text": "z"}))
	if err != nil {
		t.Error(err)
	}
	same(t, "the text", w.get("posts/p7").Facts["text"], "z")
}
