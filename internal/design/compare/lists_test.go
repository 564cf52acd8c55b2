package compare_test

import (
	"fmt"
	"slices"
	"strings"
	"testing"

	"yalvo/internal/design/compare"
)

// lists are added to the base; each case replaces some of their words.
const lists = `lists:
  feed:  {entries: posts, order: [created, text up], where: "doc.text != 'spam'"}
  fans:  {entries: people, order: fans}
  wrote: {entries: posts, of: author}
`

func TestWhatAChangedListAsksFor(t *testing.T) {
	for _, c := range []struct{ old, new, differs, steps string }{
		{"feed:", "news:", "list news added index, list feed dropped", "index news, unindex lists"},
		{"doc.text != 'spam'", "doc.text != 'ham'",
			"list feed changed (where: doc.text != 'spam' → doc.text != 'ham')",
			""},
		{"doc.text != 'spam'", "doc.text == 'ham'",
			"list feed changed (where: doc.text != 'spam' → doc.text == 'ham')", ""},

		{"order: [created, text up]", "order: text", "list feed changed (order: created, text up → text) index",
			"index feed, unindex lists"},
		{"of: author}", "of: author, top: best}", "list wrote changed (top: none → best)", ""},
		{"of: author}", "of: author, unless: {paired: follow, with: author}}",
			"list wrote changed (unless: none → follow with author)", ""},
		{"of: author}", "of: author, params: {n: {type: integer, default: 3, max: 9}}}",
			"list wrote changed (params: none → n (integer, default 3, max 9))", ""},
		{"  wrote: {entries: posts, of: author}\n", "", "list wrote dropped", "unindex lists"},
	} {
		from := strings.Replace(base, "town: {type: string, max: 40}",
			"best: {type: reference, to: posts, when_gone: clear, inverse: best_of}", 1) + lists
		to := strings.Replace(from, c.old, c.new, 1)
		got, err := compare.Designs(read(t, from), read(t, to))
		if err != nil {
			t.Fatal(err)
		}
		var differs, steps []string
		for _, d := range got.Differences {
			s := fmt.Sprintf("%s %s %s", d.Kind, d.Name, d.How)
			if len(d.What) > 0 {
				s += fmt.Sprintf(" (%s)", strings.Join(d.What, ", "))
			}
			for _, e := range d.Effects {
				s += " " + string(e)
			}
			differs = append(differs, s)
		}
		for _, s := range got.Steps {
			steps = append(steps, fmt.Sprintf("%s %s", s.Do, s.Name))
		}
		if got := strings.Join(differs, ", "); got != c.differs {
			t.Errorf("%s\n got %s\nwant %s", c.new, got, c.differs)
		}
		if got := strings.Join(steps, ", "); got != c.steps {
			t.Errorf("%s\n got %s\nwant %s", c.new, got, c.steps)
		}
	}
}

// A list that is read by what is stored otherwise for a while, or derived anew, cannot be
// read until that is done: its index is looked at last.
func TestAListWaitsForWhatItIsReadBy(t *testing.T) {
	from := base + lists
	for change, want := range map[string]string{
		"text: {type: string, max: 100}|text: {type: string, max: 100, default: none}":   "",
		"legs: {type: integer, default: 2}|arms: {type: integer, default: 2, was: legs}": "fans",
		"fans: {count: follow.to}|fans: {count: follow.from}":                            "fans",
	} {
		old, changed, _ := strings.Cut(change, "|")
		got, err := compare.Designs(read(t, from), read(t, strings.Replace(from, old, changed, 1)))
		if err != nil {
			t.Fatal(err)
		}
		var waits []string
		for _, s := range got.Steps {
			if s.Do == compare.Index {
				waits = append(waits, s.Name)
			}
		}
		slices.Sort(waits)
		if strings.Join(waits, " ") != want {
			t.Errorf("%s: %v wait, want %s; steps %v", changed, waits, want, got.Steps)
		}
	}
}
