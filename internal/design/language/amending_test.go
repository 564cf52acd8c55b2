package language_test

import (
	"strings"
	"testing"

	"yalvo/internal/design/language"
)

const written = `yalvo: 1          # a design
app: fen
collections:
  people:
    fields:
      name: {type: string, max: 60}   # "of" whoever
      note:
        type: string  # long
        # and free
      mark: {type: string, pattern: "^[{,}#]+$", max: 9}
    kept: {fans: {count: follow.to}, both: {count: follow.from}}
pairs: {follow: {from: people, to: people, from_calls: a, to_calls: b}}
`

// What is amended is one key; all else stays letter for letter.
func TestAFileIsAmended(t *testing.T) {
	for _, c := range []struct{ path, key, value, old, new string }{
		{"collections.people.fields.name", "max", "20", "max: 60}", "max: 20}"},
		{"collections.people.fields.name", "min", "2", "max: 60}", "max: 60, min: 2}"},
		{"collections.people.fields.mark", "max", "8", "max: 9}", "max: 8}"},
		{"collections.people.fields.mark", "pattern", `"^a$"`, `"^[{,}#]+$"`, `"^a$"`},
		{"collections.people.fields.note", "max", "5", "        type: string", "        max: 5\n        type: string"},
		{"collections.people.fields.note", "type", "integer", "type: string  # long", "type: integer  # long"},
		{"collections.people.kept.fans", "", "", "fans: {count: follow.to}, ", ""},
		{"collections.people.kept.both", "", "", ", both: {count: follow.from}", ""},
		{"collections.people.fields.note", "", "", "      note:\n        type: string  # long\n        # and " +
			"free\n", ""},
		{"pairs.follow", "", "", "pairs: {follow: {from: people, to: people, from_calls: a, to_calls: b}}\n", ""},
	} {
		got, err := language.Amend([]byte(written), strings.Split(c.path, "."), c.key, c.value)
		if want := strings.Replace(written, c.old, c.new, 1); err != nil || string(got) != want {
			t.Errorf("%s %s: %v\n got\n%s\nwant\n%s", c.path, c.key, err, got, want)
		}
	}
	if _, err := language.Amend([]byte(written), []string{"collections", "nobody"}, "max", "1"); err == nil {
		t.Error("nothing is there to be amended")
	}
}
