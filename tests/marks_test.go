package tests

import (
	"fmt"
	"strings"
	"testing"

	"yalvo/client"
)

// marks are those that are set of some, in words.
func inWords(marks map[string]*client.Mark) string {
	var all []string
	for _, name := range []string{"followers", "following", "judged", "liked"} {
		m, asked := marks[name]
		switch {
		case m != nil && len(m.Facts) > 0:
			all = append(all, fmt.Sprint(name, " ", m.Facts))
		case m != nil:
			all = append(all, name)
		case asked:
			all = append(all, "-")
		}
	}
	return strings.Join(all, " ")
}

// Whoever reads a page is told with each element how they are paired with it.
func TestAPageSaysHowItsReaderIsPairedWithIt(t *testing.T) {
	t.Parallel()
	w := start(t, changed(t, ponds, "timelines:",
		"  judge:  {from: people, to: posts, from_calls: judged, to_calls: judges, fields: {mark: {type: integer, required: true}}}\ntimelines:"))
	for _, p := range []string{"ada", "ben", "cy"} {
		w.person(p)
	}
	must(w.Set(t.Context(), "follow", "ben", "ada"))(t)
	must(w.Set(t.Context(), "follow", "ada", "cy"))(t)
	for i := range 3 {
		w.post("ada", fmt.Sprint("p", i), "a heron")
	}
	must(w.Set(t.Context(), "like", "ben", "p1"))(t)
	must(w.SetWith(t.Context(), "judge", "ben", "p2", map[string]any{"mark": 3}))(t)
	w.Settle()

	ben := w.As("ben")
	var got []string
	for _, e := range must(ben.Timeline(t.Context(), "home", "ben", client.Page{Marks: []string{"liked",
		"judged"}}))(t).Entries {
		got = append(got, e.ID+" "+inWords(e.Marks))
	}
	same(t, "a timeline", got, []string{"p2 judged map[mark:3] -", "p1 - liked", "p0 - -"})
	got = nil
	for _, d := range must(ben.List(t.Context(), "people", client.Page{Marks: []string{"following",
		"followers"}}))(t).Documents {
		got = append(got, d.ID+" "+inWords(d.Marks))
	}
	same(t, "a collection", got, []string{"ada - following", "ben - -", "cy - -"})
	page := must(w.As("cy").List(t.Context(), "people/ben/following", client.Page{Marks: []string{"followers"}}))(t)
	same(t, "what a name leads to", inWords(page.Documents[0].Marks), "followers")
	d := must(ben.Get(t.Context(), "posts/p1", "liked"))(t)
	same(t, "a document", []any{inWords(d.Marks), d.Marks["liked"].Since.IsZero()}, []any{"liked", false})
	same(t, "without marks", must(ben.Get(t.Context(), "posts/p1"))(t).Marks == nil, true)

	_, err := ben.Timeline(t.Context(), "home", "ben", client.Page{Marks: []string{"loved"}})
	refused(t, err, "unknown-name", `as "loved"`, "known are liked, judged")
	_, err = ben.Get(t.Context(), "people/ada", "liked")
	refused(t, err, "unknown-name", "known are following, followers")
	_, err = ben.List(t.Context(), "pools", client.Page{Marks: []string{"liked"}})
	refused(t, err, "unknown-name", "no pair joins accounts with these")
	_, err = w.Get(t.Context(), "posts/p1", "liked")
	refused(t, err, "bad-request", "name one in the header Yalvo-As")
	_, err = w.As("nobody").Get(t.Context(), "posts/p1", "liked")
	refused(t, err, "not-found", "there is no account people/nobody")
	_, err = ben.Get(t.Context(), "posts/p1", "a", "b", "c", "d", "e", "f", "g", "h", "i", "j", "k")
	refused(t, err, "bad-request", "11 marks are asked for, 10 are allowed")

	w.yalvo("timeline", "home", "ben", "--marks", "liked,judged").says(t, 0, "marks", "judged (mark=3)", "liked")
	w.yalvo("--as", "ben", "list", "people", "--marks", "following").says(t, 0, "marks", "following")
	w.yalvo("--as", "ben", "show", "posts/p1", "--marks", "liked,judged").says(t, 0, "mark", "since", "no")

	w.Evolving.Store(true)
	w.evolves(changed(t, ponds, "like:   {from: people, to: posts, from_calls: liked",
		"heart:  {was: like, from: people, to: posts, from_calls: loved",
		"count: like.to", "count: heart.to", "timelines:",
		"  judge:  {from: people, to: posts, from_calls: judged, to_calls: judges, fields: {verdict: {was: mark, type: string, required: true}}}\ntimelines:"))
	d = must(ben.Get(t.Context(), "posts/p2", "judged", "loved"))(t)
	same(t, "by the design in force", inWords(d.Marks), "judged map[verdict:3]")
}
