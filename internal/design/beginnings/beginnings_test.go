package beginnings_test

import (
	"strings"
	"testing"

	"yalvo/internal/design/access"
	"yalvo/internal/design/beginnings"
	"yalvo/internal/design/findings"
	"yalvo/internal/design/language"
)

// Whatever beginnings are taken together, the design can be carried out, and nothing is found of it.
func TestBeginningsGoTogether(t *testing.T) {
	for set := range 1 << len(beginnings.All) {
		var with []string
		for i, b := range beginnings.All {
			if set&(1<<i) != 0 {
				with = append(with, b.Name)
			}
		}
		if len(with) > 2 && len(with) < len(beginnings.All)-1 {
			continue // two that do not go together show by themselves, or beside all others
		}
		t.Run(strings.Join(with, " "), func(t *testing.T) {
			w := beginnings.Wanted{App: "reedbed", People: "birders", Posts: "sightings", With: with}
			if wrong := w.Check(); wrong != "" {
				t.Fatal(wrong)
			}
			source, err := w.Write()
			if err != nil {
				t.Fatal(err)
			}
			d, err := language.Read("reedbed.yaml", source)
			if err == nil {
				err = access.Problems("reedbed.yaml", d)
			}
			if err != nil {
				t.Fatalf("%v\n%s", err, source)
			}
			for _, f := range findings.Open(findings.Of(d)) {
				t.Errorf("%s at %s: %s", f.Code, f.Place, f.Reason)
			}
			if strings.Contains(string(source), "<no value>") || strings.Contains(string(source), "\t") {
				t.Error("the text has gaps")
			}
		})
	}
}

func TestWhatCannotBeWantedIsToldWhy(t *testing.T) {
	good := beginnings.Wanted{App: "reedbed", People: "people", Posts: "posts", With: []string{"feed"}}
	for _, one := range []struct {
		change func(*beginnings.Wanted)
		says   string
	}{
		{func(w *beginnings.Wanted) { w.App = "Reed Bed" }, "the name of the app"},
		{func(w *beginnings.Wanted) { w.People = "" }, "the name of people"},
		{func(w *beginnings.Wanted) { w.Posts = "comments" }, "what something else is called"},
		{func(w *beginnings.Wanted) { w.Posts = "post" }, "a word for several"},
		{func(w *beginnings.Wanted) { w.Posts = "people" }, "both called"},
		{func(w *beginnings.Wanted) { w.With = []string{"feeds"} }, "there is no beginning"},
	} {
		w := good
		if one.change(&w); !strings.Contains(w.Check(), one.says) {
			t.Errorf("%+v: %q does not say %q", w, w.Check(), one.says)
		}
	}
	if wrong := good.Check(); wrong != "" {
		t.Error(wrong)
	}
}
