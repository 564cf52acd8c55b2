package words_test

import (
	"strings"
	"testing"

	"yalvo/demo"
	"yalvo/internal/design/language"
	"yalvo/internal/design/words"
)

// Every relation is told from both its ends, and what hangs on what with what becomes of it.
func TestADesignIsToldFromBothEnds(t *testing.T) {
	d, err := language.Read("demo.yaml", demo.Design)
	if err != nil {
		t.Fatal(err)
	}
	told := map[string]string{}
	for _, p := range words.Of(d) {
		told[p.Kind+" "+p.About] = strings.Join(p.Sentences, " ")
	}
	for about, says := range map[string][]string{
		"collection members": {"A member is somebody who uses the app", "A member has handle (like no other)",
			"A sighting is the pinned of any number of members, called pinned_by.",
			"when that goes, the member stays and points nowhere"},
		"collection sightings": {"A sighting has one author, a member, for good; when that goes, the sighting goes " +
			"too.", "A member is the author of any number of sightings",
			"the newest 2 of the remarks under it, each with text and byline",
			"a copy of handle, name and portrait of its author, which changes as they do"},
		"collection remarks": {"A sighting has any number of remarks; a remark lies under one sighting and goes " +
			"with it."},
		"pair like": {"By like a member is paired with any number of sightings, which it calls liked.",
			"A sighting is so paired with any number of members, which it calls likers.",
			"Everybody may read such a pair."},
		"pair verdict": {"Each pair has value of its own."},
		"timeline home": {"A member sees the sightings of their following, and their own, newest first, 800 " +
			"at most.", "A sighting is seen by the followers of its author.",
			"if either has such a pair with the other"},
		"list page":      {"The sightings of one member, which is their author", "The pinned one stands on top."},
		"list handles":   {"Those whose handle begins with what is asked for."},
		"screen profile": {"For one member, by handle it shows that member and 12 of the list page."},
	} {
		for _, s := range says {
			if !strings.Contains(told[about], s) {
				t.Errorf("of %s is not said %q, but\n%s", about, s, told[about])
			}
		}
	}
}

// Whatever a design has is told: other ends of references and pairs, kept values of each kind, triggers.
func TestEverythingOfADesignIsTold(t *testing.T) {
	d, err := language.Read("all.yaml", []byte(`
yalvo: 1
app: all
collections:
  people: {fields: {name: {type: string}}, kept: {last: {gather: notes.by, how_many: 3}, least: {min: notes.by, of: size}, known: {count: know.to, where: "pair.well"}}}
  notes:
    fields: {size: {type: integer, required: true}, by: {type: reference, to: people, when_gone: refuse}, of: {type: reference, to: notes, when_gone: leave}}
    kept: {was: {copy: by, fields: [name], frozen: true}}
pairs:
  know: {from: people, to: people, from_calls: knows, to_calls: known_by, self: true, dissolves: [mute], fields: {well: {type: boolean}}}
  mute: {from: people, to: people, from_calls: muting, to_calls: muted_by}
triggers:
  tell: {on: {created: notes}, when: "doc.size > 3", do: [{edit: {size: "3"}}, {send: "https://push.pond.example/"}]}
  greet: {on: {set: know}, do: [{pair: mute, from: "to", to: "from"}]}
`))
	if err != nil {
		t.Fatal(err)
	}
	var all []string
	for _, p := range words.Of(d) {
		all = append(all, p.Sentences...)
	}
	text := strings.Join(all, "\n")
	for _, says := range []string{"that cannot go as long as the note is there", "pointing at what is not there",
		"as they were when it was first set", "which are the newest 3 of the notes whose by it is", "the least of size",
		"of those for which `pair.well`", "A person may be paired with itself.",
		"To pair two so ends mute between them, either way.",
		"When a note is created and `doc.size > 3`, fields of it are edited and something is sent to " +
			"https://push.pond.example/.",
		"When a know is set, two are paired by mute."} {
		if !strings.Contains(text, says) {
			t.Errorf("not said: %q in\n%s", says, text)
		}
	}
}
