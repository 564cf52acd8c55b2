package expr_test

import (
	"testing"

	"yalvo/internal/design/expr"
)

// Whoever may read a holder may read a source, as far as the form of the two rules shows it.
func TestWhatFollowsFromTheFormOfRules(t *testing.T) {
	t.Parallel()
	person := expr.Shape{Kind: expr.Reference, To: "people",
		Members: map[string]expr.Shape{"muted": {Kind: expr.Boolean},
			"size": {Kind: expr.Integer}}}
	post := expr.Shape{Kind: expr.Reference, To: "posts", Members: map[string]expr.Shape{"open": {Kind: expr.Boolean},
		"shut": {Kind: expr.Boolean}, "author": {Kind: expr.Reference, To: "people"}}}
	scope := expr.Scope{Names: map[string]expr.Shape{"doc": post, "me": person, "parent": post},
		Documents: map[string]expr.Shape{"people": person, "posts": post},
		Pairs:     map[string]expr.PairEnd{"block": {From: "people", To: "people"}}, About: []string{"doc", "me"}}
	apart, err := expr.CompileNamed(expr.Named{Name: "apart", Params: []string{"a", "b"},
		Text: "paired('block', a, b) || paired('block', b, a)"}, nil)
	if err != nil {
		t.Fatal(err)
	}
	scope.Rules = []*expr.Named{apart}
	ofPerson := scope
	ofPerson.Names = map[string]expr.Shape{"doc": person, "me": person}
	compile := func(text string, in expr.Scope) *expr.Rule {
		t.Helper()
		r, err := expr.CompileRule(text, in)
		if err != nil {
			t.Fatal(text, err)
		}
		return r
	}
	for _, c := range []struct {
		holder, source string // rules for a post, and for its author
		proved         bool
	}{
		{"!apart(me, doc.author)", "!paired('block', doc, me)", true},
		{"!paired('block', doc.author, me)", "!apart(me, doc)", false},
		{"!apart(doc.author, me)", "!apart(me, doc)", true},
		{"doc.open && !apart(me, doc.author)", "!paired('block', me, doc)", true},
		{"doc.open || !apart(me, doc.author)", "!paired('block', me, doc)", false},
		{"doc.author == me", "doc == me", true},
		{"me == doc.author", "doc == me || me.muted", true},
		{"doc.author == me || me.muted", "me.muted || doc == me", true},
		{"doc.author == me || me.muted", "doc == me", false},
		{"doc.open", "true", true},
		{"true", "me != null", false},
		{"me != null && doc.open", "me != null", true},
		{"false", "doc == me", true},
		{"doc.author.size > 3", "doc.size > 3", true},
		{"doc.author.size > 4", "doc.size > 3", false}, // true, and nothing that is looked for
		{"doc.author.muted || !doc.author.muted", "true", true},
		{"true", "doc.muted || !doc.muted", false}, // it may be neither
		{"!(doc.shut || apart(me, doc.author))", "!(paired('block', doc, me) || paired('block', me, doc))", true},
	} {
		got := expr.Follows(compile(c.source, ofPerson).Claim(map[string]string{"doc": "holder.author"}),
			compile(c.holder, scope).Claim(map[string]string{"doc": "holder"}))
		if got != c.proved {
			t.Errorf("from %s follows %s: %v, want %v", c.holder, c.source, got, c.proved)
		}
	}
}
