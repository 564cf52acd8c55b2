package language_test

import (
	"fmt"
	"strings"
	"testing"

	"yalvo/internal/design/language"
)

func TestProblemsWithAccessAreToldWithTheirPlace(t *testing.T) {
	for _, c := range []struct{ access, want string }{
		{"collections: {poeple: {read: true}}",
			`:20:24: unknown-name: there is no collection "poeple"; did you mean "people"?`},
		{"collections: {people: {look: true}}", `unknown-key: access to "people" has no key "look"`},
		{"collections: {people: {read: 3}}", "a rule must be a condition, this is 3; write true for everybody"},
		{"collections: {people: {read: {that: true}}}", `needs the key "otherwise"`},
		{`collections: {people: {read: "doc.nmae == 'x'"}}`,
			"condition: the rule cannot be used: undefined field 'nmae'"},
		{`collections: {people: {read: "new == me"}}`, "undeclared reference to 'new'"},
		{`collections: {people: {create: "doc == me"}}`, "undeclared reference to 'doc'"},
		{`collections: {posts: {read: "doc.author == me.id"}}`, "a document is compared with a document"},
		{`collections: {posts: {read: "paired('fan', me, doc.author)"}}`, `there is no pair "fan"`},
		{`collections: {posts: {read: "mine()"}}`, "undeclared reference to 'mine'"},
		{"collections: {people: {fields: {nmae: {read: true}}}}",
			`"people" has nothing called "nmae"; did you mean "name"?`},
		{"collections: {people: {fields: {fans: {write: true}}}}", `has no key "write"`},
		{"collections: {people: {fields: {name: {read: \"doc == me\"}}}}",
			"posts.byline shows name, which not everybody may read where it stands; leave it out, or say"},
		{"pairs: {follow: {create: true}}", `no key "create"`},
		{"pairs: {fan: {read: true}}", `there is no pair "fan"`},
		{"timelines: {hme: {read: true}}", `there is no timeline "hme"; did you mean "home"?`},
		{`timelines: {home: {read: "doc == me"}}`, "undeclared reference to 'doc'"},
		{`rules: {has: "true"}`, `"has" is a function already`},
		{`rules: {Mine: "true"}`, "cannot be the name of a rule"},
		{`rules: {a: "b()", b: "true"}, collections: {posts: {read: "a()"}}`, "undeclared reference to 'b'"},
		{`rules: {a: "true &&"}`, "Syntax error"},
		{"rules: 3", "must be a mapping from names to rules"},
		{"lists: {hme: {read: true}}", `there is no list "hme"`},
	} {
		problems := problemsIn(t, base+"access: {"+c.access+"}\n")
		if len(problems) != 1 || !strings.Contains(problems.Error(), c.want) {
			t.Errorf("%s\n got %v\nwant %s", c.access, problems, c.want)
		}
	}
}

// Access may stand before what it is about.
func TestAccessIsReadWhereverItStands(t *testing.T) {
	access := `access: {rules: {mine(who): "who == me"}, collections: {posts: {read: "mine(doc.author) && ` +
		`doc.author.fans > 1"}}}
`
	at := strings.Index(base, "accounts:")
	d, err := language.Read("pond.yaml", []byte(base[:at]+access+base[at:]))
	if err != nil {
		t.Fatal(err)
	}
	if rule := d.Collection("posts").Access.Of("read"); rule.Name != "posts.read" || rule.Pos.Line != 3 || !d.Guarded {
		t.Errorf("got %+v", rule)
	}
}

func TestRulesAreBounded(t *testing.T) {
	var named strings.Builder
	for i := range language.MaxNamedRules + 1 {
		fmt.Fprintf(&named, "    r%d: \"true\"\n", i)
	}
	problems := problemsIn(t, base+"access:\n  rules:\n"+named.String())
	if len(problems) != 1 || !strings.Contains(problems.Error(), "50 rules have names already") {
		t.Errorf("got %v", problems)
	}
}
