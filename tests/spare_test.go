package tests

import (
	"fmt"
	"os"
	"strings"
	"testing"

	"yalvo/client"
	"yalvo/tests/harness"
)

// hides is an app in which a post shows its two last replies, and others show that: replies are for who is not
// blocked by their authors.
const hides = `
yalvo: 1
app: hides
accounts: people
collections:
  people:
    fields: {name: {type: string, required: true}}
  posts:
    fields:
      text:   {type: string}
      about:  {type: reference, to: posts, inverse: echoes, when_gone: clear}
      author: {type: reference, to: people, required: true, default: me, fixed: true, inverse: posts, when_gone: remove}
    kept:
      last: {latest: replies, how_many: 2, fields: [text]}
      fans: {gather: like.to, how_many: 2}
      card: {copy: about, fields: [text, last]}
  replies:
    under: posts
    fields:
      text:   {type: string, required: true}
      author: {type: reference, to: people, required: true, default: me, fixed: true, inverse: replies, when_gone: remove}
pairs:
  follow: {from: people, to: people, from_calls: following, to_calls: followers}
  block:  {from: people, to: people, from_calls: blocking, to_calls: blockers}
  like:   {from: people, to: posts, from_calls: liked, to_calls: likers}
timelines:
  home: {owner: people, entries: posts, by: author, through: follow, own: true}
lists:
  everyone: {entries: posts}
access:
  collections:
    people:  {read: "!paired('block', doc, me)", create: true}
    posts:   {read: true, create: "new.author == me"}
    replies: {read: "!paired('block', doc.author, me)", create: "new.author == me"}
  pairs:
    follow: {read: true, set: "from == me", unset: "from == me"}
    block:  {read: "from == me", set: "from == me", unset: "from == me"}
    like:   {read: true, set: "from == me", unset: "from == me"}
  timelines: {home: {read: "owner == me"}}
  lists:     {everyone: {read: true}}
`

// hide starts it with a post that six have replied to and liked, one after the other, and another about it.
func hide(t *testing.T) world {
	t.Helper()
	w := start(t, hides, trusting)
	for _, id := range []string{"ada", "r1", "r2", "r3", "r4", "r5", "r6"} {
		w.given("people", id, map[string]any{"name": id})
	}
	w.given("posts", "p", map[string]any{"text": "a heron", "author": "ada"})
	w.given("posts", "echo", map[string]any{"text": "see", "about": "p", "author": "ada"})
	for i := 1; i <= 6; i++ {
		by := fmt.Sprint("r", i)
		w.given("posts/p/replies", by, map[string]any{"text": by, "author": by})
		must(w.Set(t.Context(), "like", by, "p"))(t)
	}
	w.Settle()
	return w
}

// replies are the texts of a list of replies.
func replies(list any) (texts string) {
	for _, r := range list.([]any) {
		texts += r.(map[string]any)["text"].(string) + " "
	}
	return texts
}

// everywhere is what somebody is shown of the last replies: by itself, in a list, in a timeline, and in a card.
func (w world) everywhere(as *client.Client) string {
	w.t.Helper()
	ctx := w.t.Context()
	alone := must(as.Get(ctx, "posts/p"))(w.t)
	listed := must(as.Named(ctx, "everyone", "", nil, client.Page{}))(w.t).Documents
	timeline := must(as.Timeline(ctx, "home", "ada", client.Page{}))(w.t).Entries
	card := must(as.Get(ctx, "posts/echo"))(w.t).Kept["card"].(map[string]any)
	return strings.Join([]string{replies(alone.Kept["last"]), replies(listed[1].Kept["last"]), replies(timeline[1].Kept["last"]),
		replies(card["last"]), replies(listed[0].Kept["card"].(map[string]any)["last"])}, "| ")
}

func all(texts string) string { return strings.Join([]string{texts, texts, texts, texts, texts}, "| ") }

// stored is how many replies and fans are stored in a post, and replies in a card.
func (w world) stored() string {
	w.t.Helper()
	count := func(what, id string) int64 {
		return w.Number("SELECT jsonb_array_length(k.values #> $1::text[]) FROM kept k JOIN documents d ON d.n = k.doc WHERE d.key = $2",
			"{"+what+"}", id)
	}
	return fmt.Sprint(count("last", "p"), count("fans", "p"), count("card,last", "echo"))
}

// The latest two are still two for whoever may not see the newest, without a further look at the sources: a few are
// stored besides. Nobody sees more than two, and copies hold no more.
func TestTheLatestTwoAreStillTwo(t *testing.T) {
	t.Parallel()
	w := hide(t)
	ada := w.account("ada")
	same(t, "stored", w.stored(), "4 4 2")
	same(t, "an operator sees", w.everywhere(w.Client), all("r6 r5 "))
	same(t, "ada sees", w.everywhere(ada), all("r6 r5 "))
	same(t, "why", len(must(w.WhyKept(t.Context(), "posts/p", "last"))(t).Sources), 6)
	for nth, want := range []string{"r5 r4 ", "r4 r3 ", "r3 r2 ", "r2 r1 ", "r1 "} {
		must(w.Set(t.Context(), "block", fmt.Sprint("r", 6-nth), "ada"))(t)
		w.Settle()
		same(t, fmt.Sprint("ada sees without ", nth+1), w.everywhere(ada), all(want))
	}
	same(t, "an operator still sees", w.everywhere(w.Client), all("r6 r5 "))
	fans := must(ada.Get(t.Context(), "posts/p"))(t).Kept["fans"]
	same(t, "the fans that ada sees", fmt.Sprint(fans), "[r1]")
	w.auditFindsNothing()
}

// What is stored besides comes and goes with the rules, and with the number that is shown; nobody sees more than that
// at any moment.
func TestSparesFollowTheRules(t *testing.T) {
	t.Parallel()
	w := hide(t)
	told := changed(t, hides, "    replies: {read: \"!paired", "    replies: {read: true, create: \"new.author == me\"}\n#    replies: {read: \"!paired")
	three := changed(t, hides, "how_many: 2, fields", "how_many: 3, fields")
	for _, step := range []struct{ design, stored, seen string }{
		{told, "2 4 2", "r6 r5 "}, {hides, "4 4 2", "r6 r5 "}, {three, "5 4 3", "r6 r5 r4 "}, {hides, "4 4 2", "r6 r5 "},
	} {
		if what := differing(must(w.Diff(t.Context(), "hides.yaml", []byte(step.design)))(t)); !strings.Contains(what, "posts.last ") {
			t.Errorf("the difference says %s", what)
		}
		_, goOn := w.held(step.design)
		for _, as := range []*client.Client{w.Client, w.account("ada")} {
			if got := replies(must(as.Get(t.Context(), "posts/p"))(t).Kept["last"]); !strings.HasPrefix(step.seen, got) || got == "" {
				t.Errorf("while the design changes, the last replies are %s", got)
			}
		}
		goOn()
		w.Settle()
		same(t, "stored", w.stored(), step.stored)
		same(t, "an operator sees", w.everywhere(w.Client), all(step.seen))
		same(t, "ada sees", w.everywhere(w.account("ada")), all(step.seen))
		w.auditFindsNothing()
	}
}

// What an earlier program has stored, which knew of no spares, is derived anew when this one starts.
func TestSparesComeToEarlierData(t *testing.T) {
	t.Parallel()
	w := hide(t)
	must(w.Set(t.Context(), "block", "r6", "ada"))(t)
	w.SQL(`UPDATE kept SET "values" = jsonb_set(jsonb_set("values", '{last}', jsonb_path_query_array("values", '$.last[0 to 1]')),
		'{fans}', jsonb_path_query_array("values", '$.fans[0 to 1]')) WHERE "values" ? 'last'`)
	same(t, "stored", w.stored(), "2 2 2")
	w.SQL(string(must(os.ReadFile("../internal/engine/store/migrations/14.sql"))(t)))
	later := world{harness.StartOn(t, w.Database, "", trusting), t}
	same(t, "ada sees at once", replies(must(later.account("ada").Get(t.Context(), "posts/p"))(t).Kept["last"]), "r5 r4 ")
	must(later.AwaitVersion(t.Context(), 1, nil))(t)
	same(t, "stored", later.stored(), "4 4 2")
	same(t, "ada sees", later.everywhere(later.account("ada")), all("r5 r4 "))
	later.auditFindsNothing()
}
