package design_test

import (
	"slices"
	"strings"
	"testing"

	"yalvo/internal/design"
)

// A pair and a timeline of one name: what changes of the pair was once
// compared with the timeline, and passed.
func TestAPairAndATimelineOfOneNameAreTwoThings(t *testing.T) {
	const file = `
yalvo: 1
app: pond
accounts: people
collections:
  people: {fields: {name: {type: string}}}
  posts: {fields: {author: {type: reference, to: people, required: true, when_gone: remove}}}
pairs: {home: {from: people, to: people, self: false, from_calls: following, to_calls: followers}}
timelines: {home: {owner: people, entries: posts, by: author, through: home}}
`
	was := valid(t, file)
	if differ := design.StoredDifferently(was, valid(t, file)); len(differ) != 0 {
		t.Errorf("the same design differs in %q", differ)
	}
	for what, other := range map[string]string{
		"the pair":     strings.Replace(file, "self: false", "self: true", 1),
		"the timeline": strings.Replace(file, "through: home", "through: home, own: true", 1),
	} {
		if differ := design.StoredDifferently(was, valid(t, other)); !slices.Equal(differ, []string{"home"}) {
			t.Errorf("%s is changed, and what differs is %q", what, differ)
		}
	}
}

func valid(t *testing.T, file string) *design.Design {
	t.Helper()
	d, err := design.Read("pond.yaml", []byte(file))
	if err != nil {
		t.Fatal(err)
	}
	return d
}
