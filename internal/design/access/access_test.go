package access_test

import (
	"maps"
	"slices"
	"strconv"
	"strings"
	"testing"
	"time"

	"yalvo/internal/design"
	"yalvo/internal/design/access"
	"yalvo/internal/design/expr"
	"yalvo/internal/design/language"
)

const birders = `
yalvo: 1
app: birders
accounts: birders
collections:
  birders:
    fields:
      name:   {type: string}
      muted:  {type: boolean, default: false}
      warden: {type: boolean, default: false}
      mail:   {type: string}
  posts:
    fields:
      text: {type: string}
      by:   {type: reference, to: birders, required: true, default: me, inverse: posts, when_gone: remove}
  notes:
    under: posts
    fields:
      text: {type: string}
      by:   {type: reference, to: birders, required: true, default: me, inverse: notes, when_gone: remove}
pairs:
  block: {from: birders, to: birders, from_calls: blocking, to_calls: blockers}
  like:  {from: birders, to: posts, from_calls: liked, to_calls: likers}
timelines:
  home: {owner: birders, entries: posts, by: by, through: block}
access:
  rules:
    active:      {that: "me != null && !me.muted", otherwise: "a muted birder only reads"}
    apart(a, b): "paired('block', a, b) || paired('block', b, a)"
  collections:
    birders:
      read: "!paired('block', doc, me)"
      edit: "doc == me || me.warden"
      fields:
        muted: {write: {that: "me.warden", otherwise: "only a warden mutes"}}
        mail:  {read: "doc == me"}
    posts:
      read:   "!apart(me, doc.by)"
      create: "active() && new.by == me"
      edit:   "active() && doc.by == me"
      remove: "doc.by == me || me.warden"
    notes:
      read:   "!apart(me, doc.by)"
      create: "active() && new.by == me"
  pairs:
    block: {read: "from == me", set: "from == me", unset: "from == me"}
    like:  {read: true, set: "active() && from == me", unset: "from == me"}
  timelines:
    home: {read: "owner == me"}
`

// pond is a source in memory. It counts how often it is asked.
type pond struct {
	documents map[access.Address]map[string]any
	pairs     []access.Ask
	asked     int
}

func (p *pond) Know(docs []access.Address, pairs []access.Ask) (map[access.Address]map[string]any,
	map[access.Ask]bool, error) {
	p.asked++
	values, there := map[access.Address]map[string]any{}, map[access.Ask]bool{}
	for _, a := range docs {
		if v := p.documents[a]; v != nil {
			values[a] = maps.Clone(v)
		}
	}
	for _, a := range pairs {
		there[a] = slices.Contains(p.pairs, a)
	}
	return values, there, nil
}

// world are ada, ben who has blocked cleo, dora who is muted, and vera, a warden; with a
// post by ben and one by ada, each with a note by ada.
func world(t *testing.T) (*design.Design, *access.Law, *pond) {
	t.Helper()
	d, err := language.Read("birders.yaml", []byte(birders))
	if err != nil {
		t.Fatal(err)
	}
	p := &pond{documents: map[access.Address]map[string]any{},
		pairs: []access.Ask{{Kind: "block", From: "ben", To: "cleo"}}}
	for _, id := range []string{"ada", "ben", "cleo", "dora", "vera"} {
		p.documents[access.Address{Collection: "birders", Key: id}] = map[string]any{"name": id, "muted": id == "dora",
			"warden": id == "vera"}
	}
	for id, by := range map[string]string{"p1": "ben", "p2": "ada"} {
		p.documents[access.Address{Collection: "posts", Key: id}] = map[string]any{"by": by}
		p.documents[access.Address{Collection: "notes", Key: id + "/n1"}] = map[string]any{"by": "ada"}
	}
	return d, access.New(d), p
}

func TestWhoMayDoWhat(t *testing.T) {
	d, law, p := world(t)
	birders, posts, notes := d.Collection("birders"), d.Collection("posts"), d.Collection("notes")
	known := func(c *design.Collection, key string) *expr.Document {
		return law.Document(c, key, p.documents[access.Address{Collection: c.Name, Key: key}])
	}
	by := func(c *design.Collection, key, who string) *expr.Document {
		return law.Document(c, key, map[string]any{"by": who})
	}
	for _, c := range []struct {
		who, what string
		on        []access.Condition
		refused   string // the rule, empty if it is allowed
		hidden    string // what is missing for them
	}{
		{"", "a stranger reads ben", law.Reading(birders, known(birders, "ben")), "", ""},
		{"cleo", "the blocked one reads ben", law.Reading(birders, known(birders, "ben")), "birders.read", "ben"},
		{"ben", "who blocks reads cleo", law.Reading(birders, known(birders, "cleo")), "", ""},
		{"cleo", "the blocked one reads ben's post", law.Reading(posts, known(posts, "p1")), "posts.read", "p1"},
		{"cleo", "and ada's note under it", law.Reading(notes, known(notes, "p1/n1")), "posts.read", "p1"},
		{"cleo", "and ada's note elsewhere", law.Reading(notes, known(notes, "p2/n1")), "", ""},
		{"gone", "whose account is gone reads", law.Reading(posts, known(posts, "p1")), "", ""},
		{"ada", "ada posts", law.Creating(posts, by(posts, "x", "ada"), nil), "", ""},
		{"ada", "ada posts as ben", law.Creating(posts, by(posts, "x", "ben"), nil), "posts.create", ""},
		{"dora", "the muted one posts", law.Creating(posts, by(posts, "x", "dora"), nil), "posts.create", ""},
		{"", "a stranger posts", law.Creating(posts, by(posts, "x", "ada"), nil), "posts.create", ""},
		{"gone", "whose account is gone posts", law.Creating(posts, by(posts, "x", "gone"), nil), "posts.create", ""},
		{"cleo", "the blocked one answers ben",
			law.Creating(notes, by(notes, "p1/x", "cleo"), nil), "posts.read", "p1"},
		{"ada", "ada answers ben", law.Creating(notes, by(notes, "p1/x", "ada"), nil), "", ""},
		{"ada", "ada edits her note, which nobody may",
			law.Editing(notes, known(notes, "p1/n1"), by(notes, "p1/n1", "ada"),
				nil), "notes.edit", ""},
		{"ada", "ada takes ben's post away", law.Removing(posts, known(posts, "p1")), "posts.remove", ""},
		{"vera", "the warden does", law.Removing(posts, known(posts, "p1")), "", ""},
		{"ada", "ada mutes herself",
			law.Editing(birders, known(birders, "ada"), known(birders, "ada"), []string{"muted"}),
			"birders.muted.write", ""},
		{"vera", "the warden mutes ada", law.Editing(birders, known(birders, "ada"), known(birders, "ada"),
			[]string{"muted"}), "", ""},
		{"cleo", "the blocked one likes ben's post",
			law.Setting(d.Pair("like"), known(birders, "cleo"), known(posts, "p1"),
				nil), "posts.read", "p1"},
		{"cleo", "and takes an earlier like back",
			law.Unsetting(d.Pair("like"), known(birders, "cleo"), known(posts, "p1"),
				nil), "", ""},
		{"ada", "ada likes it for ben", law.Setting(d.Pair("like"), known(birders, "ben"), known(posts, "p1"), nil),
			"like.set", ""},
		{"ben", "ben reads ada's timeline",
			law.ReadingTimeline(d.Timeline("home"), known(birders, "ada")), "home.read", ""},
		{"ada", "ada reads ben's mail",
			law.ReadingField(birders, known(birders, "ben"), "mail"), "birders.mail.read", ""},
		{"ada", "and hers", law.ReadingField(birders, known(birders, "ada"), "mail"), "", ""},
	} {
		got, err := law.Evaluator(p, c.who, time.Now()).Judge([][]access.Condition{c.on})
		if err != nil {
			t.Fatal(err)
		}
		refused, hidden := "", ""
		if got[0].Refused != nil {
			refused = got[0].Refused.Name
		}
		if h := got[0].Hidden(); h != nil {
			hidden = h.Key
		}
		if got[0].Allowed != (c.refused == "") || refused != c.refused || hidden != c.hidden {
			t.Errorf("%s: got %+v by %q, hidden %q", c.what, got[0], refused, hidden)
		}
	}
}

func TestThoseWhoAreRefusedAreToldTheRulesOwnWords(t *testing.T) {
	d, law, p := world(t)
	posts, birders := d.Collection("posts"), d.Collection("birders")
	for who, c := range map[string]struct {
		on   []access.Condition
		want []string
	}{
		"dora": {law.Creating(posts, law.Document(posts, "x", map[string]any{"by": "dora"}), nil),
			[]string{"a muted birder only reads"}},
		"ada": {law.Editing(birders, law.Document(birders, "ada", nil), law.Document(birders, "ada", map[string]any{}),
			[]string{"muted"}), []string{"only a warden mutes"}},
		"ben": {law.Creating(posts, law.Document(posts, "x", map[string]any{"by": "ada"}), nil), nil},
	} {
		got, err := law.Evaluator(p, who, time.Now()).Judge([][]access.Condition{c.on})
		if err != nil || !slices.Equal(got[0].Words, c.want) {
			t.Errorf("%s: %q, %v", who, got[0].Words, err)
		}
	}
}

// A page is decided in as many rounds as one document.
func TestWhatManyRulesNeedIsAskedTogether(t *testing.T) {
	d, law, p := world(t)
	notes := d.Collection("notes")
	var page [][]access.Condition
	for i := range 200 {
		key := []string{"p1/n1", "p2/n1"}[i%2]
		page = append(page, law.Reading(notes, law.Document(notes, key, map[string]any{"by": "ada"})))
	}
	verdicts, err := law.Evaluator(p, "cleo", time.Now()).Judge(page)
	if err != nil {
		t.Fatal(err)
	}
	for i, v := range verdicts {
		if v.Allowed != (i%2 == 1) {
			t.Errorf("note %d: %v", i, v)
		}
	}
	if p.asked != 2 { // the posts and who asks, and blocks; then blocks between these and the posts' authors
		t.Errorf("the source was asked %d times", p.asked)
	}
}

func TestATableIsTriedOrSaysWhatIsWrong(t *testing.T) {
	d, _, _ := world(t)
	for text, want := range map[string]string{
		"accounts: [ada]\ncases: [{read: birders/ada, may: [ada]}]":                    "",
		"accounts: [ada]\ncases: [{read: birders/ada, mya: [ada]}]":                    "unknown field \"mya\"",
		"accounts: [ada]\ncases: [{read: birders/ada, may: [ben]}]":                    `case 1 names "ben"`,
		"accounts: [ada]\ncases: [{read: birders/ada, edit: birders/ada, may: [ada]}]": "it must do one thing",
		"accounts: [ada]\ncases: [{read: birders/zoe, may: [ada]}]": "there is no document " +
			"birders/zoe",
		"accounts: [ada]\ncases: [{read: people/ada, may: [ada]}]":                   `no collection "people"`,
		"accounts: [ada]\ncases: [{set: hug, from: ada, to: ada, may: [ada]}]":       `no pair "hug"`,
		"accounts: [ada]\ncases: [{edit: birders/ada, facts: {nme: A}, may: [ada]}]": `there is no field "nme"`,
		"accounts: [ada]\ncases: []":                                                 "needs accounts and cases",
		"cases: [":                                                                   "cannot be read",
	} {
		table, err := access.ReadTable([]byte("documents: {birders/ada: {name: Ada}}\n" + text))
		var tried []access.Expectation
		if err == nil {
			tried, err = table.Tries(d)
		}
		if want == "" && (err != nil || len(tried) != 1 || !tried[0].Met()) {
			t.Errorf("%s: %+v, %v", text, tried, err)
		}
		if want != "" && (err == nil || !strings.Contains(err.Error(), want)) {
			t.Errorf("%s: got %v, want %s", text, err, want)
		}
	}
	table, err := access.ReadTable([]byte("documents: {birders/ada: {name: Ada}}\naccounts: [ada, stranger]\n" +
		"cases: [{edit: birders/ada, facts: {name: A}, may: [stranger]}]"))
	if err != nil {
		t.Fatal(err)
	}
	tried, err := table.Tries(d)
	if err != nil || tried[0].Met() || tried[1].Met() || tried[0].Got != "allowed" || tried[1].Rule != "birders.edit" {
		t.Errorf("got %+v, %v", tried, err)
	}
}

func TestWhatRulesAskTheSameOfEverybody(t *testing.T) {
	for rule, alike := range map[string]bool{
		"true":                              true,
		"!apart(me, doc.by)":                true,
		"doc.by == me || has(doc.text)":     true,
		"me != null":                        true,
		"me.warden":                         false,
		"doc.by == me || !me.muted":         false,
		"doc.created < now":                 false,
		"active() && doc.by == me":          false,
		"doc.by.warden || doc.text == 'up'": true,
	} {
		text := strings.Replace(birders, `"!apart(me, doc.by)"`, strconv.Quote(rule), 1)
		d, err := language.Read("birders.yaml", []byte(text))
		if err != nil {
			t.Fatal(err)
		}
		if got := access.Alike(d.Collection("posts").Access.Of(design.OpRead)); got != alike {
			t.Errorf("%s: got %v", rule, got)
		}
	}
}
