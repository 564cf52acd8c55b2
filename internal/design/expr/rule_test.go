package expr_test

import (
	"errors"
	"slices"
	"strings"
	"testing"

	"yalvo/internal/design/expr"
)

// birders write notes on ponds, which somebody keeps.
func rules(t *testing.T) expr.Scope {
	t.Helper()
	birder := expr.Shape{Kind: expr.Reference, To: "birders", Members: map[string]expr.Shape{
		"id": {Kind: expr.String}, "muted": {Kind: expr.Boolean}, "friend": {Kind: expr.Reference, To: "birders"}}}
	note := expr.Shape{Kind: expr.Reference, To: "notes", Members: map[string]expr.Shape{
		"text": {Kind: expr.String}, "by": {Kind: expr.Reference, To: "birders"},
		"with": {Kind: expr.List, Items: &expr.Shape{Kind: expr.Reference, To: "birders"}}}}
	s := expr.Scope{Names: map[string]expr.Shape{"me": birder, "doc": note},
		Documents: map[string]expr.Shape{"birders": birder, "notes": note},
		Pairs:     map[string]expr.PairEnd{"block": {From: "birders", To: "birders"}}}
	for _, n := range []expr.Named{
		{Name: "active", Text: "me != null && !me.muted", Otherwise: "a muted birder only reads"},
		{Name: "apart", Params: []string{"a", "b"}, Text: "paired('block', a, b) || paired('block', b, a)"},
		{Name: "welcome", Params: []string{"who"}, Text: "active() && !apart(me, who)"},
	} {
		named, err := expr.CompileNamed(n, s.Rules)
		if err != nil {
			t.Fatal(err)
		}
		s.Rules = append(s.Rules, named)
	}
	return s
}

// given are ada, who asks, and a note by ben, whose friend is cleo.
func given(s expr.Scope) map[string]any {
	birder := func(key string, values map[string]any) *expr.Document {
		return &expr.Document{Collection: "birders", Key: key, Shape: s.Documents["birders"], Values: values}
	}
	ben := birder("ben", map[string]any{"muted": false, "friend": "cleo"})
	note := &expr.Document{Collection: "notes", Key: "n1", Shape: s.Documents["notes"],
		Values: map[string]any{"text": "a coot", "by": "ben", "with": []any{"dora", "ada"}},
		Links:  map[string]*expr.Document{"by": ben}}
	return map[string]any{"me": birder("ada", map[string]any{"muted": false}), "doc": note}
}

func blocks(some ...string) expr.Pairs {
	return func(kind string, from, to *expr.Document) bool {
		return kind == "block" && slices.Contains(some, from.Key+" "+to.Key)
	}
}

func TestRulesSeeDocumentsAndPairs(t *testing.T) {
	s := rules(t)
	for text, want := range map[string]bool{
		`doc.by == me`:                                false,
		`doc.by != me`:                                true,
		`doc.by.id == "ben" || true`:                  true,
		`!doc.by.muted`:                               true,
		`has(doc.by.muted) && has(doc.by.friend)`:     true,
		`has(me.friend)`:                              false,
		`doc.by.friend == me`:                         false,
		`me in doc.with`:                              true,
		`doc.with.exists(b, b == doc.by)`:             false,
		`paired("block", doc.by, me)`:                 true,
		`paired("block", me, doc.by)`:                 false,
		`paired("block", doc.by.friend, me)`:          false,
		`apart(me, doc.by)`:                           true,
		`welcome(doc.by)`:                             false,
		`welcome(me)`:                                 true,
		`me != null && me == me && doc.text != "ada"`: true,
		`me.friend == me`:                             false, // it has none
		`!(me.friend == me)`:                          false,
	} {
		r, err := expr.CompileRule(text, s)
		if err != nil {
			t.Errorf("%s: %v", text, err)
			continue
		}
		if got, err := r.Allows(given(s), blocks("ben ada")); got != want || err != nil {
			t.Errorf("%s: got %v, %v", text, got, err)
		}
	}
}

func TestAStrangerIsNobody(t *testing.T) {
	s := rules(t)
	for text, want := range map[string]bool{`me == null`: true, `me != null`: false, `doc.by == me`: false,
		`!me.muted`: false, `active()`: false, `paired("block", me, doc.by)`: false, `!apart(me, doc.by)`: true} {
		r, err := expr.CompileRule(text, s)
		if err != nil {
			t.Fatal(err)
		}
		values := given(s)
		values["me"] = nil
		if got, err := r.Allows(values, blocks("ben ada")); got != want || err != nil {
			t.Errorf("%s: got %v, %v", text, got, err)
		}
	}
}

func TestARuleSaysWhatItNeedsToKnow(t *testing.T) {
	s := rules(t)
	r, err := expr.CompileRule(`doc.by.friend.muted || welcome(doc.by)`, s)
	if err != nil {
		t.Fatal(err)
	}
	var follows, asks []string
	for _, p := range r.Follows {
		follows = append(follows, p.String())
	}
	for _, a := range r.Asks {
		asks = append(asks, a.Kind+" "+a.From.String()+" "+a.To.String())
	}
	slices.Sort(follows)
	slices.Sort(asks)
	if want := []string{"doc", "doc.by", "doc.by.friend", "me"}; !slices.Equal(follows, want) {
		t.Errorf("follows %q, want %q", follows, want)
	}
	if want := []string{"block doc.by me", "block me doc.by"}; !slices.Equal(asks, want) {
		t.Errorf("asks %q, want %q", asks, want)
	}
}

func TestARuleIsExplainedInItsParts(t *testing.T) {
	s := rules(t)
	r, err := expr.CompileRule(`has(doc.text) && welcome(doc.by) && (doc.by == me || !me.muted)`, s)
	if err != nil {
		t.Fatal(err)
	}
	values := given(s)
	values["me"].(*expr.Document).Values["muted"] = true
	part, err := r.Explain(values, blocks("ada ben"))
	if err != nil {
		t.Fatal(err)
	}
	var told []string
	var tell func(p expr.Part, depth int)
	tell = func(p expr.Part, depth int) {
		told = append(told, strings.Repeat("  ", depth)+string(p.Value)+" "+p.Text)
		for _, inner := range p.Parts {
			tell(inner, depth+1)
		}
	}
	tell(part, 0)
	want := []string{
		`false has(doc.text) && welcome(doc.by) && (doc.by == me || !me.muted)`,
		`  true has(doc.text)`,
		`  false welcome(doc.by)`,
		`    false active()`,
		`      true me != null`,
		`      false !me.muted`,
		`        true me.muted`,
		`    false !(apart(me, doc.by))`,
		`      true apart(me, doc.by)`,
		`        true paired('block', me, doc.by)`,
		`        false paired('block', doc.by, me)`,
		`  false doc.by == me || !me.muted`,
		`    false doc.by == me`,
		`    false !me.muted`,
		`      true me.muted`,
	}
	if !slices.Equal(told, want) {
		t.Errorf("got\n%s\nwant\n%s", strings.Join(told, "\n"), strings.Join(want, "\n"))
	}
	if words := part.Refusing(); !slices.Equal(words, []string{"a muted birder only reads"}) {
		t.Errorf("words %q", words)
	}
}

func TestMistakesInRulesAreTold(t *testing.T) {
	s := rules(t)
	for text, want := range map[string]string{
		`doc.by == "ben"`:                         "no matching overload",
		`doc.by.name == "x"`:                      "undefined field 'name'",
		`paired("blok", me, doc.by)`:              `there is no pair "blok"`,
		`paired("block", me, doc)`:                `pair "block" goes from birders to birders`,
		`paired("block", me, "ben")`:              `here is a string`,
		`paired(doc.text, me, doc.by)`:            "needs a kind of pair in quotes",
		`doc.with.all(b, paired("block", b, me))`: "must be a name or a reference",
		`doc.with[0].muted`:                       "only a name and its references can be followed",
		`doc.by.friend.friend.muted`:              "follows 3 references, 2 are allowed",
		`welcome()`:                               "undeclared reference to 'welcome'",
		`doc.text`:                                "must be true or false",
		`birders{id: "x"} == me`:                  "undeclared reference to 'birders'",
	} {
		_, err := expr.CompileRule(text, s)
		var m *expr.Mistake
		if !errors.As(err, &m) || !strings.Contains(m.Message, want) || m.Line < 1 || m.Column < 1 {
			t.Errorf("%s: got %v, want %s", text, err, want)
		}
	}
	for name, text := range map[string]string{"has": "true", "size": "true", "paired": "true", "apart": "true",
		"open": "true &&"} {
		if _, err := expr.CompileNamed(expr.Named{Name: name, Text: text}, s.Rules); err == nil {
			t.Errorf("%s: %s was taken", name, text)
		}
	}
}

// Each of these uses the one before twice.
func TestRulesThatGrowIntoOneAnotherAreBounded(t *testing.T) {
	var all []*expr.Named
	text := "true"
	for i := range 30 {
		name := "r" + string(rune('a'+i%26)) + strings.Repeat("x", i/26)
		named, err := expr.CompileNamed(expr.Named{Name: name, Text: text}, all)
		if err != nil {
			if !strings.Contains(err.Error(), "more than 2000 parts") {
				t.Error(err)
			}
			return
		}
		all = append(all, named)
		text = named.Name + "() && " + named.Name + "()"
	}
	t.Error("thirty doublings were taken")
}
