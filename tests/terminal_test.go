package tests

import (
	"encoding/json"
	"fmt"
	"regexp"
	"strings"
	"testing"
	"unicode/utf8"

	"yalvo/demo"
)

// wetland is a small Fenwatch with everything in it.
func wetland(t *testing.T) world {
	w := start(t, "")
	size := demo.Size{Members: 40, Follows: 200, Sightings: 60, Remarks: 30, Likes: 60, Verdicts: 30, Saves: 30, Blocks: 5, MostFollowers: 20}
	if _, err := demo.Load(t.Context(), w.Client, demo.Make(size, 1), 1, func(float64) {}); err != nil {
		t.Fatal(err)
	}
	w.Settle()
	return w
}

// What documents hold cannot steer a terminal, nor turn its text around.
func TestTextIsPrintedWithWhatWouldSteerATerminalMadeVisible(t *testing.T) {
	t.Parallel()
	w := start(t, wild)
	const name = "A\u001b[2Jd\u202ea\u009b1m\u2066!"
	if _, _, err := w.Create(t.Context(), "people", "ada", map[string]any{"name": name}); err != nil {
		t.Fatal(err)
	}
	for _, args := range [][]string{{"show", "people/ada"}, {"list", "people"}, {"--json", "show", "people/ada"}} {
		said := w.yalvo(args...)
		said.says(t, 0, `A\u001b[2Jd\u202ea\u009b1m\u2066!`)
		if strings.ContainsAny(said.out, "\u001b\u202e\u009b\u2066") {
			t.Errorf("%v prints it as it is: %q", args, said.out)
		}
	}
	var doc struct{ Facts map[string]any }
	if err := json.Unmarshal([]byte(w.yalvo("--json", "show", "people/ada").out), &doc); err != nil || doc.Facts["name"] != name {
		t.Errorf("in JSON it is read as %q (%v)", doc.Facts["name"], err)
	}
	w.yalvo("show", "people/\u001b[2J").says(t, 1, "the path must be UTF-8 without control characters")
}

// Tables and sentences fit the terminal they are printed on.
func TestWhatIsPrintedFitsTheTerminal(t *testing.T) {
	w := wetland(t)
	commands := [][]string{{"status"}, {"changes"}, {"list", "members"}, {"list", "sightings/s00001/remarks"}, {"show", "sightings/s00001"},
		{"timeline", "home", demo.BestKnown()}, {"why", "home", demo.BestKnown(), "s00002"}, {"why", demo.BestKnown(), "follower_count"},
		{"places", demo.BestKnown()}, {"parked"}, {"audit"}, {"audit", "list"}, {"remove", demo.BestKnown(), "--dry-run"}}
	for _, width := range []int{60, 80, 200} {
		t.Setenv("COLUMNS", fmt.Sprint(width))
		for _, args := range commands {
			said := w.yalvo(args...)
			said.says(t, 0)
			for _, line := range strings.Split(said.out, "\n") {
				if n := utf8.RuneCountInString(line); n > width && strings.Contains(line, " ") { // a cursor is one word
					t.Errorf("%v on %d columns: a line has %d: %s", args, width, n, line)
				}
				if strings.HasSuffix(line, " ") {
					t.Errorf("%v: a line ends with blanks: %q", args, line)
				}
			}
		}
	}
}

// Every example of --help can be typed as it stands on the demo.
func TestTheExamplesOfHelpWorkOnTheDemo(t *testing.T) {
	w := wetland(t)
	t.Chdir("..")
	elsewhere := regexp.MustCompile(`[|>]|yalvo up|replay|--live|\b7\b|\b17\b`) // pipes, services of their own, numbers of what has happened
	tried := 0
	for _, command := range []string{"check", "diff", "apply", "design", "versions", "back", "misfits", "version", "list", "show", "add", "edit", "pair", "unpair", "timeline", "status",
		"changes", "parked", "why", "places", "trace", "audit", "remove", "forget"} {
		_, help, _ := strings.Cut(w.yalvo(command, "--help").out, "Example:")
		for _, line := range strings.Split(help, "\n") {
			line = strings.TrimSpace(line)
			if !strings.HasPrefix(line, "yalvo "+command) && !strings.HasPrefix(line, "yalvo --") || elsewhere.MatchString(line) {
				continue
			}
			line, _, _ = strings.Cut(line, "  ") // what is said about it
			tried++
			if said := w.yalvo(words(line)[1:]...); said.code != 0 {
				t.Errorf("%s: %d %s%s", line, said.code, said.out, said.err)
			}
		}
	}
	if tried < 20 {
		t.Errorf("%d examples were tried", tried)
	}
}

// words splits a command line as a shell does, as far as the examples need it.
func words(line string) []string {
	var all []string
	for i, part := range strings.Split(line, "'") {
		if i%2 == 1 {
			all[len(all)-1] += part
			continue
		}
		fields := strings.Fields(part)
		if i > 0 && len(fields) > 0 && !strings.HasPrefix(part, " ") {
			all[len(all)-1] += fields[0]
			fields = fields[1:]
		}
		all = append(all, fields...)
	}
	return all
}

// With --json every command answers in JSON, names in lower case, what was asked
// for under names that stay.
func TestEveryCommandAnswersInJSON(t *testing.T) {
	t.Parallel()
	w := wetland(t)
	lower := regexp.MustCompile(`^[a-z][a-z0-9_]*$`)
	var names func(v any, where string)
	names = func(v any, where string) {
		switch v := v.(type) {
		case map[string]any:
			for name, member := range v {
				if !lower.MatchString(name) {
					t.Errorf("%s has a member %q", where, name)
				}
				names(member, where+"."+name)
			}
		case []any:
			for _, item := range v {
				names(item, where)
			}
		}
	}
	bad := designFile(t, "yalvo: 2\n")
	design := designFile(t, string(demo.Design))
	for _, c := range []struct {
		args []string
		has  string // members that must be there
		code int
	}{
		{[]string{"check", design}, "app rules", 0}, {[]string{"check", bad}, "problems", 1}, {[]string{"apply", design}, "version changed rules", 0},
		{[]string{"design"}, "app version source", 0}, {[]string{"list", "members"}, "documents next", 0}, {[]string{"show", "members/keeper"}, "id path version created updated facts kept", 0},
		{[]string{"add", "members", "--id", "ada", "handle=ada_fen", "name=Ada"}, "document position", 0}, {[]string{"edit", "ada", "name=Eda"}, "document position", 0},
		{[]string{"pair", "follow", "members/ada", "keeper"}, "pair from to position", 0}, {[]string{"unpair", "follow", "ada", "members/keeper"}, "pair from to position", 0},
		{[]string{"timeline", "home", "members/keeper"}, "entries next", 0}, {[]string{"status"}, "settled lag_ms due parked lanes documents pairs entries counted", 0},
		{[]string{"changes"}, "", 0}, {[]string{"parked"}, "", 0}, {[]string{"parked", "--retry"}, "retried", 0},
		{[]string{"why", "home", "keeper", "s00001"}, "timeline owner entry there because reasons", 0}, {[]string{"why", "keeper", "follower_count"}, "document name kind from stored many sources due", 0},
		{[]string{"places", "ada"}, "", 0}, {[]string{"trace", "1"}, "change settled took_ms follows", 0}, {[]string{"audit"}, "audit drift", 0},
		{[]string{"audit", "list"}, "audits every_seconds", 0}, {[]string{"audit", "show", "1"}, "audit drift", 0}, {[]string{"audit", "every", "0"}, "every_seconds", 0},
		{[]string{"remove", "ada", "--dry-run"}, "document documents pairs places more", 0}, {[]string{"remove", "ada"}, "document position", 0},
		{[]string{"forget", "keeper"}, "id document change places finished removed answers events journal left started", 0},
	} {
		said := w.yalvo(append([]string{"--json"}, c.args...)...)
		if said.code != c.code {
			t.Errorf("%v: %d %s", c.args, said.code, said.err)
		}
		var got any
		if err := json.Unmarshal([]byte(said.out), &got); err != nil {
			t.Errorf("%v: %v: %s", c.args, err, said.out)
			continue
		}
		object, _ := got.(map[string]any)
		for _, name := range strings.Fields(c.has) {
			if _, there := object[name]; !there {
				t.Errorf("%v has no %q: %.300s", c.args, name, said.out)
			}
		}
		names(got, strings.Join(c.args, " "))
	}
}

func TestTheCommandHelpsWhoMistypes(t *testing.T) {
	t.Parallel()
	w := start(t, ponds)
	w.person("ada")
	w.yalvo("staus").says(t, 2, `there is no command "staus", did you mean "status"?`)
	w.yalvo("list", "people", "--limit", "many").says(t, 2, `invalid value "many"`, "it takes a number")
	w.yalvo("show", "people").says(t, 2, "people is no document but leads to several: see `yalvo list people`")
	w.yalvo("list", "people/ada").says(t, 2, "people/ada is a document and leads to one alone: see `yalvo show people/ada`")
	w.yalvo("show", "ada").says(t, 0, "people/ada")
	w.yalvo("pair", "follow", "posts/p1", "ada").says(t, 2, `"posts/p1" is no document of people`)
	w.yalvo("remove", "ada", "--dry-run").says(t, 0, "Nothing hangs on people/ada")
	w.yalvo("show", "ada").says(t, 0)
}
