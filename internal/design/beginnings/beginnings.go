// Package beginnings writes the first design of an app: from named beginnings, which go together as they are wanted.
//
// In go names and what the app is to have; out comes the text of a design with comments that teach, rules, screens
// and a workload, of which nothing is found (package findings). Not done here: asking somebody what is wanted.
package beginnings

import (
	"bytes"
	_ "embed"
	"fmt"
	"regexp"
	"slices"
	"strings"
	"text/template"

	"github.com/jinzhu/inflection"

	"yalvo/internal/design"
)

// Beginning is something that an app may have.
type Beginning struct {
	Name  string
	Has   string   // what that is, in words
	Needs []string // other beginnings
}

// All are the beginnings there are.
var All = []Beginning{
	{"follows", "people follow one another", nil},
	{"feed", "a timeline of what those post whom one follows", []string{"follows"}},
	{"comments", "comments under what is posted", nil},
	{"saves", "what is posted can be saved for oneself", nil},
	{"votes", "votes for and against, and a list of the best", nil},
	{"moderation", "wardens hide and mute, people block and report", nil},
	{"groups", "groups that one is invited to, with what is posted in them", nil},
	{"drafts", "drafts that nobody else sees", nil},
	{"notices", "notices with a badge, of who follows and comments", []string{"comments"}},
}

// Wanted is what a design is to be like.
type Wanted struct {
	App    string   // its name
	People string   // what accounts are called, several of them
	Posts  string   // what they post
	With   []string // beginnings, by name
}

// taken are the names that beginnings give to collections of their own, and to what lies beside.
var taken = []string{"comments", "groups", "drafts", "notices", "reports", "home", "newest", "page", "best", "saves",
	"everyone", "profile", "followers", "saved", "follow", "block", "save", "vote", "belong", "invite", "handle",
	"name",
	"about", "text", "author", "group", "me", "score"}

// nameForm is shorter than what a design takes: some names are made longer here.
var nameForm = regexp.MustCompile(`^[a-z][a-z0-9_]{0,29}$`)

//go:embed design.yaml.tmpl
var text string

var form = template.Must(template.New("design").Parse(text))

// Check says what is wrong with what is wanted, for whoever has said so; empty if nothing is.
func (w Wanted) Check() string {
	for _, name := range []struct{ what, is string }{{"the app", w.App}, {"people", w.People}, {"what they post",
		w.Posts}} {
		if !nameForm.MatchString(name.is) {
			return fmt.Sprintf("the name of %s is %q: it must be small letters, digits and _, a letter first, 30 "+
				"at most",
				name.what, design.Clip(name.is))
		}
	}
	for _, name := range []string{w.People, w.Posts} {
		switch one := inflection.Singular(name); {
		case slices.Contains(taken, name) || slices.Contains(taken, one):
			return fmt.Sprintf("%q is what something else is called here: take another word", name)
		case one == name:
			return fmt.Sprintf("%q should be a word for several, such as posts", name)
		}
	}
	if w.People == w.Posts {
		return fmt.Sprintf("people and what they post are both called %q", w.Posts)
	}
	for _, name := range w.With {
		if named(name) == nil {
			return fmt.Sprintf("there is no beginning %q; there are %s", design.Clip(name), strings.Join(names(), ", "))
		}
	}
	return ""
}

func names() (all []string) {
	for _, b := range All {
		all = append(all, b.Name)
	}
	return all
}

func named(name string) *Beginning {
	i := slices.IndexFunc(All, func(b Beginning) bool { return b.Name == name })
	if i < 0 {
		return nil
	}
	return &All[i]
}

// chosen are the beginnings that are wanted, with those that they need.
func (w Wanted) chosen() map[string]bool {
	all := map[string]bool{}
	var choose func(name string)
	choose = func(name string) {
		all[name] = true
		for _, needed := range named(name).Needs {
			choose(needed)
		}
	}
	for _, name := range w.With {
		choose(name)
	}
	return all
}

// Write writes the design that is wanted, which must have been checked.
func (w Wanted) Write() ([]byte, error) {
	has := w.chosen()
	var where []string // what everybody may see of what is posted
	read := "true"
	if has["groups"] {
		where = append(where, "!has(doc.group)")
		read = `"!has(doc.group) || inside(doc.group)"`
	}
	if has["moderation"] {
		where = append(where, "!doc.hidden")
		read = `"!apart(me, doc.author)"`
		if has["groups"] {
			read = `"!apart(me, doc.author) && (!has(doc.group) || inside(doc.group))"`
		}
	}
	var out bytes.Buffer
	err := form.Execute(&out, map[string]any{
		"App": w.App, "People": w.People, "Person": inflection.Singular(w.People),
		"Posts": w.Posts, "Post": inflection.Singular(w.Posts),
		"Follows": has["follows"], "Feed": has["feed"], "Comments": has["comments"], "Saves": has["saves"],
		"Votes": has["votes"], "Moderation": has["moderation"], "Groups": has["groups"], "Drafts": has["drafts"],
		"Notices": has["notices"], "AnyPairs": has["follows"] || has["moderation"] || has["saves"] ||
			has["votes"] || has["groups"],
		"HomeWhere": strings.Join(where, " && "), "PostRead": read})
	return out.Bytes(), err
}
