package findings

import (
	"flag"
	"fmt"
	"os"
	"slices"
	"strings"
	"testing"

	"yalvo/demo"
	"yalvo/internal/design/language"
)

// base is a design without findings, in which each case changes something.
const base = `yalvo: 1
app: fen
accounts: people
collections:
  people:
    fields:
      handle: {type: string, required: true, unique: true, pattern: "^[a-z]{3,20}$"}
      name: {type: string, max: 60, required: true}
      mood: {type: string, max: 60}
      born: {type: timestamp, default: now, fixed: true}
      muted: {type: boolean, default: false}
    kept: {fans: {count: follow.to}}
  posts:
    fields:
      text: {type: string, max: 500}
      tags: {type: set, of: {type: string, max: 20}, max: 5}
      seen: {type: timestamp}
      author: {type: reference, to: people, required: true, default: me, fixed: true, inverse: posts, when_gone: remove}
    kept:
      byline: {copy: author, fields: [name]}
      likes: {count: like.to}
  notes:
    under: posts
    fields:
      text: {type: string, max: 500}
      author: {type: reference, to: people, required: true, default: me, fixed: true, inverse: notes, when_gone: remove}
pairs:
  follow: {from: people, to: people, from_calls: following, to_calls: followers}
  like: {from: people, to: posts, from_calls: liked, to_calls: likers}
  block: {from: people, to: people, from_calls: blocking, to_calls: blockers}
timelines:
  home: {owner: people, entries: posts, by: author, through: follow, unless: {paired: block, either_way: true}, length: 400}
lists:
  all: {entries: posts, unless: {paired: block, either_way: true, with: author}}
  page: {entries: posts, of: author}
screens:
  home: {timeline: home, marks: [liked]}
  all: {list: all}
  person: {of: people, parts: {who: {document: of}, page: {list: page, with: [author]}}}
access:
  rules:
    heard: "me != null && !me.muted"
  collections:
    people: {read: true, create: true, edit: "doc == me"}
    posts: {read: true, create: "heard() && new.author == me", edit: "doc.author == me"}
    notes: {read: true, create: "heard() && new.author == me"}
  pairs:
    follow: {read: true, set: "from == me"}
    like: {read: true, set: "heard() && from == me"}
    block: {read: "from == me", set: "from == me"}
  timelines: {home: {read: "owner == me"}}
  lists: {all: {read: true}, page: {read: true}}
workload:
  accounts: 1000
  documents: {posts: 5000, notes: 1000}
  spread:
    follow.to: {mean: 20, most: 900}
    posts.author: {mean: 5, most: 60}
    like.to: {mean: 2, most: 300}
  opened: {home: 5, all: 1, person: 1}
  done: {posts: {create: 0.5, edit: {text: 0.01}}, people: {edit: {name: 0.01, mood: 0.2}}, like: {set: 2}, follow: {set: 0.2}}
  fan_out: 5000
`

func of(t testing.TB, source string) []Finding {
	t.Helper()
	d, err := language.Read("fen.yaml", []byte(source))
	if err != nil {
		t.Fatal(err)
	}
	return Of(d)
}

func codes(all []Finding) string {
	var out []string
	for _, f := range all {
		out = append(out, f.Code+" "+f.Place)
	}
	return strings.Join(out, ", ")
}

func TestADesignWithoutFindings(t *testing.T) {
	if got := codes(of(t, base)); got != "" {
		t.Errorf("found %s", got)
	}
}

// cases are what is found, each by a change of the base that has it and one near to that which has not.
var cases = []struct {
	code, place string
	old         string
	bad, good   string
}{
	{"growing-list", "posts.tags", "tags: {type: set, of: {type: string, max: 20}, max: 5}",
		"tags: {type: list, of: {type: string, max: 20}, max: 1000}", "tags: {type: list, of: {type: string, max: " +
			"20}, max: 50}"},
	{"swallowed-twice", "posts.tags", "tags: {type: set, of: {type: string, max: 20}, max: 5}",
		"tags: {type: set, of: {type: string, max: 300}, max: 5}", "tags: {type: list, of: {type: string, max: " +
			"300}, max: 5}"},
	{"endless-text", "people.mood", "mood: {type: string, max: 60}", "mood: {type: string}",
		"mood: {type: string, one_of: [glad, sad]}"},
	{"unique-but-capitals", "people.handle", `pattern: "^[a-z]{3,20}$"`, `pattern: "^[a-zA-Z]{3,20}$"`,
		`pattern: "^[a-z0-9]{3,20}$"`},
	{"counted-ids", "posts.no", "seen: {type: timestamp}", "no: {type: integer, unique: true}", "no: {type: integer}"},
	{"required-but-lacking", "people.name", "fan_out: 5000", "present: {people.name: 0.4, people.mood: 0.5}\n  fan_out: 5000",
		"present: {people.mood: 0.4}\n  fan_out: 5000"},
	{"left-dangling", "notes.post", "notes:\n    under: posts\n    fields:",
		"notes:\n    under: posts\n    fields:\n      post: {type: reference, to: posts, when_gone: leave}",
		"notes:\n    under: posts\n    fields:\n      post: {type: reference, to: posts, when_gone: clear}"},
	{"nameless-references", "posts.editor", "seen: {type: timestamp}",
		"editor: {type: reference, to: people, when_gone: clear}", "editor: {type: reference, to: people, inverse: " +
			"edited, when_gone: clear}"},
	{"unshown-copy", "notes.byline", "fields:\n      text: {type: string, max: 500}\n      author: {type: " +
		"reference, to: people, required: true, default: me, fixed: true, inverse: notes, when_gone: remove}",
		"fields:\n      text: {type: string, max: 500}\n      author: {type: reference, to: people, required: " +
			"true, default: me, fixed: true, inverse: notes, when_gone: remove}\n    kept: {byline: {copy: " +
			"author, fields: [name]}}", "fields:\n      text: {type: string, max: 500}\n      author: " +
			"{type: reference, to: people, required: true, default: me, fixed: true, inverse: notes, " +
			"when_gone: remove}"},
	{"unshown-count", "people.fans", "who: {document: of}, page: {list: page, with: [author]}",
		"who: {document: of, shows: [name]}, page: {list: page}", "who: {document: of, shows: [name, fans]}, page: " +
			"{list: page}"},
	{"could-be-frozen", "posts.byline", "byline: {copy: author, fields: [name]}",
		"byline: {copy: author, fields: [born]}", "byline: {copy: author, fields: [born, name]}"},
	{"hot-copy", "posts.byline", "byline: {copy: author, fields: [name]}",
		"byline: {copy: author, fields: [name, fans]}", "byline: {copy: author, fields: [name, born]}"},
	{"restless-copy", "posts.byline", "name: 0.01, mood: 0.2}", "name: 3, mood: 0.2}", "name: 0.01, mood: 3}"},
	{"copied-twice", "posts.card", "byline: {copy: author, fields: [name]}",
		"byline: {copy: author, fields: [name]}\n      card: {copy: author, fields: [name, mood]}",
		"byline: {copy: author, fields: [name]}\n      card: {copy: author, fields: [mood]}"},
	{"frozen-person", "posts.byline", "byline: {copy: author, fields: [name]}",
		"byline: {copy: author, fields: [name], frozen: true}", "byline: {copy: author, fields: [name], frozen: " +
			"false}"},
	{"no-index", "page", "page: {entries: posts, of: author}", "page: {entries: posts, of: author, order: likes}",
		"page: {entries: posts, of: author, order: text}"},
	{"clients-clock", "all", "all: {entries: posts,", "all: {entries: posts, order: seen,",
		"all: {entries: posts, order: created,"},
	{"lookup-per-row", "all.all", "all: {list: all}", "all: {list: all, with: [author]}",
		"all: {list: all, shows: [text, byline.name, likes]}"},
	{"never-scrolled", "home", "length: 400", "length: 5000", "length: 1000"},
	{"beyond-fan-out", "home", "fan_out: 5000", "fan_out: 500", "fan_out: 900"},
	{"rule-reads-per-entry", "posts.read", "posts: {read: true,", "posts: {read: \"doc.author == me || " +
		"!doc.author.muted\",", "posts: {read: \"doc.author == me || !paired('block', doc.author, me)\","},
	{"hides-one-way", "all", "all: {entries: posts, unless: {paired: block, either_way: true, with: author}}",
		"all: {entries: posts, unless: {paired: block, with: author}}", "all: {entries: posts}"},
	{"muted-but-heard", "people.muted", `notes: {read: true, create: "heard() && new.author == me"}`,
		`notes: {read: true, create: "me != null && new.author == me"}`, `notes: {read: true, create: "heard()"}`},
	{"exact-but-endless", "people.fans", "accounts: 1000\n  documents: {posts: 5000, notes: 1000}\n  spread:\n    " +
		"follow.to: {mean: 20, most: 900}", "accounts: 1000000\n  documents: {posts: 5000000, notes: 1000}\n  " +
		"spread:\n    follow.to: {mean: 20, most: 500000}", "accounts: 1000000\n  documents: {posts: 5000000, " +
		"notes: 1000}\n  spread:\n    follow.to: {mean: 20, most: 50000}"},
	{"rule-repeated", "posts.edit", `edit: "doc.author == me"}
    notes: {read: true, create: "heard() && new.author == me"}`, `edit: "doc.author == me && !me.muted", remove: "doc.author == me && !me.muted"}
    notes: {read: true, create: "heard() && new.author == me", edit: "doc.author == me && !me.muted"}`, `edit: "doc.author == me && !me.muted", remove: "doc.author == me && !me.muted"}
    notes: {read: true, create: "heard() && new.author == me", edit: "doc.author == me && heard()"}`},
	{"sent-beyond-forgetting", "tell", "timelines:\n  home", "triggers:\n  tell: {on: {created: posts}, do: " +
		"[{send: \"https://fen.example/\"}]}\ntimelines:\n  home", "triggers:\n  tell: {on: {set: follow}, do: " +
		"[{send: \"https://fen.example/\"}]}\ntimelines:\n  home"},
	{"reads-what-it-writes", "mark", "timelines:\n  home", "triggers:\n  mark: {on: {created: posts}, when: " +
		"\"doc.text != ''\", do: [{edit: {text: \"'x'\"}}]}\ntimelines:\n  home",
		"triggers:\n  mark: {on: {created: posts}, when: \"!has(doc.seen)\", do: [{edit: {text: " +
			"\"'x'\"}}]}\ntimelines:\n  home"},
	{"trigger-multiplies", "chain", "timelines:\n  home", "triggers:\n  chain: {on: {set: like}, do: [{pair: " +
		"follow, from: from, to: to.author}]}\ntimelines:\n  home", "triggers:\n  chain: {on: {set: follow}, do: " +
		"[{pair: follow, from: to, to: from}]}\ntimelines:\n  home"},
	{"copy-is-wider", "posts.byline", "people: {read: true, create: true, edit: \"doc == me\"}\n    posts: {read: " +
		"true,", "people: {read: \"doc == me\", create: true, edit: \"doc == me\"}\n    posts: {read: true, " +
		"fields: {byline: {read: true}},", "people: {read: \"doc == me\", create: true, edit: \"doc == me\"}\n " +
		"   posts: {read: true,"},
}

func TestEachFindingAndItsNearMiss(t *testing.T) {
	seen := map[string]bool{}
	for _, c := range cases {
		t.Run(c.code, func(t *testing.T) {
			if strings.Count(base, c.old) != 1 {
				t.Fatalf("%d places in the base are %q", strings.Count(base, c.old), c.old)
			}
			has := func(change string) *Finding {
				all := of(t, strings.Replace(base, c.old, change, 1))
				if i := slices.IndexFunc(all, func(f Finding) bool {
					return f.Code == c.code &&
						f.Place == c.place
				}); i >= 0 {
					return &all[i]
				}
				t.Logf("found %s", codes(all))
				return nil
			}
			f := has(c.bad)
			if f == nil {
				t.Fatalf("%s is not found", c.code)
			}
			if f.Line == 0 || f.Reason == "" || f.Cure == "" || len(f.Ground) != 8 || strings.Contains(f.Reason, "%!") {
				t.Errorf("it says too little: %+v", f)
			}
			if f.Edit != nil {
				cures(t, strings.Replace(base, c.old, c.bad, 1), *f)
			}
			if miss := has(c.good); miss != nil {
				t.Errorf("the near miss has it too: %s", miss.Reason)
			}
		})
		seen[c.code] = true
	}
	if len(seen) < 24 {
		t.Errorf("there are %d kinds", len(seen))
	}
}

// cures sees that a finding is gone when its edit is made, that there is none in its place, and that all else stands as
// it did.
func cures(t *testing.T, source string, f Finding) {
	t.Helper()
	cured, err := language.Amend([]byte(source), f.Edit.Path, f.Edit.Key, f.Edit.Value)
	if err != nil {
		t.Errorf("the edit %+v: %v", *f.Edit, err)
		return
	}
	before, after := codes(of(t, source)), codes(of(t, string(cured)))
	if strings.Contains(after, f.Code+" "+f.Place) || len(after) >= len(before) {
		t.Errorf("found %s before the edit, and %s after it", before, after)
	}
	was, is := strings.Split(source, "\n"), strings.Split(string(cured), "\n")
	differ := 0
	for _, line := range is {
		if !slices.Contains(was, line) {
			differ++
		}
	}
	if differ > 1 || len(was)-len(is) > 2 {
		t.Errorf("more than one line is another:\n%s", cured)
	}
}

var write = flag.Bool("write", false, "write docs/findings.md anew")

// docs/findings.md has each finding with a design that has it and one that has not: made from the cases above.
func TestTheDocsExplainEachFinding(t *testing.T) {
	var b strings.Builder
	b.WriteString("# Findings\n\n`yalvo check FILE` says what will hurt in a design that can be carried out, with " +
		"the numbers of its " +
		"[workload](design-file.md#workload); so does `POST /v1/design/findings`. A finding is *wrong* (something " +
		"will be untrue, or " +
		"told to the wrong people), *costly*, or a *doubt*. Where the cure is mechanical `yalvo check FILE --fix " +
		"CODE` writes it, and " +
		"`--fix CODE:PLACE` one of several; comments stay.\n\nOne that is meant so is accepted in the design, with " +
		"a reason. `ground` stands " +
		"for what it rests on: when that changes (the number has another power of ten, another field is concerned) " +
		"it is found again.\n\n" +
		"```yaml\naccepted:\n  - {finding: no-index, at: liked_this_week, because: \"a week holds a few hundred\", " +
		"ground: \"33ada8f8\"}\n```\n\n" +
		"Made by `go test ./internal/design/findings -write`; the designs are those of its tests.\n")
	for _, c := range cases {
		for _, f := range of(t, strings.Replace(base, c.old, c.bad, 1)) {
			if f.Code == c.code && f.Place == c.place {
				fmt.Fprintf(&b, "\n## %s\n\n*%s.* %s To cure it: %s.\n\n```yaml\n%s\n```\n\nnot found "+
					"in\n\n```yaml\n%s\n```\n", f.Code,
					f.Severity, f.Reason, f.Cure, shownIn(c.bad, c.old, c.good), shownIn(c.good, c.old, c.bad))
			}
		}
	}
	const file = "../../../docs/findings.md"
	if *write {
		if err := os.WriteFile(file, []byte(b.String()), 0o644); err != nil {
			t.Fatal(err)
		}
	}
	is, err := os.ReadFile(file)
	if err != nil {
		t.Fatal(err)
	}
	if string(is) != b.String() {
		t.Error("docs/findings.md is not as the findings are: run `go test ./internal/design/findings -write`, and " +
			"read it")
	}
}

// shownIn are the lines of a change in which it differs from the other.
func shownIn(change, old, other string) string {
	var lines []string
	others := append(strings.Split(other, "\n"), strings.Split(old, "\n")...)
	for _, line := range strings.Split(change, "\n") {
		if !slices.Contains(others, line) || !strings.Contains(change, "\n") {
			lines = append(lines, strings.TrimSpace(line))
		}
	}
	if len(lines) == 0 {
		return "# without it"
	}
	return strings.Join(lines, "\n")
}

// What is accepted is found all the same, and says why; it is open again when it rests on something else.
func TestAFindingIsAcceptedOnItsGround(t *testing.T) {
	long := strings.Replace(base, "length: 400", "length: 2500", 1)
	f := of(t, long)[0]
	accepted := fmt.Sprintf("accepted:\n  - {finding: %s, at: %s, because: people read a year, ground: %q}\n",
		f.Code, f.Place, f.Ground)
	if got := of(t, long+accepted); len(got) != 1 || got[0].Accepted != "people read a year" || len(Open(got)) != 0 {
		t.Errorf("accepted: %+v", got)
	}
	if got := of(t, strings.Replace(base, "length: 400", "length: 10000", 1)+accepted); len(Open(got)) != 1 {
		t.Errorf("four times as long, and accepted still: %+v", got)
	}
	if got := of(t, base+accepted); len(got) != 0 {
		t.Errorf("nothing is there to accept: %+v", got)
	}
}

// The worst come first, and the demo has none that is open.
func TestFindingsOfTheDemo(t *testing.T) {
	d, err := language.Read("fenwatch.yaml", demo.Design)
	if err != nil {
		t.Fatal(err)
	}
	all := Of(d)
	for _, f := range Open(all) {
		t.Errorf("line %d: %s %s: %s", f.Line, f.Code, f.Place, f.Reason)
	}
	if !slices.IsSortedFunc(all, func(a, b Finding) int { return rank(a.Severity) - rank(b.Severity) }) {
		t.Error("not the worst first")
	}
}
