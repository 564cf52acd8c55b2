package language_test

import (
	"strings"
	"testing"

	"yalvo/internal/design"
	"yalvo/internal/design/language"
)

func TestProblemsWithListsAreToldWithTheirPlace(t *testing.T) {
	for _, c := range []struct{ list, want string }{
		{"order: created", `:21:7: missing-key: list "l" needs the key "entries"`},
		{"entries: postes", `:21:16: unknown-name: there is no collection "postes"; did you mean "posts"?`},
		{"entries: posts, sort: text", `list "l" has no key "sort"`},
		{"entries: posts, of: text", "is no reference but of type string"},
		{"entries: posts, of: parent", `contradiction: "posts" lies under nothing`},
		{"entries: posts, of: auhtor", `has no field "auhtor"; did you mean "author"?`},
		{"entries: people, through: follow",
			"does not say for which end it is asked; write `of: from` for what a document calls following"},
		{"entries: posts, through: follow",
			`pair "follow" joins "people" and "people", and the entries of list "l" are of "posts"`},
		{"entries: people, through: follow, of: here", `of cannot be "here"`},
		{"entries: posts, order: txt", `has nothing called "txt" to order by; did you mean "text"?`},
		{"entries: posts, order: author", `"author" has no order`},
		{"entries: posts, order: byline", `"byline" has no order`},
		{"entries: posts, order: text down",
			"greatest first, or a value and `up`, not \"text down\"; write `order: text`"},
		{"entries: posts, order: paired", "goes through no pair"},
		{"entries: posts, order: [text, text up]", `"text" stands here twice`},
		{"entries: posts, order: [text, created, updated]", "ordered by 2 values at most, these are 3"},
		{"entries: posts, top: author", "is asked for no document"},
		{"entries: posts, of: author, top: name", "is no reference"},
		{"entries: posts, starts: author", "starts needs a string"},
		{"entries: posts, starts: text, words: [text]", "not for both; make two lists of it"},
		{"entries: posts, words: text", "must be a list of names"},
		{"entries: posts, unless: {paired: follow}",
			`not from the caller (people) to "posts"; name the reference of the entry`},
		{"entries: posts, unless: {paired: fan, with: author}", `there is no pair "fan"`},
		{"entries: posts, unless: {with: author}", `unless needs the key "paired"`},
		{"entries: posts, where: 'doc.txt == 1'", "undefined field 'txt'"},
		{"entries: posts, where: 'n > 1'", "undeclared reference to 'n'"},
		{"entries: posts, where: true", "where is always true and decides nothing"},
		{"entries: posts, params: {limit: {type: integer}}", `"limit" means something else already`},
		{"entries: posts, params: {of: {type: string}}", `"of" means something else already`},
		{"entries: posts, params: {who: {type: reference, to: people}}", `parameter "who" cannot be of type reference`},
		{"entries: posts, params: {n: {type: integer, unique: true}}", "stored nowhere"},
	} {
		problems := problemsIn(t, base+"lists:\n  l: {"+c.list+"}\n")
		if len(problems) != 1 || !strings.Contains(problems.Error(), c.want) {
			t.Errorf("%s\n got %v\nwant %s", c.list, problems, c.want)
		}
	}
	problems := problemsIn(t, base+"lists:\n  home: {entries: posts}\n")
	if !strings.Contains(problems.Error(), `there is a timeline "home" already`) {
		t.Errorf("got %v", problems)
	}
}

// A field whose type is mistaken is told once, not again by all that names it.
func TestAMistakenTypeIsToldOnce(t *testing.T) {
	source := strings.Replace(base, "text: {type: string", "text: {type: strnig", 1)
	for _, names := range []string{
		"lists:\n  l: {entries: posts, order: text}\n",
		"lists:\n  l: {entries: posts, order: [created, text up]}\n",
		"lists:\n  l: {entries: posts, starts: text}\n",
		"lists:\n  l: {entries: posts, words: [text]}\n",
		"lists:\n  l: {entries: posts, of: text}\n",
		"lists:\n  l: {entries: posts, where: 'doc.text == \"a\"'}\n",
		"access:\n  collections:\n    posts: {read: 'doc.text != \"a\"'}\n",
		"  other: {owner: people, entries: posts, by: author, through: follow, carry: [text], order: text}\n",
		"  other: {owner: people, entries: posts, by: author, through: follow, where: 'doc.text != \"a\"'}\n",
	} {
		problems := problemsIn(t, source+names)
		if len(problems) != 1 || !strings.Contains(problems.Error(), `"strnig"`) {
			t.Errorf("%s: %v", names, problems)
		}
	}
}

// Lists may stand before what they are about, and use the named rules of access.
func TestListsAreReadWhereverTheyStand(t *testing.T) {
	lists := `lists:
  named:   {entries: people, params: {least: {type: integer, default: 2}},
      where: "doc.fans >= least && loud(doc)", order: [fans, name up]}
  of_kind: {entries: posts, params: {what: {type: string}}, where: "doc.text == what && doc.created < now"}
  short:   {entries: posts, params: {what: {type: string}},
      where: "what == doc.kind && doc.shown == true && doc.size == 3"}
  fans_of: {entries: people, through: follow, of: to}
  by:      {entries: posts, of: author, order: text up}
  all:     {entries: posts, unless: {paired: follow, either_way: true, with: author}}
access: {rules: {loud(who): "who.name != ''"}, lists: {fans_of: {read: "of == me"}}}
`
	at := strings.Index(base, "accounts:")
	d, err := language.Read("pond.yaml", []byte(strings.Replace(
		base[:at]+lists+base[at:],
		"text: {type: string, max: 100}",
		"text: {type: string, max: 100}\n      kind: {type: string, one_of: [a, b]}\n      shown: {type: "+
			"boolean}\n      size: {type: integer}",
		1,
	)))
	if err != nil {
		t.Fatal(err)
	}
	for name, want := range map[string]design.Serving{
		"named":   {Index: "fans", Reads: "entries with the same fans, put in order; what the condition leaves out"},
		"of_kind": {Index: "created", Reads: "what the condition leaves out"},
		"short":   {Index: "kind, shown, created"},
		"fans_of": {Index: "the pairs, by when they were made"},
		"by":      {Index: "author, text up"},
		"all":     {Index: "created"},
	} {
		if got := d.List(name).Serving(); got != want {
			t.Errorf("%s: got %+v, want %+v", name, got, want)
		}
	}
	if l := d.List("fans_of"); l.Owner() != d.Collection("people") ||
		l.Access.Of(design.OpRead).Name != "fans_of.read" {
		t.Errorf("got %+v", l)
	}
}

func TestAListThatNoIndexServesIsNamed(t *testing.T) {
	d, err := language.Read("pond.yaml", []byte(base+`lists:
  fans_by_name: {entries: people, through: follow, of: to, order: name up}
`))
	if err != nil {
		t.Fatal(err)
	}
	if got := d.Lists[0].Serving(); !got.None || got.Reads != "all people of one of people, put in order" {
		t.Errorf("got %+v", got)
	}
}
