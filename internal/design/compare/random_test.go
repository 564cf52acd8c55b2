package compare_test

import (
	"fmt"
	"maps"
	"math/rand/v2"
	"reflect"
	"strings"
	"testing"
	"time"

	"yalvo/internal/design/compare"
)

// fate is what becomes of a field from one version to the next.
type fate int

const (
	stays fate = iota
	renamed
	retyped   // an integer becomes a text
	converted // and by an expression
	dropped
	added // with a default
	fates
)

// imagined are two versions of a design whose documents have some fields, and what each
// field of the first becomes.
func imagined(rng *rand.Rand) (from, to string, all []fate) {
	first, second := "", ""
	for i := range 1 + rng.IntN(8) {
		f := fate(rng.IntN(int(fates)))
		all = append(all, f)
		if f != added {
			first += fmt.Sprintf("      f%d: {type: integer}\n", i)
		}
		switch f {
		case stays:
			second += fmt.Sprintf("      f%d: {type: integer}\n", i)
		case renamed:
			second += fmt.Sprintf("      g%d: {type: integer, was: f%d}\n", i, i)
		case retyped:
			second += fmt.Sprintf("      f%d: {type: string}\n", i)
		case converted:
			second += fmt.Sprintf("      g%d: {type: string, was: f%d, convert: \"string(doc.f%d + 1)\"}\n", i, i, i)
		case added:
			second += fmt.Sprintf("      f%d: {type: integer, default: %d}\n", i, i)
		}
	}
	frame := "yalvo: 1\napp: pond\ncollections:\n  birds:\n    fields:\n      name: {type: string}\n"
	return frame + first, frame + second, all
}

// expected is what facts become, and what they are when the first version is in force
// again.
func expected(all []fate, facts map[string]any) (is, back map[string]any) {
	is, back = maps.Clone(facts), maps.Clone(facts)
	for i, f := range all {
		old, other := fmt.Sprint("f", i), fmt.Sprint("g", i)
		n, has := facts[old].(int64)
		switch f {
		case renamed:
			if delete(is, old); has {
				is[other] = n
			}
		case retyped:
			if has {
				is[old] = fmt.Sprint(n)
			}
		case converted:
			if delete(is, old); has {
				is[other], back[old] = fmt.Sprint(n+1), n+1 // a conversion is not undone
			}
		case dropped:
			delete(is, old)
			delete(back, old)
		case added:
			is[old] = int64(i)
		}
	}
	return is, back
}

// Whatever becomes of fields, facts follow, there and back.
func TestFactsFollowWhateverBecomesOfFields(t *testing.T) {
	seed := uint64(time.Now().UnixNano())
	t.Log("seed", seed)
	rng := rand.New(rand.NewPCG(seed, 0))
	same := func(what string, got, want map[string]any, designs ...string) {
		t.Helper()
		if !reflect.DeepEqual(got, want) {
			t.Fatalf("%s: got %#v, want %#v\n%s", what, got, want, strings.Join(designs, "\n"))
		}
	}
	for range 300 {
		first, second, all := imagined(rng)
		there, err := compare.Designs(read(t, first), read(t, second))
		if err != nil {
			t.Fatalf("%v\n%s\n%s", err, first, second)
		}
		again := read(t, first)
		compare.Back(again, [][]compare.Difference{there.Differences})
		back, err := compare.Designs(there.To, again)
		if err != nil {
			t.Fatal(err)
		}
		facts := map[string]any{"name": "Ada"}
		for i, f := range all {
			if f != added && rng.IntN(4) > 0 {
				facts[fmt.Sprint("f", i)] = rng.Int64N(100) - 50
			}
		}
		wanted, backAgain := expected(all, facts)
		is := through(t, there, facts, all)
		same("there", is, wanted, first, second)
		same("back", through(t, back, is, all), backAgain, second, first)
	}
}

// through are facts in the new form. The one mistake there may be is a conversion of
// what is absent.
func through(t *testing.T, c *compare.Comparison, facts map[string]any, all []fate) map[string]any {
	t.Helper()
	r := c.Rewrites["birds"]
	if r == nil {
		return facts
	}
	got, mistakes := r.Facts(facts, time.Time{})
	for _, m := range mistakes {
		if m.Code != compare.MistakeConversion {
			t.Fatalf("%v: %+v of %v", all, m, facts)
		}
	}
	return got
}
