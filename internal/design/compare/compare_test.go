package compare_test

import (
	"encoding/json"
	"fmt"
	"strings"
	"testing"
	"time"

	"yalvo/internal/design"
	"yalvo/internal/design/compare"
	"yalvo/internal/design/language"
)

// base is the design in force; each case replaces some of its lines.
const base = `yalvo: 1
app: pond
accounts: people
collections:
  people:
    fields:
      name: {type: string, required: true}
      legs: {type: integer, default: 2}
      town: {type: string, max: 40}
    kept:
      fans: {count: follow.to}
  posts:
    fields:
      text: {type: string, max: 100}
      author: {type: reference, to: people, when_gone: remove, inverse: posts}
    kept:
      byline: {copy: author, fields: [name]}
pairs:
  follow: {from: people, to: people, from_calls: following, to_calls: followers}
timelines:
  home: {owner: people, entries: posts, by: author, through: follow, carry: [text, byline]}
triggers:
  greet: {on: {created: people}, do: [{send: "https://fen.example/hi"}]}
`

func read(t *testing.T, source string) *design.Design {
	t.Helper()
	d, err := language.Read("pond.yaml", []byte(source))
	if err != nil {
		t.Fatal(err)
	}
	return d
}

// follow compares the base with what becomes of it, from and to by turns.
func follow(t *testing.T, changes ...string) (*compare.Comparison, error) {
	t.Helper()
	to := base
	for i := 0; i < len(changes); i += 2 {
		if !strings.Contains(to, changes[i]) {
			t.Fatalf("the design has no %q", changes[i])
		}
		to = strings.ReplaceAll(to, changes[i], changes[i+1])
	}
	return compare.Designs(read(t, base), read(t, to))
}

// said is a comparison in one line: what differs with its effects, and the steps.
func said(c *compare.Comparison) string {
	var parts []string
	for _, d := range c.Differences {
		part := fmt.Sprintf("%s %s %s", d.How, d.Kind, d.Name)
		for _, e := range d.Effects {
			part += " +" + string(e)
		}
		parts = append(parts, part)
	}
	var steps []string
	for _, s := range c.Steps {
		step := string(s.Do) + " " + s.Name
		if s.Shows != compare.AsBefore {
			step += " (" + string(s.Shows) + ")"
		}
		steps = append(steps, step)
	}
	return strings.Join(parts, ", ") + ": " + strings.Join(steps, ", ")
}

func TestWhatAChangeDoesToWhatIsStored(t *testing.T) {
	const town, carry = "town: {type: string, max: 40}", "carry: [text, byline]"
	cases := []struct {
		changes []string
		want    string
	}{
		{nil, ": "},
		{[]string{"max: 100", "max: 200"}, "changed field posts.text: documents posts"},
		{[]string{"max: 100", "max: 50"}, "changed field posts.text +check: documents posts"},
		{[]string{"default: 2", "default: 4"}, "changed field people.legs: documents people"},
		{[]string{town, town + "\n      wings: {type: integer, default: 2}"},
			"added field people.wings +fill: documents people"},
		{[]string{town, town + "\n      song: {type: string}"}, "added field people.song: "},
		{[]string{"town: {", "place: {was: town, "}, "renamed field people.place +carry: documents people"},
		{[]string{"\n      " + town, ""}, "dropped field people.town +drop: documents people"},
		{[]string{"legs: {type: integer, default: 2}", "legs: {type: string, convert: \"string(doc.legs)\"}"},
			"changed field people.legs +convert: documents people"},
		{[]string{"name: {type", "called: {was: name, type", "[name]", "[called]"},
			"renamed field people.called +carry, changed kept value posts.byline +rebuild: " +
				"documents people, build posts.byline (partly)"},
		{[]string{"[name]", "[name, town]"}, "changed kept value posts.byline +rebuild: build posts.byline (partly)"},
		{[]string{"fans: {count: follow.to}", "fans: {count: follow.to}\n      heard: {count: posts.author}"},
			"added kept value people.heard +rebuild: build people.heard (hidden)"},
		{[]string{"\n    kept:\n      fans: {count: follow.to}", ""},
			"dropped kept value people.fans +retract: strip people, sweep kept people.fans"},
		{[]string{"count: follow.to", "count: follow.from"},
			"changed kept value people.fans +rebuild: build people.fans (hidden), sweep kept people.fans"},
		{[]string{"follow: {from", "trail: {was: follow, from", "follow.to", "trail.to", "through: follow",
			"through: trail"}, "renamed pair trail: "},
		{[]string{"    kept:\n      byline",
			"    checks: [{that: \"has(doc.text)\", otherwise: \"it needs words\"}]\n" +
				"    kept:\n      byline"}, "added check posts +check: documents posts"},
		{[]string{"    kept:\n      byline",
			"    checks: [{that: \"old.text == doc.text\", otherwise: \"its words stay\"}]\n" +
				"    kept:\n      byline"}, "added check posts: "},
		{[]string{"greet: {on", "hail: {was: greet, on"}, "renamed trigger hail: "},
		{[]string{"example/hi", "example/hello"}, "changed trigger greet: "},
		{[]string{carry, "carry: [byline]"}, "changed timeline home: "},
		{[]string{carry, carry + ", deliver: pull"}, "changed timeline home +retract: unstore home"},
		{[]string{carry, carry + ", deliver: mixed, above: 3"}, "changed timeline home +redeliver: modes home"},
		{[]string{carry, carry + ", deliver: pull, own: true"},
			"changed timeline home +rebuild: build home (refused), sweep timeline home"},
		{[]string{"triggers:", "access: {collections: {posts: {read: true}}}\ntriggers:"},
			"added design access, added rule posts.read: "},
		{[]string{"when_gone: remove", "when_gone: leave"}, "changed field posts.author: documents posts"},
	}
	for _, c := range cases {
		comparison, err := follow(t, c.changes...)
		if err != nil {
			t.Errorf("%q: %v", c.changes, err)
			continue
		}
		if got := said(comparison); got != c.want {
			t.Errorf("%q\n got %s\nwant %s", c.changes, got, c.want)
		}
	}
}

func TestWhatCannotFollow(t *testing.T) {
	for _, c := range []struct{ was, by, says string }{
		{"town: {", "place: {was: name, ", "name"},
		{"legs: {", "legs: {convert: \"doc.wings\", ", "the conversion cannot be used"},
	} {
		_, err := follow(t, c.was, c.by)
		if problems, is := err.(design.Problems); !is || !strings.Contains(problems[0].Message, c.says) ||
			problems[0].Pos.Line == 0 {
			t.Errorf("%s: %v", c.by, err)
		}
	}
}

// Old facts in the new form: what fits is carried, filled and converted; what
// does not stays as it was, and is told.
func TestFactsInTheNewForm(t *testing.T) {
	comparison, err := follow(t, "town: {type: string, max: 40}",
		"place: {was: town, type: string, max: 5}\n      wings: {type: integer, default: 0}",
		"legs: {type: integer, default: 2}", "legs: {type: string, convert: \"string(6 / doc.legs)\"}")
	if err != nil {
		t.Fatal(err)
	}
	for _, c := range []struct{ old, want string }{
		{`{"name":"Ada","legs":2,"town":"Fen"}`, `{"legs":"3","name":"Ada","place":"Fen","wings":0}`},
		{`{"name":"Ada","legs":3}`, `{"legs":"2","name":"Ada","wings":0}`},
		{`{"name":"Ada","legs":2,"town":"Fenwick"}`,
			`{"legs":"3","name":"Ada","place":"Fenwick","wings":0} /place too-large`},
		{`{"name":"Ada","legs":0}`, `{"legs":0,"name":"Ada","wings":0} /legs conversion`},
		{`{"legs":6,"left":"over"}`, `{"left":"over","legs":"1","wings":0} /left unknown-field /name required`},
	} {
		facts, mistakes := comparison.Rewrites["people"].Facts(factsOf(t, c.old), time.Time{})
		got, err := json.Marshal(facts)
		if err != nil {
			t.Fatal(err)
		}
		said := string(got)
		for _, m := range mistakes {
			said += " " + m.Pointer + " " + m.Code
		}
		if said != c.want {
			t.Errorf("%s\n got %s\nwant %s", c.old, said, c.want)
		}
	}
}

// A version that is put in force again goes on with what the later ones call otherwise.
func TestGoingBackFollowsNames(t *testing.T) {
	comparison, err := follow(t, "people:\n    fields", "folk:\n    was: people\n    fields", "to: people", "to: folk",
		"from: people", "from: folk", "owner: people", "owner: folk", "created: people", "created: folk",
		"accounts: people", "accounts: folk", "town: {", "place: {was: town, ", "greet: {", "hail: {was: greet, ",
		"home: {", "start: {was: home, ", "byline: {", "card: {was: byline, ", "[text, byline]", "[text, card]")
	if err != nil {
		t.Fatal(err)
	}
	back := read(t, base)
	compare.Back(back, [][]compare.Difference{comparison.Differences})
	people := back.Collection("people")
	got := []string{people.Was, people.Field("town").Was, people.Field("name").Was, back.Triggers[0].Was,
		back.Timelines[0].Was, back.Collection("posts").KeptValue("byline").Was}
	if fmt.Sprint(got) != "[folk place  hail start card]" {
		t.Errorf("got %q", got)
	}
	again, err := compare.Designs(comparison.To, back)
	if err != nil {
		t.Fatal(err)
	}
	for _, d := range again.Differences {
		if d.How == compare.Added || d.How == compare.Dropped {
			t.Errorf("%s %s %s", d.How, d.Kind, d.Name)
		}
	}
}

func factsOf(t *testing.T, text string) map[string]any {
	t.Helper()
	dec := json.NewDecoder(strings.NewReader(text))
	dec.UseNumber()
	var facts map[string]any
	if err := dec.Decode(&facts); err != nil {
		t.Fatal(err)
	}
	return facts
}
