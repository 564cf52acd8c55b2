package tests

import (
	"context"
	"fmt"
	"math/rand/v2"
	"strings"
	"testing"

	"yalvo/internal/design/access"
	"yalvo/internal/design/language"
	"yalvo/internal/engine/judging"
	"yalvo/internal/engine/running"
	"yalvo/internal/engine/store"
	"yalvo/internal/engine/store/readsql"
	"yalvo/internal/engine/store/rulesql"
	"yalvo/internal/engine/store/versionsql"
)

const filtered = `
yalvo: 1
app: filtered
accounts: people
collections:
  people:
    fields:
      name:  {type: string}
      bold:  {type: boolean}
      boss:  {type: reference, to: people, when_gone: leave}
    kept: {heard: {count: likes.from}}
  posts:
    fields:
      text:  {type: string}
      size:  {type: integer}
      width: {type: number}
      shown: {type: boolean}
      seen:  {type: timestamp}
      by:    {type: reference, to: people, when_gone: leave}
      of:    {type: reference, to: people, when_gone: clear}
    kept: {likes_n: {count: likes.to}}
pairs:
  block: {from: people, to: people, from_calls: blocking, to_calls: blockers}
  likes: {from: people, to: posts, from_calls: liked, to_calls: likers}
access:
  rules:
    apart(a, b): "paired('block', a, b) || paired('block', b, a)"
    bold(who):   "who != null && who.bold"
  collections:
    posts: {read: "RULE"}
`

// ruleMaker makes up rules over posts.
type ruleMaker struct{ *rand.Rand }

func (r ruleMaker) one(of ...string) string { return of[r.IntN(len(of))] }

func (r ruleMaker) rule(depth int) string {
	if depth > 0 {
		switch r.IntN(4) {
		case 0:
			return "(" + r.rule(depth-1) + " && " + r.rule(depth-1) + ")"
		case 1:
			return "(" + r.rule(depth-1) + " || " + r.rule(depth-1) + ")"
		case 2:
			return "!(" + r.rule(depth-1) + ")"
		}
	}
	op, eq := r.one("==", "!=", "<", "<=", ">", ">="), r.one("==", "!=")
	return r.one(
		"doc.text "+op+" "+r.one("'heron'", "'ü🐸'", "''", "me.name", "'Heron'"),
		"doc.size "+op+" "+r.one("0", "3", "-9007199254740991", "9007199254740991", "doc.likes_n"),
		r.one("1", "2")+" "+op+" doc.likes_n",
		"doc.width "+op+" "+r.one("0.1", "3.0", "1e200"),
		"doc.shown", "me.bold", "doc.shown "+eq+" me.bold", "true", "false",
		"has(doc."+r.one("text", "size", "width", "shown", "seen", "by", "of")+")",
		"has(me."+r.one("name", "bold", "boss")+")",
		r.one("doc.by", "doc.of")+" "+eq+" "+r.one("me", "me.boss"), "me "+eq+" "+r.one("null", "doc.by", "me"), "doc "+eq+" doc",
		"doc.by.bold", "doc.by.name "+op+" me.name", "doc.id "+eq+" 'd3'", "doc.version "+op+" 1",
		"doc.seen "+op+" "+r.one("timestamp('2031-01-01T00:00:00Z')", "timestamp('2031-12-31T22:00:00.5Z')", "now"),
		r.one("doc.created", "doc.updated")+" "+op+" "+r.one("now", "now - duration('1h')", "now + duration('1h')"),
		"doc.text "+eq+" me.name", "doc.text.startsWith('h')", "doc.text.size() > 3",
		"paired('block', me, doc.by)", "paired('block', doc.by, me)", "paired('likes', me, doc)",
		"paired('block', me, me.boss)", "paired('block', me, doc.of)", "paired('block', doc.of, me)", "apart(me, doc.of)",
		"paired('block', doc.by, doc.of)", "apart(doc.of, doc.by)",
		"paired('likes', doc.by, doc)", "apart(me, doc.by)", "bold(me)", "bold(doc.by)")
}

// filteredPosts is a store with posts that fit the design, and some that do not.
func filteredPosts(t testing.TB, r ruleMaker) *store.Store {
	t.Helper()
	w := start(t, strings.Replace(filtered, "RULE", "true", 1))
	w.given("people", "ben", map[string]any{"name": "ü🐸", "bold": true})
	w.given("people", "ada", map[string]any{"name": "heron", "bold": false, "boss": "ben"})
	w.given("people", "cleo", map[string]any{"name": "", "boss": "ada"})
	w.given("people", "dora", map[string]any{}) // of whom nothing is known
	w.given("people", "many", map[string]any{}) // who is in more blocks than are read at once
	for i := range 40 {
		facts := map[string]any{}
		for name, values := range map[string][]any{"text": {"heron", "Heron", "ü🐸", "", "hers"},
			"size": {0, 3, -9007199254740991, 9007199254740991, 7}, "width": {0, 0.1, 3, 1e200, -2.5},
			"shown": {true, false},
			"seen":  {"2030-05-06T07:08:09Z", "2032-01-01T00:00:00.5+02:00"},
			"by":    {"ada", "ben", "cleo", "dora", "many"},
			"of":    {"ada", "ben", "cleo", "dora", "many"}} {
			if r.IntN(4) > 0 {
				facts[name] = values[r.IntN(len(values))]
			}
		}
		w.given("posts", fmt.Sprint("d", i), facts)
		if r.IntN(3) == 0 {
			must(w.Set(t.Context(), "likes", r.one("ada", "ben", "dora"), fmt.Sprint("d", i)))(t)
		}
	}
	must(w.Set(t.Context(), "block", "ben", "ada"))(t)
	must(w.Set(t.Context(), "block", "cleo", "dora"))(t)
	w.SQL(`INSERT INTO yalvo.documents (collection, key, fields) SELECT collection, 'x' || g, '{}'
		FROM yalvo.documents, generate_series(1, 150) g WHERE key = 'dora'`)
	w.SQL(`INSERT INTO yalvo.pairs (kind, a, b)
		SELECT p.kind, m.n, x.n FROM yalvo.pairs p, yalvo.documents m, yalvo.documents x
		WHERE p.b = (SELECT n FROM yalvo.documents WHERE key = 'dora') AND m.key = 'many' AND x.key ~ '^x|ben|cleo'
		UNION ALL SELECT p.kind, x.n, m.n FROM yalvo.pairs p, yalvo.documents m, yalvo.documents x
		WHERE p.b = (SELECT n FROM yalvo.documents WHERE key = 'dora') AND m.key = 'many' AND x.key ~ '^x|dora|cleo'`)
	w.Settle()
	w.given("people", "gone", map[string]any{"name": "heron", "bold": true})
	w.SQL(`UPDATE yalvo.documents SET fields = fields || '{"by": "gone"}' WHERE key = 'd1'`)
	if _, _, err := w.Remove(t.Context(), "people/gone"); err != nil {
		t.Fatal(err)
	}
	w.Settle()
	for i, unfit := range []string{`{"size": "3"}`, `{"shown": "true"}`, `{"text": 3}`, `{"size": null}`, `{"width": "0.1"}`,
		`{"size": 3.5}`, `{"by": 7}`, `{"width": 0.1000000000000000055511151231257827}`, `{"shown": 1, "text": true}`,
		`{"of": 7}`} {
		w.SQL(`UPDATE yalvo.documents SET fields = fields || $1::jsonb WHERE key = $2`, unfit, fmt.Sprint("d", 30+i))
	}
	w.SQL(`DELETE FROM yalvo.refs WHERE source = (SELECT n FROM yalvo.documents WHERE key = 'd39')`)
	s := must(store.Open(context.Background(), w.Database, 4))(t)
	t.Cleanup(func() {
		if err := s.Close(); err != nil {
			t.Error(err)
		}
	})
	return s
}

// decided compares what the database leaves out for a rule with what the rule refuses, for
// somebody, and tells how many posts each has kept from them.
func decided(t testing.TB, s *store.Store, rule, me string) (left, through int) {
	t.Helper()
	d, err := language.Read("filtered.yaml", []byte(strings.Replace(filtered, "RULE", rule, 1)))
	if err != nil {
		t.Fatalf("%s: %v", rule, err)
	}
	p := must(versionsql.Plan(s.Looking(t.Context()), d))(t)
	v := &running.Version{Plan: p, Law: access.New(d)}
	j := judging.Of(v, running.Viewer{Me: me, Judged: true}, judging.Within(s.Looking(t.Context())))
	posts := p.Collection("posts")
	all := must(readsql.Documents(t.Context(), s, posts.Number, 0, "", "", rulesql.Filter{}, 100))(t)
	may := must(j.Readable(posts, all))(t)
	shown := map[string]bool{}
	filter, exact, err := j.Filter(posts)
	if err != nil {
		t.Fatal(err)
	}
	for _, doc := range must(readsql.Documents(t.Context(), s, posts.Number, 0, "", "", filter, 100))(t) {
		shown[doc.Key] = true
	}
	for i, doc := range all {
		if may[i] && !shown[doc.Key] {
			t.Errorf("%q may read %s by `%s`, and the database leaves it out: %s %s", me, doc.Key, rule, doc.Fields, doc.Kept)
		}
		if exact && shown[doc.Key] != may[i] {
			t.Errorf("by `%s` the database decides otherwise for %q: %s %s", rule, me, doc.Key, doc.Fields)
		}
		if !shown[doc.Key] {
			left++
		} else if !may[i] {
			through++
		}
	}
	return left, through
}

// What a database leaves out for a rule, the rule refuses: whatever the rule, and whatever is
// stored, what does not fit its field too.
func TestWhatTheDatabaseLeavesOutMayNotBeRead(t *testing.T) {
	t.Parallel()
	r := ruleMaker{rand.New(rand.NewPCG(seeded(t), 1))}
	s := filteredPosts(t, r)
	left, through := 0, 0
	for range *operations / 2 {
		l, some := decided(t, s, r.rule(r.IntN(4)), r.one("ada", "ben", "cleo", "dora", "many", "gone", ""))
		left, through = left+l, through+some
	}
	t.Logf("%d left out by the database, %d by the rules alone", left, through)
	if left < through/2 {
		t.Error("the database leaves out less than a third of what may not be read")
	}
}

// FuzzRule does the same for rules that nobody has thought of.
func FuzzRule(f *testing.F) {
	r := ruleMaker{rand.New(rand.NewPCG(1, 1))}
	for range 60 {
		f.Add(r.rule(r.IntN(3)), uint8(r.IntN(7)))
	}
	s := filteredPosts(f, r)
	f.Fuzz(func(t *testing.T, rule string, who uint8) {
		if strings.ContainsAny(rule, "\"\\\n\r\t") || strings.Contains(rule, "now") { // which the design's own quotes read
			return
		}
		if _, err := language.Read("filtered.yaml", []byte(strings.Replace(filtered, "RULE", rule, 1))); err != nil {
			return // no rule
		}
		decided(t, s, rule, []string{"ada", "ben", "cleo", "dora", "gone", "", "many"}[who%7])
	})
}
