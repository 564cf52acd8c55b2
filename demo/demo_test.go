package demo_test

import (
	"reflect"
	"slices"
	"testing"

	"yalvo/demo"
	"yalvo/internal/design"
	"yalvo/internal/design/access"
	"yalvo/internal/design/language"
)

func TestTheSameSeedMakesTheSameWorld(t *testing.T) {
	size := demo.Size{Members: 50, Follows: 200, Sightings: 80, Remarks: 20, Likes: 30, MostFollowers: 30}
	if !reflect.DeepEqual(demo.Make(size, 7), demo.Make(size, 7)) {
		t.Error("two worlds of seed 7 differ")
	}
	if reflect.DeepEqual(demo.Make(size, 7), demo.Make(size, 8)) {
		t.Error("seed 7 and 8 make the same world")
	}
}

func TestTheDemoIsAsLargeAndAsUnequalAsPromised(t *testing.T) {
	w := demo.Make(demo.Full, 1)
	if len(w.Members) != 2000 || len(w.Follows) != 60_000 || len(w.Sightings) != 8000 {
		t.Errorf("%d members, %d follows, %d sightings", len(w.Members), len(w.Follows), len(w.Sightings))
	}
	followers, following, seen := map[string]int{}, map[string]int{}, map[[2]string]bool{}
	for _, f := range w.Follows {
		if seen[f] || f[0] == f[1] {
			t.Fatalf("%v follows twice or itself", f)
		}
		seen[f] = true
		following[f[0]]++
		followers[f[1]]++
	}
	if followers[demo.BestKnown()] <= 1500 {
		t.Errorf("the best-known member has %d followers", followers[demo.BestKnown()])
	}
	var all []int
	for _, m := range w.Members {
		all = append(all, followers[m.ID])
	}
	slices.Sort(all)
	if middle := all[len(all)/2]; middle < 3 || middle > 60 {
		t.Errorf("the member in the middle has %d followers: followings should be unequal, and nobody alone", middle)
	}
}

func TestEverythingFitsTheDesign(t *testing.T) {
	d, err := language.Read("fenwatch.yaml", demo.Design)
	if err != nil {
		t.Fatal(err)
	}
	w := demo.Make(demo.Full, 1)
	ids := map[string]bool{}
	for _, m := range w.Members {
		if ids[m.ID] {
			t.Errorf("two members are called %s", m.ID)
		}
		ids[m.ID] = true
	}
	for collection, items := range map[string][]demo.Item{"members": w.Members, "sightings": w.Sightings,
		"remarks": w.Remarks} {
		for _, item := range items {
			fields := map[string]any{}
			for name, v := range item.Fields {
				fields[name] = plain(v)
			}
			if item.As != "" {
				fields["author"] = item.As
			}
			if _, mistakes := design.AcceptAll(d.Collection(collection).Fields, fields); mistakes != nil ||
				design.CheckID(item.ID) != "" {
				t.Fatalf("%s %s: %+v", collection, item.ID, mistakes)
			}
		}
	}
}

// plain turns the generator's Go values into what JSON would make of them.
func plain(v any) any {
	switch v := v.(type) {
	case int:
		return int64(v)
	case []string:
		var items []any
		for _, s := range v {
			items = append(items, s)
		}
		return items
	}
	return v
}

func TestWhoMayDoWhatIsAsTheTableSays(t *testing.T) {
	d, err := language.Read("fenwatch.yaml", demo.Design)
	if err != nil {
		t.Fatal(err)
	}
	table, err := access.ReadTable(demo.Access)
	if err != nil {
		t.Fatal(err)
	}
	tried, err := table.Tries(d)
	if err != nil {
		t.Fatal(err)
	}
	for _, e := range tried {
		if !e.Met() {
			t.Errorf("case %d, %s as %s: %s by %q, want %s", e.Case, e.What, e.Account, e.Got, e.Rule, e.Want)
		}
	}
	if len(tried) < 150 {
		t.Errorf("%d were tried", len(tried))
	}
}
