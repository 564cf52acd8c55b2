package facts

import (
	"fmt"
	"strings"
	"testing"

	"yalvo/internal/design/language"
	"yalvo/internal/design/plan"
	"yalvo/internal/engine/running"
)

func TestARefusalSaysItsMistakesInOneLine(t *testing.T) {
	d, err := language.Read("test.yaml", []byte(`
yalvo: 1
app: pond
accounts: people
collections: {people: {fields: {name: {type: string}}, kept: {fans: {count: follow.to}}}}
pairs: {follow: {from: people, to: people, from_calls: following, to_calls: followers}}
`))
	if err != nil {
		t.Fatal(err)
	}
	p := plan.New(d, func(string, string) plan.Number { return 1 })
	r := running.Invalid(running.Under("/facts", keptMistakes(p.Collection("people"), map[string]any{"fans": 7})))
	if got := fmt.Sprint(r); !strings.HasPrefix(got,
		`the request does not fit the design: /facts/fans: "fans" is kept by Yalvo and cannot be written`) {
		t.Errorf("got %s", got)
	}
}

func TestTheSameFactsOfAnotherAccountAreAnotherCreation(t *testing.T) {
	of := func(account string, facts map[string]any) string {
		sum, err := digest(account, facts)
		if err != nil {
			t.Fatal(err)
		}
		return string(sum)
	}
	heron := of("ada", map[string]any{"text": "a heron", "birds": 2})
	if heron != of("ada", map[string]any{"birds": 2, "text": "a heron"}) {
		t.Error("the order of facts makes a difference")
	}
	for name, other := range map[string]string{
		"another account": of("ben", map[string]any{"text": "a heron", "birds": 2}),
		"nobody":          of("", map[string]any{"text": "a heron", "birds": 2}),
		"other facts":     of("ada", map[string]any{"text": "a heron", "birds": 3}),
	} {
		if heron == other {
			t.Errorf("%s makes no difference", name)
		}
	}
}
