package designs

import (
	"bytes"
	"slices"
	"strings"
	"testing"

	"yalvo/internal/design/beginnings"
)

// A name that cannot be is asked for again; an empty answer is the usual one, and so is all that is not answered.
func TestQuestionsAreAskedUntilTheyAreAnswered(t *testing.T) {
	var out bytes.Buffer
	w := beginnings.Wanted{App: "reedbed"}
	if err := ask(strings.NewReader("Birders\nbirders\n\nyes\nno\nY\n"), &out, &w); err != nil {
		t.Fatal(err)
	}
	if w.App != "reedbed" || w.People != "birders" || w.Posts != "posts" || !slices.Equal(w.With,
		[]string{"follows", "comments"}) {
		t.Errorf("wanted: %+v", w)
	}
	for _, says := range []string{`the name of people is "Birders"`, "What do they post? [posts]",
		"Shall it have people follow one another? [no]"} {
		if !strings.Contains(out.String(), says) {
			t.Errorf("it does not say %q but\n%s", says, out.String())
		}
	}
	if strings.Contains(out.String(), "What is the app called") {
		t.Error("it asks what it was told")
	}
	w = beginnings.Wanted{People: "posts"}
	if err := ask(strings.NewReader(""), &out, &w); err == nil {
		t.Errorf("two of one name: %+v", w)
	}
}
