package versionsql_test

import (
	"context"
	"errors"
	"maps"
	"testing"

	"yalvo/internal/engine/store/storetest"
	"yalvo/tests/scratch"

	"yalvo/demo"
	"yalvo/internal/design"
	"yalvo/internal/design/language"
	"yalvo/internal/design/plan"
	"yalvo/internal/engine/store/versionsql"
)

func TestMain(m *testing.M) { scratch.Main(m) }

func TestANameKeepsItsNumber(t *testing.T) {
	s := storetest.Open(t)
	d, err := language.Read("fenwatch.yaml", demo.Design)
	if err != nil {
		t.Fatal(err)
	}
	numbers := func() map[string]plan.Number {
		t.Helper()
		p, err := versionsql.Plan(s.Looking(t.Context()), d)
		if err != nil {
			t.Fatal(err)
		}
		all, taken := map[string]plan.Number{}, map[plan.Number]bool{}
		for _, c := range p.Collections {
			all["collection "+c.Name] = c.Number
		}
		for _, pair := range p.Pairs {
			all["pair "+pair.Name] = pair.Number
		}
		for name, n := range all {
			if n == 0 || taken[n] {
				t.Errorf("%s has number %d", name, n)
			}
			taken[n] = true
		}
		return all
	}
	first := numbers()
	last := d.Pairs[len(d.Pairs)-1]
	d.Pairs = append(d.Pairs, &design.Pair{Name: "later", From: last.From, To: last.To})
	second := numbers()
	if second["pair later"] == 0 {
		t.Error("a new name got no number")
	}
	delete(second, "pair later")
	if !maps.Equal(first, second) {
		t.Errorf("the numbers were %v and are %v", first, second)
	}
}

// A service that is stopped, or loses its database, while it takes up a design.
func TestADesignThatCannotBeNumberedIsAnError(t *testing.T) {
	s := storetest.Open(t)
	d, err := language.Read("fenwatch.yaml", demo.Design)
	if err != nil {
		t.Fatal(err)
	}
	ctx, cancel := context.WithCancel(t.Context())
	cancel()
	if p, err := versionsql.Plan(s.Looking(ctx), d); p != nil || !errors.Is(err, context.Canceled) {
		t.Errorf("got a plan: %t, %v", p != nil, err)
	}
}
