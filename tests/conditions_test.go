package tests

import (
	"fmt"
	"strings"
	"testing"

	"yalvo/client"
	"yalvo/internal/design/language"
)

// coves is an app of private accounts, drafts and posts that are hidden, with a timeline for
// each way of delivery.
const coves = `yalvo: 1
app: coves
accounts: people
collections:
  people:
    fields: {name: {type: string}}
    kept: {followers: {count: follow.to}}
  posts:
    fields:
      text:      {type: string}
      hidden:    {type: boolean, default: false}
      draft:     {type: boolean}
      stars:     {type: integer}
      for:       {type: string}
      published: {type: timestamp}
      author:    {type: reference, to: people, required: true, default: me, inverse: posts, when_gone: remove}
pairs:
  follow: {from: people, to: people, from_calls: following, to_calls: followers, fields: {accepted: {type: boolean, default: false}}}
  block:  {from: people, to: people, from_calls: blocking, to_calls: blockers}
  mute:   {from: people, to: people, from_calls: muting, to_calls: muted_by}
timelines:
  pushed: &line
    owner: people
    entries: posts
    by: author
    own: true
    through: {pair: follow, where: pair.accepted}
    unless: [{paired: block, either_way: true}, {paired: mute}]
    where: "!doc.hidden && (!has(doc.draft) || !doc.draft)"
  pulled: {owner: people, entries: posts, by: author, own: true, deliver: pull, through: {pair: follow, where: pair.accepted},
           unless: [{paired: block, either_way: true}, {paired: mute}], where: "!(doc.hidden || has(doc.draft) && doc.draft)"}
  mixed:  {owner: people, entries: posts, by: author, own: true, deliver: mixed, above: 1, through: {pair: follow, where: pair.accepted},
           unless: [{paired: mute}, {paired: block, either_way: true}], where: "!doc.hidden && !(has(doc.draft) && doc.draft == true)"}
`

func covesOf(t *testing.T) world {
	w := start(t, strings.Replace(coves, "&line", "", 1))
	for _, id := range []string{"ada", "ben", "cora", "dan"} {
		w.person(id)
	}
	return w
}

// lines are somebody's timelines of one kind each, which must all be the same.
func (w world) lines(what, owner, want string) {
	w.t.Helper()
	for _, name := range []string{"pushed", "pulled", "mixed"} {
		ids := []string{}
		for _, e := range must(w.AfterAll().Timeline(w.t.Context(), name, owner, client.Page{}))(w.t).Entries {
			ids = append(ids, e.ID)
		}
		same(w.t, fmt.Sprintf("%s: %s of %s", what, name, owner), strings.Join(ids, " "), want)
	}
}

func (w world) accept(from, to string, is bool) {
	w.t.Helper()
	must(w.SetWith(w.t.Context(), "follow", from, to, map[string]any{"accepted": is}))(w.t)
}

func (w world) edit(post string, facts map[string]any) {
	w.t.Helper()
	if _, _, err := w.Patch(w.t.Context(), "posts/"+post, facts); err != nil {
		w.t.Fatal(err)
	}
}

func TestTimelinesHoldWhatMeetsTheirConditions(t *testing.T) {
	t.Parallel()
	w := covesOf(t)
	w.post("ada", "p1", "first")
	w.follow("ben", "ada")
	w.accept("cora", "ada", true)
	w.accept("dan", "ada", true)
	w.lines("asked to follow", "ben", "")
	w.lines("let in", "cora", "p1")
	w.accept("ben", "ada", true)
	w.lines("let in later", "ben", "p1")

	w.edit("p1", map[string]any{"hidden": true})
	w.lines("hidden", "ben", "")
	w.lines("hidden for its author too", "ada", "")
	if _, _, err := w.As("ada").Create(t.Context(), "posts", "p2", map[string]any{"draft": true}); err != nil {
		t.Fatal(err)
	}
	w.lines("a draft", "ben", "")
	w.lines("a draft, for its author", "ada", "")
	w.edit("p2", map[string]any{"draft": false})
	w.edit("p1", map[string]any{"hidden": false})
	w.lines("published, and shown again", "ben", "p2 p1")
	w.lines("for the author", "ada", "p2 p1")

	w.accept("ben", "ada", false)
	w.lines("no longer let in", "ben", "")
	w.accept("ben", "ada", true)
	w.set("mute", "ben", "ada")
	w.set("block", "ada", "ben")
	w.unset("mute", "ben", "ada")
	w.lines("blocked still", "ben", "")
	w.set("mute", "ben", "ada")
	w.unset("block", "ada", "ben")
	w.lines("muted still", "ben", "")
	w.unset("mute", "ben", "ada")
	w.lines("neither", "ben", "p2 p1")
	w.set("mute", "ada", "ben")
	w.lines("a mute goes one way", "ben", "p2 p1")

	w.edit("p2", map[string]any{"draft": true})
	if _, _, err := w.Remove(t.Context(), "posts/p2"); err != nil {
		t.Fatal(err)
	}
	w.edit("p1", map[string]any{"author": "ben"})
	w.lines("of another author", "cora", "")
	w.auditFindsNothing()
}

func TestWhyAnEntryDoesNotMeetAConditionIsSaid(t *testing.T) {
	t.Parallel()
	w := covesOf(t)
	w.post("ada", "p1", "first")
	w.follow("ben", "ada")
	w.accept("cora", "ada", true)
	w.Settle()
	why := func(what, line, owner, reasons, because string) {
		t.Helper()
		got := must(w.WhyEntry(t.Context(), line, owner, "posts/p1"))(t)
		if codes(got) != reasons || !strings.Contains(got.Because, because) {
			t.Errorf("%s: %s, because %s; want %s, %s", what, codes(got), got.Because, reasons, because)
		}
	}
	for _, line := range []string{"pushed", "pulled"} {
		why("not let in", line, "ben", "+posted +paired -unmet -not-stored", "follow from the owner to the author does not meet")
	}
	w.edit("p1", map[string]any{"hidden": true})
	w.Settle()
	why("hidden", "pushed", "cora", "+posted +paired -unmet -not-stored", "does not meet what the timeline asks of its entries")
	why("hidden", "pulled", "cora", "+posted +paired -unmet -not-stored", "does not meet what the timeline asks of its entries")
	w.set("block", "ada", "cora")
	w.set("mute", "cora", "ada")
	w.edit("p1", map[string]any{"hidden": false})
	w.Settle()
	why("both bars", "pushed", "cora", "+posted +paired -barred -barred -not-stored", "a block and a mute keeps it out")
}

// What is stored in spite of a condition, and what is not stored though it meets it, is drift.
func TestAnAuditKnowsWhatTimelinesAskFor(t *testing.T) {
	t.Parallel()
	w := covesOf(t)
	for i := range 4 {
		w.post("ada", fmt.Sprint("p", i), "first")
	}
	w.accept("ben", "ada", true)
	w.follow("cora", "ada")
	w.edit("p1", map[string]any{"hidden": true})
	w.Settle()
	w.auditFindsNothing()
	w.SQL(`UPDATE documents SET fields = fields || '{"hidden": true}' WHERE key = 'p2'`)            // stands in all three
	w.SQL(`UPDATE documents SET fields = fields || '{"hidden": "no"}' WHERE key = 'p3'`)            // no truth: nothing can be said
	w.SQL(`UPDATE pairs SET fields = '{"accepted": true}' WHERE NOT (fields ->> 'accepted')::bool`) // cora lacks them
	a, found := w.audit(client.Scope{})
	if len(found) == 0 {
		t.Fatal("an audit finds nothing of it")
	}
	must(w.MendAudit(t.Context(), a.ID))(t)
	must(w.AwaitAudit(t.Context(), a.ID, nil))(t)
	w.Settle()
	w.lines("mended", "ben", "p0")
	w.lines("mended", "cora", "p0")
	w.auditFindsNothing()
}

// A condition that changes, is new or goes has the timeline made anew, while it is written to.
func TestAConditionChangesWhileTheAppRuns(t *testing.T) {
	t.Parallel()
	w := covesOf(t)
	for i, stars := range []int{1, 5, 9} {
		if _, _, err := w.As("ada").Create(t.Context(), "posts", fmt.Sprint("p", i), map[string]any{"stars": stars, "hidden": i == 0}); err != nil {
			t.Fatal(err)
		}
	}
	w.accept("ben", "ada", true)
	w.follow("cora", "ada")
	source := strings.Replace(coves, "&line", "", 1)
	w.lines("at first", "ben", "p2 p1")

	only := changed(t, source, `where: "!doc.hidden && (!has(doc.draft) || !doc.draft)"`, `where: "doc.stars > 4 && doc.stars != 9"`)
	w.evolves(only)
	line := func(what, owner, want string) {
		t.Helper()
		var ids []string
		for _, e := range must(w.AfterAll().Timeline(t.Context(), "pushed", owner, client.Page{}))(t).Entries {
			ids = append(ids, e.ID)
		}
		same(t, what, strings.Join(ids, " "), want)
	}
	line("another condition", "ben", "p1")
	none := changed(t, only, `    where: "doc.stars > 4 && doc.stars != 9"`+"\n", "", "    through: {pair: follow, where: pair.accepted}\n", "    through: follow\n")
	w.evolves(none)
	line("no condition", "ben", "p2 p1 p0")
	line("nor of the pair", "cora", "p2 p1 p0")
	renamed := changed(t, strings.ReplaceAll(strings.ReplaceAll(source, "pair.accepted", "pair.let_in"), "doc.hidden", "doc.veiled"),
		"accepted: {type: boolean,", "let_in: {was: accepted, type: boolean,", "hidden:    {type: boolean,", "veiled: {was: hidden, type: boolean,")
	w.evolves(renamed)
	w.lines("by other names", "ben", "p2 p1")
	w.lines("by other names", "cora", "")
	must(w.SetWith(t.Context(), "follow", "cora", "ada", map[string]any{"let_in": true}))(t)
	w.lines("let in by that name", "cora", "p2 p1")
	w.auditFindsNothing()
}

func TestWhatTheDatabaseCannotDecideIsNoConditionOfATimeline(t *testing.T) {
	t.Parallel()
	for _, where := range []string{`where: "doc.text.size() > 3"`, `where: "doc.author == me"`, `where: "doc.text < 'b'"`, `where: "doc.stars + 1 > 3"`,
		`where: true`, `where: "doc.published > now"`, `where: "paired('follow', doc.author, doc.author)"`, `where: "doc.author.name == 'ada'"`, `where: "has(doc.id)"`} {
		_, err := language.Read("coves.yaml", []byte(changed(t, strings.Replace(coves, "&line", "", 1), `where: "!doc.hidden && (!has(doc.draft) || !doc.draft)"`, where)))
		if err == nil || !strings.Contains(err.Error(), "coves.yaml:29:") {
			t.Errorf("%s: %v", where, err)
		}
	}
}

// Words that mean something to a database are words to a condition.
func TestAConditionComparesAnyText(t *testing.T) {
	t.Parallel()
	source := strings.Replace(coves, "&line", "", 1)
	odd := `it's? "@x" \ ;-- 100% $1 ü` + "\t"
	w := start(t, changed(t, source, `where: "!doc.hidden && (!has(doc.draft) || !doc.draft)"`, "where: "+fmt.Sprintf("%q", "doc.for == "+fmt.Sprintf("%q", odd))))
	w.person("ada")
	for id, text := range map[string]string{"p1": odd, "p2": odd + "x", "p3": ""} {
		if _, _, err := w.As("ada").Create(t.Context(), "posts", id, map[string]any{"for": text}); err != nil {
			t.Fatal(err)
		}
	}
	page := must(w.AfterAll().Timeline(t.Context(), "pushed", "ada", client.Page{}))(t)
	if len(page.Entries) != 1 || page.Entries[0].ID != "p1" {
		t.Errorf("got %v", page.Entries)
	}
	w.auditFindsNothing()
}

// Of an author whom more pairs keep from followers than are read at once, the others hear all
// the same, and nobody else does: from many posts at once and from one.
func TestAnAuthorWhoIsKeptFromManyReachesTheRest(t *testing.T) {
	t.Parallel()
	w := covesOf(t)
	const many = 140
	var people, pairs []client.Write
	for i := range many {
		fan := fmt.Sprint("f", i)
		people = append(people, client.Creating("people", fan, map[string]any{"name": "Fan"}))
		pairs = append(pairs, client.Setting("follow", fan, "ada", map[string]any{"accepted": true}),
			client.Setting("follow", fan, "ben", map[string]any{"accepted": true}))
		if i < many-5 {
			pairs = append(pairs, []client.Write{client.Setting("block", fan, "ada", nil),
				client.Setting("block", "ada", fan, nil), client.Setting("mute", fan, "ada", nil)}[i%3])
		}
	}
	batch := func(writes ...client.Write) {
		t.Helper()
		if _, _, err := w.Batch(t.Context(), writes...); err != nil {
			t.Fatal(err)
		}
		w.Settle()
	}
	batch(people...)
	batch(pairs...)
	batch(client.Creating("posts", "a1", map[string]any{"text": "a", "author": "ada"}),
		client.Creating("posts", "b1", map[string]any{"text": "b", "author": "ben"}),
		client.Creating("posts", "a2", map[string]any{"text": "a", "author": "ada"}))
	batch(client.Creating("posts", "a3", map[string]any{"text": "a", "author": "ada"}))
	for i := range 6 {
		w.lines("one who is kept from ada", fmt.Sprint("f", i*20), "b1")
	}
	w.lines("one who is not", fmt.Sprint("f", many-1), "a3 a2 b1 a1")
	w.auditFindsNothing()
}
