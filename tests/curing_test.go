package tests

import (
	"fmt"
	"slices"
	"strings"
	"testing"

	"yalvo/internal/design/findings"
	"yalvo/internal/design/language"
)

// reeds has each finding whose cure is mechanical.
const reeds = `yalvo: 1
app: reeds
accounts: people
collections:
  people:
    fields:
      handle: {type: string, required: true, unique: true}
      name: {type: string, max: 60, required: true}
      since: {type: timestamp, default: now, fixed: true}
    kept:
      fans: {count: follow.to}
      pages: {count: posts.author}
  posts:
    fields:
      text: {type: string}
      tags: {type: list, of: {type: string, max: 20}, max: 1000}
      author: {type: reference, to: people, required: true, default: me, fixed: true, inverse: posts, when_gone: remove}
      answers: {type: reference, to: posts, inverse: answered, when_gone: leave}
    kept:
      byline: {copy: author, fields: [handle, name]}
      joined: {copy: author, fields: [since]}
      unseen: {copy: answers, fields: [text]}
pairs:
  follow: {from: people, to: people, from_calls: following, to_calls: followers}
timelines:
  home: {owner: people, entries: posts, by: author, through: follow, own: true, length: 5000}
lists:
  page: {entries: posts, of: author}
screens:
  home: {timeline: home, shows: [text, tags, byline, joined, answers]}
  person: {of: people, parts: {who: {document: of, shows: [handle, name, fans]}, page: {list: page,
    shows: [text, tags, joined]}}}
workload:
  accounts: 3
  documents: {posts: 6}
  present: {people.name: 0.6}
`

// The cure of a finding changes no answer of any screen, whatever is stored that does not fit what it narrows; and it
// makes the finding go.
func TestACureChangesNoAnswerOfAnyScreen(t *testing.T) {
	t.Parallel()
	w := start(t, reeds)
	people := []string{"ada", "Ben", "cy"}
	for _, id := range people {
		w.given("people", id, map[string]any{"handle": id, "name": "The one called " + id})
	}
	w.follow("ada", "Ben")
	w.follow("cy", "Ben")
	w.follow("cy", "ada")
	for i, author := range []string{"ada", "Ben", "Ben", "cy", "ada", "Ben"} {
		post := map[string]any{"author": author, "text": strings.Repeat("reed ", 10+500*i),
			"tags": slices.Repeat([]any{"reed"}, 1+9*i)}
		if i > 2 {
			post["answers"] = fmt.Sprint("p", i-3)
		}
		w.given("posts", fmt.Sprint("p", i), post)
	}
	answers := func() (all []string) {
		w.Settle()
		for _, id := range people {
			for _, path := range []string{"/screens/home", "/screens/person/" + id} {
				status, body := w.answer(id, "GET", path, "")
				if status != 200 {
					t.Fatalf("%s of %s: %d %s", path, id, status, body)
				}
				all = append(all, body)
			}
		}
		return all
	}
	before := answers()
	source, cured := reeds, map[string]bool{}
	for {
		d, err := language.Read("reeds.yaml", []byte(source))
		if err != nil {
			t.Fatal(err)
		}
		all := findings.Of(d)
		i := slices.IndexFunc(all, func(f findings.Finding) bool { return f.Edit != nil })
		if i < 0 {
			break
		}
		f := all[i]
		if cured[f.Code+" "+f.Place] {
			t.Fatalf("%s at %s is there again", f.Code, f.Place)
		}
		cured[f.Code+" "+f.Place] = true
		after, err := language.Amend([]byte(source), f.Edit.Path, f.Edit.Key, f.Edit.Value)
		if err != nil {
			t.Fatal(err)
		}
		source = string(after)
		w.evolves(source)
		same(t, "the screens after the cure of "+f.Code+" at "+f.Place, answers(), before)
	}
	var codes []string
	for name := range cured {
		code, _, _ := strings.Cut(name, " ")
		codes = append(codes, code)
	}
	slices.Sort(codes)
	same(t, "what was cured", slices.Compact(codes), []string{"could-be-frozen", "endless-text",
		"growing-list", "left-dangling",
		"never-scrolled", "required-but-lacking", "unique-but-capitals", "unshown-copy", "unshown-count"})
	w.auditFindsNothing()
}
