package tests

import (
	"fmt"
	"strings"
	"testing"

	"yalvo/client"
)

// bogs is an app with everything that a design can give up, called gone_….
const bogs = `yalvo: 1
app: bogs
accounts: people
collections:
  people:
    fields: {name: {type: string}, gone_handle: {type: string, unique: true}, gone_best: {type: reference, to: gone_posts, inverse: best_of, when_gone: clear}}
    kept:
      gone_posts_n: {count: gone_posts.author}
      gone_birds:   {sum: gone_posts.author, of: birds}
      fans_n:       {count: gone_fan.to}
  gone_posts:
    fields:
      birds:  {type: integer}
      slug:   {type: string, unique: true}
      author: {type: reference, to: people, required: true, default: me, inverse: posts, when_gone: remove}
    kept:
      byline: {copy: author, fields: [name]}
      credit: {copy: author, fields: [name], frozen: true}
  gone_notes:
    under: gone_posts
    fields: {text: {type: string}}
pairs:
  gone_fan: {from: people, to: people, from_calls: fan_of, to_calls: fans, fields: {value: {type: integer}}}
  follow:   {from: people, to: people, from_calls: following, to_calls: followers}
timelines:
  gone_home: {owner: people, entries: gone_posts, by: author, through: follow, own: true}
lists:
  gone_list: {entries: gone_posts, order: birds}
triggers:
  gone_shout: {on: {created: gone_posts}, do: [{edit: {birds: "doc.birds + 1"}}]}
`

// What a design gives up is dropped when that was said, all of it, and the app goes on. Nothing
// is left under the numbers of what is gone, and going back finds the names empty.
func TestWhatADesignGivesUpIsDropped(t *testing.T) {
	t.Parallel()
	w := start(t, bogs)
	for i := range 6 {
		me := fmt.Sprint("p", i)
		if _, _, err := w.Create(t.Context(), "people", me, map[string]any{"name": me, "gone_handle": "h" + me}); err != nil {
			t.Fatal(err)
		}
		if _, _, err := w.As(me).Create(t.Context(), "gone_posts", "post-"+me, map[string]any{"birds": i, "slug": me}); err != nil {
			t.Fatal(err)
		}
		if _, _, err := w.Create(t.Context(), "gone_posts/post-"+me+"/gone_notes", "n", map[string]any{"text": "hm"}); err != nil {
			t.Fatal(err)
		}
		if _, _, err := w.Patch(t.Context(), "people/"+me, map[string]any{"gone_best": "post-p0"}); err != nil {
			t.Fatal(err)
		}
		if i > 0 {
			w.set("gone_fan", me, "p0")
			w.set("follow", me, "p0")
		}
	}
	w.Settle()
	w.auditFindsNothing()

	less := `yalvo: 1
app: bogs
accounts: people
collections:
  people: {fields: {name: {type: string}}}
pairs:
  follow: {from: people, to: people, from_calls: following, to_calls: followers}
`
	_, err := w.Apply(t.Context(), "less.yaml", []byte(less))
	if err == nil || !strings.Contains(err.Error(), "gone_posts") {
		t.Fatalf("facts go without a word: %v", err)
	}
	diff := must(w.Diff(t.Context(), "less.yaml", []byte(less)))(t)
	version := w.evolves(less, client.Applying{Drop: diff.Drops})
	same(t, "it is done", version.Done, true)
	for table, left := range map[string]int64{"documents": 6, "kept": 6, "pairs": 5, "entries": 0, "posted": 0, "cuts": 0, "contributions": 0, "refs": 0,
		"uniques": 0, "origins": 0, "misfits": 0, "due": 0, "parked": 0} {
		same(t, "rows of "+table, w.Number("SELECT count(*) FROM "+table), left)
	}
	same(t, "indexes of lists", w.Number("SELECT count(*) FROM pg_indexes WHERE indexname LIKE 'list\\_%'"), 0)
	w.auditFindsNothing()

	w.evolves(bogs)
	same(t, "posts of that name", len(must(w.AfterAll().List(t.Context(), "gone_posts", client.Page{}))(t).Documents), 0)
	same(t, "people", len(must(w.AfterAll().List(t.Context(), "people", client.Page{}))(t).Documents), 6)
	if _, _, err := w.As("p1").Create(t.Context(), "gone_posts", "post-p1", map[string]any{"birds": 3, "slug": "p1"}); err != nil {
		t.Fatal(err)
	}
	w.Settle()
	w.auditFindsNothing()
}
