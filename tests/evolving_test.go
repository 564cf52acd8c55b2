package tests

import (
	"errors"
	"fmt"
	"path/filepath"
	"slices"
	"strings"
	"sync"
	"sync/atomic"
	"testing"
	"time"

	"yalvo/client"
	"yalvo/demo"
	"yalvo/tests/harness"
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
		group.Go(func() {
			pace := time.NewTicker(20 * time.Millisecond)
			defer pace.Stop()
			for i := 0; ; i++ {
				select {
				case <-stop:
					return
				case <-pace.C:
				}
				me, you := fmt.Sprint("p", i%people), fmt.Sprint("p", (i*7+n)%people)
				id := fmt.Sprintf("post-%d-%d", n, i)
				facts := map[string]any{"text": id, "rating": i % 10}
				if _, _, err := c.As(me).Create(t.Context(), "posts", id, facts); err != nil {
					t.Error(err)
					return
				}
				posts.Add(1)
				if me != you {
					must(c.As(me).Set(t.Context(), "follow", me, you))(t)
				}
				must(c.As(you).Set(t.Context(), "like", you, id))(t)
				old := id
				if i%5 != 4 { // else what is there, and the time a change takes, would grow and grow
					old = fmt.Sprintf("post-%d-%d", n, i-40)
				}
				if _, _, err := c.As(me).Remove(t.Context(), "posts/"+old); err != nil && !gone(err) {
					t.Error(err)
				}
				if i%11 == 3 && me != you {
					if _, err := c.As(me).Set(t.Context(), "hush", me, you); err != nil && !strings.Contains(err.Error(), "no pair") {
						t.Error(err)
					}
				}
				if i%7 == 6 && me != you {
					must(c.As(me).Unset(t.Context(), "follow", me, you))(t)
				}
			}
		})
	}
	w.Evolving.Store(true)
	other.Evolving.Store(true)
	pulled := changed(t, ponds, "length: 800,", "length: 800, deliver: pull,")
	d := must(w.Diff(t.Context(), "ponds.yaml", []byte(pulled)))(t) // tries what it would do, and undoes it
	same(t, "what is tried", d.Steps[0].Does, "unstore")
	design := ponds
	for _, step := range [][]string{
		{"posts_n:     {count: posts.author}", "posts_n:     {count: posts.author}\n      best: {max: posts.author, of: rating}\n      total: {sum: posts.author, of: rating}"},
		{"best: {max: posts.author, of: rating}", "best: {min: posts.author, of: rating, where: \"doc.rating > 3\"}"},
		{"byline:  {copy: author, fields: [name]}", "byline:  {copy: author, fields: [name, mail]}\n      last: {latest: notes, how_many: 2, fields: [text]}"},
		{"length: 800,", "length: 5,"},
		{"length: 5,", "length: 40, deliver: mixed, above: 3,"},
		{"deliver: mixed, above: 3,", "deliver: pull,"},
		{"deliver: pull,", "deliver: push,"},
		{"timelines:", "  hush: {from: people, to: people, from_calls: hushing, to_calls: hushers}\ntimelines:\n  seen: {owner: people, entries: posts, by: author, through: follow, own: true, order: seen, length: 20, unless: {paired: hush, either_way: true}}"},
		{"seen: {owner: people, entries: posts, by: author, through: follow, own: true, order: seen, length: 20, unless: {paired: hush, either_way: true}}",
			"seen: {owner: people, entries: posts, by: author, through: follow, own: false, length: 30, deliver: mixed, above: 2}"},
		{"own: false, length: 30,", "own: false, where: \"doc.rating > 2\", unless: [{paired: hush}], length: 30,"},
		{"seen:   {type: timestamp, default: now}", "noticed: {type: timestamp, default: now, was: seen}"},
		{"to_calls: likers}", "to_calls: likers, fields: {stars: {type: integer, default: 2}}}"},
		{"stars: {type: integer, default: 2}", "stars: {type: string, convert: \"string(pair.stars) + ' stars'\"}"},
		{"likes_n: {count: like.to}", "likes_n: {count: like.to, where: \"pair.stars == '2 stars'\"}"},
		{"mail: {type: string, unique: true}", "mail: {type: string}\n      nick: {type: string, unique: true}"},
		{"about:  {type: reference, to: posts, inverse: answers, when_gone: clear}", "about:  {type: reference, to: posts, inverse: answers, when_gone: leave}"},
		{"when_gone: leave}\n    kept:", "when_gone: remove}\n    kept:"},
		{"  seen: {owner: people, entries: posts, by: author, through: follow, own: false, where: \"doc.rating > 2\", unless: [{paired: hush}], length: 30, deliver: mixed, above: 2}\n", ""},
	} {
		design = changed(t, design, step...)
		v := w.evolves(design)
		if len(v.Steps) == 0 && !strings.Contains(step[1], "when_gone: leave") && !strings.Contains(step[1], "length: 5,") {
			t.Errorf("%s asks for nothing", step[1])
		}
	}
	close(stop)
	group.Wait()
	t.Logf("%d posts", posts.Load())
	w.Settle()
	w.auditFindsNothing()

	file := filepath.Join(t.TempDir(), "ponds.ndjson")
	w.yalvo("dump", file).says(t, 0, "documents")
	afresh := start(t, design)
	afresh.Evolving.Store(true)
	afresh.yalvo("load", file).says(t, 0, "Loaded")
	if was, is := afresh.derived(people), w.derived(people); was != is {
		t.Errorf("what was built while the design changed is not what a fresh build of the same facts gives:\n%s", firstDifference(was, is))
	}
}

// derived is all that is derived: kept values, and the timelines of so many people.
func (w world) derived(people int) string {
	w.t.Helper()
	var all string
	if err := w.Pool().QueryRow(w.t.Context(), `SELECT string_agg(n.name || '/' || d.key || ' ' || k.values, E'\n' ORDER BY n.name, d.key)
		FROM documents d JOIN kept k ON k.doc = d.n JOIN numbers n ON n.n = d.collection`).Scan(&all); err != nil {
		w.t.Fatal(err)
	}
	for i := range people {
		all += fmt.Sprint("\nhome of p", i, " ", w.home(fmt.Sprint("p", i)))
	}
	return all
}

// held puts a design in force and has its steps fail until they are let go.
func (w world) held(source string, how ...client.Applying) (version int, goOn func()) {
	w.t.Helper()
	w.SQL(`CREATE FUNCTION yalvo.fails() RETURNS trigger LANGUAGE plpgsql AS $$ BEGIN RAISE 'held up'; END $$;
		CREATE TRIGGER fails BEFORE UPDATE ON yalvo.builds FOR EACH ROW EXECUTE FUNCTION yalvo.fails()`)
	got := must(w.Apply(w.t.Context(), "ponds.yaml", []byte(source), how...))(w.t)
	return got.Version, func() {
		w.t.Helper()
		w.SQL("DROP FUNCTION yalvo.fails CASCADE")
		must(w.AwaitVersion(w.t.Context(), got.Version, nil))(w.t)
	}
}

// Old documents read in the new form before they are stored in it: defaults, other
// names, converted values. What is not finished is not shown as if it were.
func TestWhatReadersSeeWhileADesignIsCarriedOut(t *testing.T) {
	t.Parallel()
	w := start(t, ponds)
	for _, p := range []string{"ada", "ben", "cy"} {
		w.person(p)
		must(w.amend("people/"+p, map[string]any{"mail": p + "@reed.example"}))(t)
	}
	must(w.Set(t.Context(), "follow", "ben", "ada"))(t)
	w.post("ada", "p1", "a heron")
	must(w.amend("posts/p1", map[string]any{"rating": 7, "steps": []int{1, 2}}))(t)
	w.Settle()
	next := changed(t, ponds,
		"name: {type: string, required: true, max: 40}", "title: {type: string, required: true, max: 40, was: name}\n      level: {type: integer, default: 3}",
		"rating: {type: integer, min: 0, max: 10}", "grade: {type: string, convert: \"doc.rating > 5 ? 'good' : 'fair'\"}\n      steps: {type: list, of: {type: string}, max: 4}",
		"      steps:  {type: list, of: {type: integer}, max: 4}\n", "",
		"byline:  {copy: author, fields: [name]}\n      likes_n", "byline:  {copy: author, fields: [title, mail]}\n      best: {max: notes, of: weight}\n      likes_n",
		"text:   {type: string, required: true}\n", "text:   {type: string, required: true}\n      weight: {type: number, default: 2}\n",
		"kept: {byline: {copy: author, fields: [name]}}\n  pins", "kept: {byline: {copy: author, fields: [title]}}\n  pins",
		"  home: {", "  loud: {owner: people, entries: posts, by: author, through: follow, own: true, carry: [text]}\n  home: {",
		"length: 800,", "length: 900,")
	w.Evolving.Store(true)
	_, err := w.Apply(t.Context(), "ponds.yaml", []byte(next))
	refused(t, err, "would-drop", "posts.rating", "`was:`")
	_, goOn := w.held(next, client.Applying{Drop: []string{"posts.rating"}, By: "the gardener"})

	ada := must(w.Get(t.Context(), "people/ada"))(t)
	same(t, "a name and a default", ada.Facts, map[string]any{"title": "ADA", "mail": "ada@reed.example", "level": 3})
	post := must(w.Get(t.Context(), "posts/p1"))(t)
	same(t, "what was converted", []any{post.Facts["grade"], post.Facts["steps"]}, []any{"good", []any{"1", "2"}})
	_, hidden := post.Kept["best"]
	same(t, "what is being built", []any{post.Building, hidden, post.Kept["likes_n"]}, []any{[]string{"best", "byline"}, false, 0})
	_, err = w.Timeline(t.Context(), "loud", "ben", client.Page{})
	refused(t, err, "being-built", "loud", "Try again")
	entries := must(w.Timeline(t.Context(), "home", "ben", client.Page{}))(t).Entries
	same(t, "a timeline that becomes longer", entries[0].ID, "p1")
	same(t, "what of an entry is being built", entries[0].Building, []string{"byline"})
	_, err = w.BeginAudit(t.Context(), client.Scope{Duplicate: "posts.best"})
	refused(t, err, "being-built", "posts.best")
	_, err = w.Apply(t.Context(), "ponds.yaml", []byte(next+"# again\n"))
	refused(t, err, "conflict", "not done yet", "steps are left")

	must(w.amend("people/ada", map[string]any{"mail": "ada@fen.example"}))(t) // an old document is edited
	w.post("ben", "p2", "a bittern")                                          // and a new one made
	goOn()
	w.Evolving.Store(false)
	w.Settle()
	w.auditFindsNothing()
	same(t, "what was edited meanwhile", w.get("people/ada").Facts, map[string]any{"title": "ADA", "mail": "ada@fen.example", "level": 3})
	post = w.get("posts/p1")
	same(t, "the copy", post.Kept["byline"], map[string]any{"title": "ADA", "mail": "ada@fen.example"})
	same(t, "nothing is being built", len(post.Building), 0)
	same(t, "the new timeline", must(w.Timeline(t.Context(), "loud", "ben", client.Page{}))(t).Entries[1].ID, "p1")
	v := must(w.Versions(t.Context(), 10))(t)[0]
	same(t, "who asked for it", []any{v.Author, v.Done}, []any{"the gardener", true})
}

// amend edits a document's facts.
func (w world) amend(path string, facts map[string]any) (client.Document, error) {
	d, _, err := w.Patch(w.t.Context(), path, facts)
	return d, err
}

// What does not fit a narrower design is listed, can be read and is not lost; it can
// be edited otherwise, and is off the list when it fits.
func TestDocumentsThatDoNotFitAreListed(t *testing.T) {
	t.Parallel()
	w := start(t, ponds)
	for _, p := range []string{"ada", "bartholomew", "cy"} {
		w.person(p)
	}
	w.post("ada", "p1", "a heron")
	must(w.amend("posts/p1", map[string]any{"rating": 9, "kind": "frog"}))(t)
	w.post("cy", "p2", "a bittern")
	w.Evolving.Store(true) // what does not fit is not as described
	narrow := changed(t, ponds, "required: true, max: 40}\n      mail: {type: string", "required: true, max: 5}\n      mail: {type: string, required: true",
		"rating: {type: integer, min: 0, max: 10}", "rating: {type: integer, min: 0, max: 5}", "one_of: [bird, frog]", "one_of: [bird, toad]")
	d := must(w.Diff(t.Context(), "ponds.yaml", []byte(narrow)))(t)
	same(t, "what would not fit", differing(d), "people.mail check 3 3, people.name check 3 1, posts.kind check 2 1, posts.rating check 2 1")
	w.evolves(narrow)
	same(t, "what does not fit", w.misfits(), "people.mail required 3, people.name too-large 1, posts.kind not-one-of 1, posts.rating too-large 1")
	same(t, "what is too long is read", w.get("people/bartholomew").Facts["name"], "BARTHOLOMEW")
	_, err := w.amend("people/bartholomew", map[string]any{"name": "BARTHOLOMÄUS"})
	refused(t, err, "invalid", "12 characters is more than the 5")
	must(w.amend("people/bartholomew", map[string]any{"mail": "b@reed.example"}))(t)
	same(t, "one is mended, the other left", w.misfits(), "people.mail required 2, people.name too-large 1, posts.kind not-one-of 1, posts.rating too-large 1")
	must(w.amend("people/bartholomew", map[string]any{"name": "BART"}))(t)
	if _, _, err := w.Remove(t.Context(), "posts/p1"); err != nil {
		t.Fatal(err)
	}
	same(t, "what is left", w.misfits(), "people.mail required 2")
	w.evolves(ponds)
	same(t, "everything fits again", w.misfits(), "")
	w.auditFindsNothing()
}

// Pairs of a document with itself stay when the design no longer takes them, and are
// listed until they end.
func TestPairsWithOneselfThatDoNotFitAreListed(t *testing.T) {
	t.Parallel()
	const alone, together = "to_calls: followers, self: true}", "to_calls: followers}"
	w := start(t, changed(t, ponds, together, alone))
	w.person("ada")
	w.person("ben")
	must(w.Set(t.Context(), "follow", "ada", "ada"))(t)
	must(w.Set(t.Context(), "follow", "ada", "ben"))(t)
	w.Settle()
	w.Evolving.Store(true)
	d := must(w.Diff(t.Context(), "ponds.yaml", []byte(ponds)))(t)
	same(t, "what would not fit", differing(d), "follow check 1 1")
	w.evolves(ponds)
	same(t, "what does not fit", w.misfits(), "follow.to self 1")
	same(t, "it is still counted", w.get("people/ada").Kept["following_n"], 2)
	must(w.Unset(t.Context(), "follow", "ada", "ada"))(t)
	same(t, "when it has ended", w.misfits(), "")
	w.Evolving.Store(false)
	w.Settle()
	w.auditFindsNothing()
}

// misfits are what does not fit, counted, in words.
func (w world) misfits() string {
	w.t.Helper()
	var all []string
	for _, m := range must(w.Misfits(w.t.Context()))(w.t) {
		if len(m.Examples) == 0 {
			w.t.Errorf("%s.%s has no examples", m.Of, m.Field)
		}
		all = append(all, fmt.Sprint(m.Of, ".", m.Field, " ", m.Code, " ", m.Many))
	}
	return strings.Join(all, ", ")
}

// differing are the effects of a difference: how many, and how many do not fit.
func differing(d client.Difference) string {
	var all []string
	for _, c := range d.Changes {
		for _, e := range c.Effects {
			all = append(all, strings.TrimSpace(fmt.Sprint(c.Name, " ", e.Does, " ", e.Many, map[bool]string{true: fmt.Sprint(" ", e.Unfit)}[e.Unfit > 0])))
		}
	}
	slices.Sort(all)
	return strings.Join(all, ", ")
}

// Names change with what is stored under them, and go back with it.
func TestNamesChangeAndGoBack(t *testing.T) {
	t.Parallel()
	w := start(t, ponds)
	for _, p := range []string{"ada", "ben"} {
		w.person(p)
	}
	must(w.Set(t.Context(), "follow", "ben", "ada"))(t)
	w.post("ada", "p1", "a heron")
	must(w.amend("posts/p1", map[string]any{"spot": map[string]any{"name": "Nine Posts", "lat": 51.5}}))(t)
	must(w.Set(t.Context(), "like", "ben", "p1"))(t)
	if _, _, err := w.As("ben").Create(t.Context(), "posts/p1/notes", "n1", map[string]any{"text": "yes"}); err != nil {
		t.Fatal(err)
	}
	w.Settle()
	before := w.everything()
	next := changed(t, ponds, "  posts:\n", "  sightings:\n    was: posts\n", "under: posts", "under: sightings",
		"follow: {", "watch: {was: follow, ", "count: follow.to", "count: watch.to", "count: follow.from", "count: watch.from",
		"posts_n:     {count: posts.author}", "sightings_n: {count: sightings.author, was: posts_n}",
		"about:  {type: reference, to: posts", "about:  {type: reference, to: sightings",
		"like:   {from: people, to: posts", "like:   {from: people, to: sightings",
		"home: {owner: people, entries: posts, by: author, through: follow", "start: {was: home, owner: people, entries: sightings, by: author, through: watch",
		"mail: {", "address: {was: mail, ",
		"spot:   {type: object, fields: {name",
		"place: {was: spot, type: object, fields: {title: {was: name, type: string, required: true}, north: {was: lat, type: number}}}\n#")
	w.Evolving.Store(true)
	w.evolves(next)
	w.Settle()
	same(t, "a renamed count", w.get("people/ada").Kept["sightings_n"], 1)
	same(t, "a nested document", w.get("sightings/p1/notes/n1").Facts["text"], "yes")
	same(t, "names inside an object", w.get("sightings/p1").Facts["place"], map[string]any{"title": "Nine Posts",
		"north": 51.5})
	same(t, "a renamed pair", must(w.IsSet(t.Context(), "watch", "ben", "ada"))(t), true)
	same(t, "a renamed timeline", must(w.Timeline(t.Context(), "start", "ben", client.Page{}))(t).Entries[0].Path, "sightings/p1")
	w.auditFindsNothing()
	back := must(w.Back(t.Context(), 1, client.Applying{Base: 2}))(t)
	must(w.AwaitVersion(t.Context(), back.Version, nil))(t)
	w.Evolving.Store(false)
	w.Settle()
	w.auditFindsNothing()
	if after := w.everything(); after != before {
		t.Errorf("what is stored differs:\n%s", firstDifference(before, after))
	}
	same(t, "the design", string(must(w.Design(t.Context()))(t)), ponds)
}

// What a changed design says about itself must go with the one in force.
func TestDesignsThatCannotFollow(t *testing.T) {
	t.Parallel()
	w := start(t, ponds)
	w.person("ada")
	for what, c := range map[string]struct{ change, code, says string }{
		"a conversion of another type": {"mail: {type: integer, convert: \"doc.name\"}", "design", "it is of type string, and a integer is wanted"},
		"one over what is not there":   {"mail: {type: string, convert: \"doc.nick\"}", "design", "undefined field 'nick'"},
		"a rename to a name in use":    {"mail: {type: string, was: name}", "design", "there is a \\\"mail\\\" already"},
	} {
		source := changed(t, ponds, "mail: {type: string, unique: true}", c.change)
		if what == "a rename to a name in use" {
			source = changed(t, source, "      name: {type: string, required: true, max: 40}\n", "")
			source = strings.ReplaceAll(source, "{copy: author, fields: [name]", "{copy: author, fields: [mail]")
		}
		p := w.raw("POST", "/design/difference", "application/yaml", source)
		if p.Status != 422 || p.Code != c.code || !strings.Contains(fmt.Sprintf("%q", fmt.Sprint(p.Errors)), c.says) {
			t.Errorf("%s: got %+v", what, p)
		}
	}
	must(w.Apply(t.Context(), "ponds.yaml", []byte(ponds+"# two\n")))(t)
	_, err := w.Apply(t.Context(), "ponds.yaml", []byte(ponds+"# three\n"), client.Applying{Base: 1})
	refused(t, err, "other-base", "version 2 of the design is in force")
	_, err = w.Back(t.Context(), 7, client.Applying{})
	refused(t, err, "not-found", "no version 7")
}

// gone tells whether something was refused because a document had gone already.
func gone(err error) bool {
	var p *client.Problem
	return errors.As(err, &p) && (p.Status == 404 || p.Code == "invalid" && strings.Contains(p.Error(), "there is no document"))
}

// A timeline that collected from authors whom many follow, and is pushed again, holds all their
// entries: for those whose timelines are derived first too, in whatever parts.
func TestATimelineThatIsPushedAgainHoldsEverything(t *testing.T) {
	t.Parallel()
	w := start(t, ponds)
	const readers = 60
	w.person("star")
	for i := range 3 {
		w.post("star", fmt.Sprint("post-", i), "a heron")
	}
	for i := range readers {
		me := fmt.Sprint("p", i)
		w.person(me)
		w.follow(me, "star")
	}
	w.Settle()
	mixed := changed(t, ponds, "through: follow,", "through: follow, deliver: mixed, above: 10,")
	for range 3 { // whether a stretch is done in halves hangs on what else goes on
		w.evolves(mixed)
		w.until("the star is collected from", func() bool {
			return w.Number("SELECT count(*) FROM delivery_modes WHERE clean") == 1 && w.Number("SELECT count(*) FROM due") == 0
		})
		w.evolves(ponds)
		w.Settle()
		same(t, "entries of the readers", w.Number("SELECT count(*) FROM entries WHERE owner <> author"), readers*3)
	}
	w.auditFindsNothing()
}

// The demo's second version, as docs/operations.md walks through it: there, looked at, and back.
func TestTheDemosSecondVersionAndBack(t *testing.T) {
	t.Parallel()
	w := start(t, string(demo.Design))
	w.Evolving.Store(true)
	w.yalvo("bring", "../demo/export/mapping.yaml", "--lines", filepath.Join(t.TempDir(), "lines")).says(t, 0, "and 1,790 pairs")
	var talker string // who says something about themselves, and has remarked on something
	if err := w.Pool().QueryRow(t.Context(), `SELECT m.key FROM documents m WHERE m.fields ? 'about' AND EXISTS (
		SELECT FROM documents r WHERE r.parent IS NOT NULL AND r.fields ->> 'author' = m.key) ORDER BY n LIMIT 1`).
		Scan(&talker); err != nil {
		t.Fatal(err)
	}
	before := w.get("members/" + talker)
	w.yalvo("apply", "--yes", "../demo/fenwatch-2.yaml").says(t, 0, "now runs version 2")
	w.Settle()
	after := w.get("members/" + talker)
	same(t, "a field has another name", after.Facts["bio"], before.Facts["about"])
	same(t, "of a time the year is kept", fmt.Sprint(after.Facts["since"]), fmt.Sprint(before.Facts["joined"])[:4])
	remarks := w.Number("SELECT count(*) FROM documents WHERE parent IS NOT NULL AND fields ->> 'author' = $1", talker)
	same(t, "a new count", fmt.Sprint(after.Kept["remarked_count"]), fmt.Sprint(remarks))
	entries := must(w.Timeline(t.Context(), "home", talker, client.Page{Limit: 1}))(t).Entries
	_, carried := entries[0].Facts["species"]
	byline, _ := entries[0].Kept["byline"].(map[string]any)
	_, copied := byline["since"]
	same(t, "one more field is carried, one more value copied", []bool{carried, copied}, []bool{true, true})
	w.given("hides", "h1", map[string]any{"name": "The reed hide"})
	w.Settle()
	w.Evolving.Store(false)
	w.auditFindsNothing()

	w.Evolving.Store(true)
	w.yalvo("back", "--yes", "--drop", "hides").says(t, 0, "now runs version 3")
	w.Settle()
	same(t, "the name it had", w.get("members/" + talker).Facts["about"], before.Facts["about"])
	w.yalvo("misfits").says(t, 0, "members.joined") // what was made of it stays, and is listed
	w.auditFindsNothing()
}
