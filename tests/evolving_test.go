package tests

import (
	"fmt"
	"strings"
	"sync"
	"sync/atomic"
	"testing"

	"yalvo/client"
	"yalvo/internal/harness"
)

// evolves puts a changed design in force and waits until all that it asks for is
// done.
func (w world) evolves(source string, how ...client.Applying) client.Version {
	w.t.Helper()
	got := must(w.Apply(w.t.Context(), "ponds.yaml", []byte(source), how...))(w.t)
	return must(w.AwaitVersion(w.t.Context(), got.Version, nil))(w.t)
}

// changed is the ponds design with some words replaced, each of which must be there.
func changed(t *testing.T, source string, words ...string) string {
	t.Helper()
	for i := 0; i < len(words); i += 2 {
		next := strings.Replace(source, words[i], words[i+1], 1)
		if next == source {
			t.Fatalf("%q is not in the design", words[i])
		}
		source = next
	}
	return source
}

// Every kind of change of a kept value and a timeline, one after the other, while
// others write through two services: after each of them everything is true.
func TestTheDesignChangesWhileOthersWrite(t *testing.T) {
	t.Parallel()
	w := start(t, ponds)
	other := world{harness.StartOn(t, w.Database, ""), t}
	const people = 12
	for i := range people {
		w.person(fmt.Sprint("p", i))
	}
	stop := make(chan struct{})
	var posts atomic.Int64
	var group sync.WaitGroup
	for n, c := range []world{w, other} {
		for k := range 2 {
			group.Go(func() {
				for i := 0; ; i++ {
					select {
					case <-stop:
						return
					default:
					}
					me, you := fmt.Sprint("p", (i+k)%people), fmt.Sprint("p", (i*7+n)%people)
					id := fmt.Sprintf("post-%d-%d-%d", n, k, i)
					if _, _, err := c.As(me).Create(t.Context(), "posts", id, map[string]any{"text": id, "rating": i % 10}); err != nil {
						t.Error(err)
						return
					}
					posts.Add(1)
					if me != you {
						must(c.As(me).Set(t.Context(), "follow", me, you))(t)
					}
					must(c.As(you).Set(t.Context(), "like", you, id))(t)
					if i%5 == 4 {
						if _, _, err := c.As(me).Remove(t.Context(), "posts/"+id); err != nil {
							t.Error(err)
						}
					}
					if i%7 == 6 && me != you {
						must(c.As(me).Unset(t.Context(), "follow", me, you))(t)
					}
				}
			})
		}
	}
	design := ponds
	for _, step := range [][]string{
		{"posts_n:     {count: posts.author}", "posts_n:     {count: posts.author}\n      best: {max: posts.author, of: rating}\n      total: {sum: posts.author, of: rating}"},
		{"best: {max: posts.author, of: rating}", "best: {min: posts.author, of: rating, where: \"doc.rating > 3\"}"},
		{"byline:  {copy: author, fields: [name]}", "byline:  {copy: author, fields: [name, mail]}\n      last: {latest: notes, how_many: 2, fields: [text]}"},
	} {
		design = changed(t, design, step...)
		v := w.evolves(design)
		if len(v.Steps) == 0 {
			t.Errorf("%s asks for nothing", step[1])
		}
	}
	close(stop)
	group.Wait()
	t.Logf("%d posts", posts.Load())
	w.Settle()
	w.auditFindsNothing()
}
