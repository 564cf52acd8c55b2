package tests

import (
	"strings"
	"testing"
	"time"

	"yalvo/client"
	"yalvo/tests/harness"
	"yalvo/tests/scratch"
)

// marshDwellers is the marsh app with three people; ben follows ada.
func marshDwellers(t *testing.T) world {
	t.Helper()
	w := start(t, marsh)
	for _, id := range []string{"ada", "ben", "cora"} {
		w.person(id)
	}
	w.follow("ben", "ada")
	w.Settle()
	return w
}

func (w world) sighting(author, id string, birds int) client.Position {
	w.t.Helper()
	_, position, err := w.Create(w.t.Context(), "posts", id, map[string]any{"text": "seen", "birds": birds, "seen": "2031-04-05T06:07:08Z", "author": author})
	if err != nil {
		w.t.Fatal(err)
	}
	return position
}

func (w world) set(pair, from, to string) client.Position {
	w.t.Helper()
	return must(w.Set(w.t.Context(), pair, from, to))(w.t)
}

func (w world) unset(pair, from, to string) {
	w.t.Helper()
	must(w.Unset(w.t.Context(), pair, from, to))(w.t)
}

// codes are a why's reasons: + for, - against.
func codes(why client.Why) string {
	var out []string
	for _, r := range why.Reasons {
		sign := "-"
		if r.Holds {
			sign = "+"
		}
		out = append(out, sign+r.Code)
	}
	return strings.Join(out, " ")
}

func TestABlockTakesEntriesOutOfBothTimelinesAndAnUnblockGivesThemBack(t *testing.T) {
	t.Parallel()
	w := marshDwellers(t)
	w.follow("ada", "ben")
	w.sighting("ada", "p1", 1)
	w.sighting("ben", "p2", 1)
	same(t, "ada", w.home("ada"), []string{"p2", "p1"})
	same(t, "ben", w.home("ben"), []string{"p2", "p1"})

	w.set("block", "cora", "ada") // a stranger's block touches neither
	w.set("block", "ben", "ada")
	w.sighting("ada", "p3", 1)
	same(t, "ada, blocked", w.home("ada"), []string{"p3", "p1"})
	same(t, "ben, who blocks", w.home("ben"), []string{"p2"})
	calm := func(owner string) string {
		var ids []string
		for _, e := range must(w.AfterAll().Timeline(t.Context(), "calm", owner, client.Page{}))(t).Entries {
			ids = append(ids, e.ID)
		}
		return strings.Join(ids, " ")
	}
	same(t, "ada's other timeline, one way only", calm("ada"), "p2")
	same(t, "ben's other timeline", calm("ben"), "")

	w.unset("block", "ben", "ada")
	same(t, "ada again", w.home("ada"), []string{"p3", "p2", "p1"})
	same(t, "ben again", w.home("ben"), []string{"p3", "p2", "p1"})

	w.set("block", "ada", "ben")
	w.unfollow("ben", "ada")
	w.unset("block", "ada", "ben")
	same(t, "ben follows no more", w.home("ben"), []string{"p2"})
	w.auditFindsNothing()
}

func TestAChangedOrderMovesAnEntry(t *testing.T) {
	t.Parallel()
	w := marshDwellers(t)
	for i, id := range []string{"p1", "p2", "p3"} {
		if _, _, err := w.Create(t.Context(), "posts", id, map[string]any{"author": "ada", "seen": "2031-04-0" + string(rune('1'+i)) + "T00:00:00Z"}); err != nil {
			t.Fatal(err)
		}
	}
	order := func() []string {
		ids := []string{}
		for _, e := range must(w.AfterAll().Timeline(t.Context(), "calm", "ben", client.Page{}))(t).Entries {
			ids = append(ids, e.ID)
		}
		return ids
	}
	same(t, "in the order they were seen", order(), []string{"p3", "p2", "p1"})
	if _, _, err := w.Patch(t.Context(), "posts/p1", map[string]any{"seen": "2031-04-09T00:00:00Z"}); err != nil {
		t.Fatal(err)
	}
	same(t, "the first was seen last after all", order(), []string{"p1", "p3", "p2"})
	w.auditFindsNothing()
}

func TestWhyAnEntryIsThereOrNot(t *testing.T) {
	t.Parallel()
	w := marshDwellers(t)
	w.sighting("ada", "p1", 1)
	w.Settle()
	why := func(owner, entry string) client.Why {
		return must(w.WhyEntry(t.Context(), "home", owner, "posts/"+entry))(t)
	}
	expect := func(what string, got client.Why, there bool, reasons, because string) {
		t.Helper()
		if got.There != there || codes(got) != reasons || !strings.Contains(got.Because, because) {
			t.Errorf("%s: there %v, %s, because %s; want %v, %s, %s", what, got.There, codes(got), got.Because, there, reasons, because)
		}
	}
	expect("followed", why("ben", "p1"), true, "+posted +paired +stored", "there is a follow")
	expect("own", why("ada", "p1"), true, "+posted +own +stored", "the owner's own")
	expect("never followed", why("cora", "p1"), false, "+posted -not-paired -not-stored", "there is no follow")

	w.As("ada").Set(t.Context(), "block", "ada", "ben")
	w.Settle()
	blocked := why("ben", "p1")
	expect("blocked", blocked, false, "+posted +paired -barred -not-stored", "a block keeps it out")
	if by := blocked.Reasons[2]; by.As != "ada" || by.Since == nil || by.Change == 0 || !strings.Contains(by.Says, "people/ada → people/ben") {
		t.Errorf("the block says neither who nor when: %+v", by)
	}
	w.unset("block", "ada", "ben")
	w.unfollow("ben", "ada")
	w.Settle()
	unfollowed := why("ben", "p1")
	expect("unfollowed", unfollowed, false, "+posted -not-paired -not-stored", "there is no follow")
	if not := unfollowed.Reasons[1]; not.Since == nil || !strings.Contains(not.Says, "was unset") {
		t.Errorf("the journal knows when it was unset: %+v", not)
	}

	release := w.hold(5)
	w.follow("ben", "ada")
	expect("still due", why("ben", "p1"), false, "+posted +paired -not-stored -due", "still due")
	release()
	w.Settle()

	if _, _, err := w.Remove(t.Context(), "posts/p1"); err != nil {
		t.Fatal(err)
	}
	expect("removed", why("ben", "p1"), false, "-removed", "was removed")
	expect("never written", why("ben", "p99"), false, "-never", "no such document")

	for i := range 14 { // the timeline holds 12
		w.sighting("ada", "q"+string(rune('a'+i)), 1)
	}
	w.Settle()
	expect("beyond the length", why("ben", "qa"), false, "+posted +paired -length", "beyond the timeline's length")

	w.SQL("DELETE FROM entries WHERE owner = (SELECT n FROM documents WHERE key = 'ben') AND doc = (SELECT n FROM documents WHERE key = 'qn')")
	expect("drifted", why("ben", "qn"), false, "+posted +paired -not-stored", "this is drift")
}

func TestAKeptValueNamesItsSources(t *testing.T) {
	t.Parallel()
	w := marshDwellers(t)
	w.sighting("ada", "p1", 3)
	w.sighting("ada", "p2", 7)
	must(w.SetWith(t.Context(), "vote", "ben", "p1", map[string]any{"value": 2}))(t)
	must(w.SetWith(t.Context(), "vote", "cora", "p1", map[string]any{"value": -1}))(t)
	w.Settle()
	kept := func(path, name string) client.Sources { return must(w.WhyKept(t.Context(), path, name))(t) }
	listed := func(s client.Sources) string {
		var out []string
		for _, one := range s.Sources {
			out = append(out, one.Path+"="+string(one.Value))
		}
		return string(s.Stored) + " of " + strings.Join(out, " ")
	}
	same(t, "a sum", listed(kept("people/ada", "birds")), "10 of posts/p2=7 posts/p1=3")
	same(t, "a sum over a pair's field", listed(kept("posts/p1", "score")), "1 of people/ben=2 people/cora=-1")
	same(t, "a count under a condition", listed(kept("people/ada", "flocks_n")), "1 of posts/p2=1")
	same(t, "a max of sums", listed(kept("people/ada", "best")), "1 of posts/p1=1 posts/p2=0")
	same(t, "a count", listed(kept("people/ada", "followers_n")), "1 of people/ben=")
	same(t, "a copy", listed(kept("posts/p1", "finder")), "null of ")
	byline := kept("posts/p1", "byline")
	if len(byline.Sources) != 1 || byline.Sources[0].Path != "people/ada" || canonical(byline.Sources[0].Value) != canonical(byline.Stored) {
		t.Errorf("the byline: %+v", byline)
	}

	places := map[string]int64{}
	for _, p := range must(w.Places(t.Context(), "people/ada"))(t) {
		places[p.Where] = p.Many
	}
	same(t, "where ada's values are", places, map[string]int64{"posts.byline": 2, "people.following_n": 1})
	places = map[string]int64{}
	for _, p := range must(w.Places(t.Context(), "posts/p1"))(t) {
		places[p.Where] = p.Many
	}
	for where, many := range map[string]int64{"people.posts_n": 1, "people.birds": 1, "people.recent": 1, "people.given": 2, "home": 2, "calm": 1} {
		if places[where] != many {
			t.Errorf("%s holds it %d times, want %d", where, places[where], many)
		}
	}
}

func TestACascadeIsToldAsATree(t *testing.T) {
	t.Parallel()
	w := marshDwellers(t)
	w.sighting("ada", "p1", 1)
	w.sighting("ada", "p2", 1)
	if _, _, err := w.Create(t.Context(), "posts/p1/notes", "n1", map[string]any{"text": "nice", "author": "ben"}); err != nil {
		t.Fatal(err)
	}
	w.set("like", "ben", "p1")
	w.Settle()
	_, position, err := w.Remove(t.Context(), "people/ada")
	if err != nil {
		t.Fatal(err)
	}
	got := must(w.After(position).Cascade(t.Context(), exact(position)))(t)
	var tree strings.Builder
	var write func(steps []client.Step, depth int)
	write = func(steps []client.Step, depth int) {
		for _, s := range steps {
			tree.WriteString(strings.Repeat("  ", depth) + s.Says + "\n")
			write(s.Follows, depth+1)
		}
	}
	write(got.Follows, 0)
	for _, want := range []string{
		"ended posts.author\n  removed posts\n",
		"    withdrawn from the home timelines\n",
		"    removed the notes under it\n      removed notes\n",
		"    unset like to it\n      unset like\n",
		"unset follow to it\n  unset follow\n",
	} {
		if !strings.Contains(tree.String(), want) {
			t.Errorf("missing:\n%s\nin the tree:\n%s", want, tree.String())
		}
	}
	if !got.Settled || got.TookMS < 0 || got.Change.Subject != "people/ada" {
		t.Errorf("%+v", got)
	}
	for _, s := range got.Follows {
		if !s.Changes && (s.DoneMS == nil || s.Chunks == 0) {
			t.Errorf("done, and it does not say when or in how many chunks: %+v", s)
		}
	}
}

func TestAnAuditIsStoppedResumedAndRunsByItself(t *testing.T) {
	t.Parallel()
	w := marshDwellers(t)
	a := must(w.BeginAudit(t.Context(), client.Scope{}))(t)
	if a, err := w.StopAudit(t.Context(), a.ID); err == nil { // it may have ended already
		same(t, "the state", a.State, "stopped")
		if _, err := w.MendAudit(t.Context(), a.ID); err == nil {
			t.Error("an audit that is stopped was mended")
		}
		a = must(w.ResumeAudit(t.Context(), a.ID))(t)
		same(t, "the state", must(w.AwaitAudit(t.Context(), a.ID, nil))(t).State, "finished")
	}
	if _, err := w.StopAudit(t.Context(), a.ID); err == nil || !strings.Contains(err.Error(), "finished, not running") {
		t.Errorf("stopping what has ended: %v", err)
	}
	for what, scope := range map[string]client.Scope{
		`no duplicate "people.fans"`:         {Duplicate: "people.fans"},
		"there is no document people/nobody": {Document: "people/nobody"},
		`"people" is no path`:                {Document: "people"},
		"people/ada holds no":                {Document: "people/ada", Duplicate: "posts.byline"},
	} {
		if _, err := w.BeginAudit(t.Context(), scope); err == nil || !strings.Contains(err.Error(), what) {
			t.Errorf("an audit of %+v: %v", scope, err)
		}
	}
	w.SQL(`UPDATE kept SET "values" = "values" || '{"followers_n": 9}' WHERE doc IN (SELECT n FROM documents WHERE key IN ('ada', 'cora'))`)
	_, found := w.audit(client.Scope{Document: "people/ada"})
	if len(found) != 1 || found[0].Document != "people/ada" || string(found[0].Stored) != "9" || string(found[0].Expected) != "1" {
		t.Errorf("of one document: %+v", found)
	}
	_, found = w.audit(client.Scope{Duplicate: "people.followers_n", Mend: true})
	same(t, "of one duplicate", len(found), 2)
	w.auditFindsNothing()

	if err := w.ScheduleAudit(t.Context(), time.Second); err == nil || !strings.Contains(err.Error(), "once a minute at most") {
		t.Errorf("an audit every second: %v", err)
	}
	if err := w.ScheduleAudit(t.Context(), time.Hour); err != nil {
		t.Fatal(err)
	}
	_, every, err := w.Audits(t.Context())
	if err != nil || every != time.Hour {
		t.Errorf("every %v, %v", every, err)
	}
	w.SQL("UPDATE audits SET started = now() - interval '61 minutes'")
	had := w.Number("SELECT max(id) FROM audits")
	w.until("an audit runs by itself", func() bool { return w.Number("SELECT max(id) FROM audits") > had })
}

// Two services share the work of an audit: killed in the middle, it goes on.
func TestAnAuditGoesOnInAnotherService(t *testing.T) {
	t.Parallel()
	database := scratch.Database(t)
	w := world{harness.StartOn(t, database, marsh), t}
	w.person("ada")
	w.Settle()
	w.SQL(`INSERT INTO audits (steps, state) SELECT count(*) * 0 + 3, 'running' FROM audits`)
	other := harness.StartOn(t, database, "")
	all, _, err := other.Audits(t.Context())
	if err != nil || len(all) != 1 {
		t.Fatalf("%+v, %v", all, err)
	}
	same(t, "the state", must(other.AwaitAudit(t.Context(), all[0].ID, nil))(t).State, "finished")
}
