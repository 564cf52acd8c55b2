package access_test

import (
	"errors"
	"fmt"
	"strings"
	"testing"

	"yalvo/internal/design"
	"yalvo/internal/design/access"
	"yalvo/internal/design/language"
)

const showing = `
yalvo: 1
app: showing
accounts: people
collections:
  people:
    fields:
      name: {type: string}
      mail: {type: string, unique: true}
      pay:  {type: integer}
    kept:
      newest:  {latest: posts.by, fields: [text]}
      friends: {gather: friend.from}
      PAID
  posts:
    fields:
      text:  {type: string}
      worth: {type: integer}
      about: {type: reference, to: posts, inverse: echoes, when_gone: clear}
      by:    {type: reference, to: people, required: true, inverse: posts, when_gone: remove}
    kept:
      byline:  {copy: by, fields: [name]}
      card:    {copy: about, fields: [text]}
      replies: {latest: notes, fields: [text, byline]}
  notes:
    under: posts
    fields: {text: {type: string}, by: {type: reference, to: people, inverse: notes, when_gone: WHEN}}
    kept: {byline: {copy: by, fields: [name]}}
    CHECKS
pairs:
  friend: {from: people, to: people, from_calls: friends_of, to_calls: friended}
  block:  {from: people, to: people, from_calls: blocking, to_calls: blockers}
lists:
  payers: {entries: posts, params: {least: {type: integer}}, where: "WHERE"}
access:
  collections:
    people: {read: "!paired('block', doc, me)", fields: {mail: {read: "doc == me"}, pay: {read: "doc == me"}MORE}}
    posts:  {read: "!paired('block', doc.by, me)", fields: {worth: {read: "doc.by == me"}}}
    notes:  {read: "!paired('block', doc.by, me) && !paired('block', me, doc.by)"}
  pairs: {friend: {read: true}}
  lists: {payers: {read: true}}
`

// read reads the design with some of its words replaced.
func read(t *testing.T, words ...string) *design.Design {
	t.Helper()
	words = append(words, "PAID", "", "WHEN", "remove", "CHECKS", "", "WHERE", "doc.worth >= least", "MORE", "")
	d, err := language.Read("showing.yaml", []byte(strings.NewReplacer(words...).Replace(showing)))
	if err != nil {
		t.Fatal(err)
	}
	return d
}

func TestByWhatRightDuplicatesAreShown(t *testing.T) {
	t.Parallel()
	d := read(t, "MORE", ", friends: {read: true}")
	got := map[string]access.Right{}
	for _, s := range access.NewReview(d).Duplicates {
		got[s.Name] = s.Right
	}
	want := map[string]access.Right{"people.newest": access.Proved, "people.friends": access.Told,
		"posts.byline": access.Proved,
		"posts.card":   access.Judged, "posts.replies": access.Judged, "notes.byline": access.Proved}
	if fmt.Sprint(got) != fmt.Sprint(want) {
		t.Errorf("got %v\nwant %v", got, want)
	}
}

func TestWhatADesignTellsIsFound(t *testing.T) {
	t.Parallel()
	for _, c := range []struct {
		words   []string
		says    string // empty: nothing besides the unique value
		refused bool
	}{
		{nil, "", false},
		{[]string{"PAID", "worth: {sum: posts.by, of: worth}"}, "people.worth is made of posts.worth", true},
		{[]string{"PAID", "rich: {count: posts.by, where: \"doc.worth > 5\"}"},
			"people.rich is made of posts.worth", true},
		{[]string{"PAID", "best: {max: posts.by, of: worth}", "MORE", ", best: {read: true}"}, "", false},
		{[]string{"PAID", "best: {max: posts.by, of: worth}", "MORE", ", best: {read: \"doc == me\"}"}, "", false},
		{[]string{"WHEN", "refuse"}, "learns from the refusal that some of notes point at it", false},
		{[]string{"WHERE", "doc.by.pay >= least"}, "can be searched by people.pay", true},
	} {
		d := read(t, c.words...)
		var says []string
		for _, f := range access.NewReview(d).Findings {
			if f.Name != "people.mail" {
				says = append(says, f.Tells)
			}
		}
		all := strings.Join(says, "; ")
		if c.says == "" && all != "" || !strings.Contains(all, c.says) {
			t.Errorf("%v: %q, want %q", c.words, all, c.says)
		}
		err := access.Problems("showing.yaml", d)
		var problems design.Problems
		if errors.As(err, &problems) != c.refused || c.refused && problems[0].Code != design.CodeTells {
			t.Errorf("%v: refused %v", c.words, err)
		}
	}
}
