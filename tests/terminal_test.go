package tests

import (
	"bytes"
	"context"
	"encoding/json"
	"errors"
	"fmt"
	"io"
	"os"
	"path/filepath"
	"regexp"
	"strings"
	"testing"
	"unicode/utf8"

	"github.com/santhosh-tekuri/jsonschema/v6"

	"yalvo/demo"
	"yalvo/docs"
	"yalvo/internal/command/cli"
	"yalvo/internal/machine/service"
	"yalvo/tests/harness"
	"yalvo/tests/scratch"
)

// wetland is a small Fenwatch with everything in it, made once for all tests.
func wetland(t *testing.T) world {
	database := scratch.Filled(t, "wetland", func(url string) error {
		pictures, err := scratch.Folder()
		if err != nil {
			return err
		}
		drawn = pictures
		s, err := service.Start(context.Background(), service.Options{Listen: "127.0.0.1:0", Database: url,
			Pictures: pictures, Log: scratch.Log()})
		if err != nil {
			return err
		}
		harness.SignIn(t, s)
		size := demo.Size{Members: 40, Follows: 200, Sightings: 60, Remarks: 30, Likes: 60, Verdicts: 30, Saves: 30, Blocks: 5, MostFollowers: 20}
		c := harness.Client(t, s.Address)
		_, err = demo.Load(context.Background(), c, demo.Make(size, 1), 1, func(float64) {})
		if err == nil {
			err = c.AfterAll().Settle(context.Background())
		}
		return errors.Join(err, s.Stop())
	})
	pictures := t.TempDir()
	if err := os.CopyFS(pictures, os.DirFS(drawn)); err != nil {
		t.Fatal(err)
	}
	return world{harness.StartOn(t, database, "", func(o *service.Options) { o.Pictures = pictures }), t}
}

// drawn is the folder of the wetland's pictures.
var drawn string

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
	for _, width := range []int{60, 200} {
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
	folder := t.TempDir() // examples write files, too
	if err := os.CopyFS(filepath.Join(folder, "demo"), os.DirFS("../demo")); err != nil {
		t.Fatal(err)
	}
	t.Chdir(folder)
	elsewhere := regexp.MustCompile(`[|>]|yalvo up|replay|--live|\b7\b|\b17\b`) // pipes, services of their own, numbers of what has happened
	tried := 0
	for _, command := range []string{"check", "diff", "apply", "design", "versions", "back", "misfits", "drafts", "version", "list", "show", "add", "edit", "pair", "unpair", "timeline", "status",
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

// With --json every command answers in JSON, as docs/commands.schema.json says, names in lower
// case.
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
	fits, commands := commandSchemas(t)
	bad := designFile(t, "yalvo: 2\n")
	design, second := "../demo/fenwatch.yaml", designFile(t, changed(t, string(demo.Design), "max: 200", "max: 300"))
	lines := filepath.Join(t.TempDir(), "lines.ndjson")
	if err := os.WriteFile(lines, []byte(`{"document":"members/eve","facts":{"handle":"eve_fen","name":"Eve"}}`+"\n"+`{"document":"members/x","facts":{}}`+"\n"), 0o600); err != nil {
		t.Fatal(err)
	}
	begun := filepath.Join(t.TempDir(), "begun.yaml")
	for _, c := range []struct {
		command string
		code    int
	}{
		{"new " + begun + " --with feed", 0}, {"check " + design, 0}, {"check " + design + " --words", 0}, {"check " + bad, 1}, {"check ../demo/fenwatch.yaml --access ../demo/access.yaml", 0}, {"apply " + design, 0}, {"diff " + second, 0},
		{"design", 0}, {"versions", 0}, {"versions 1", 0}, {"misfits", 0}, {"drafts cards --keep " + design, 0}, {"drafts", 0}, {"drafts cards", 0}, {"drafts cards --drop", 0}, {"types --for swift", 0}, {"list members", 0}, {"list keeper/followers", 0}, {"show members/keeper", 0},
		{"add members --id ada handle=ada_fen name=Ada", 0}, {"edit ada name=Eda", 0}, {"pair follow members/ada keeper", 0}, {"unpair follow ada members/keeper", 0},
		{"timeline home members/keeper", 0}, {"screen", 0}, {"--as keeper screen home", 0}, {"--as keeper screen around_me", 0}, {"forecast ../demo/fenwatch.yaml", 0}, {"measure", 0}, {"--as keeper screen home", 0}, {"metered", 0}, {"drive --deeds 20 --seed 5", 0}, {"forecast --against", 0}, {"forecast ../demo/fenwatch.yaml --beside running", 0}, {"weigh ../demo/fenwatch.yaml", 0}, {"lists", 0}, {"lists everyone", 0}, {"status", 0}, {"changes", 0}, {"parked", 0}, {"parked --retry", 0},
		{"why home keeper s00001", 0}, {"why keeper follower_count", 0}, {"--as keeper may edit members/keeper", 0}, {"places ada", 0}, {"trace 1", 0},
		{"audit", 0}, {"audit list", 0}, {"audit show 1", 0}, {"audit every 0", 0}, {"remove ada --dry-run", 0}, {"remove ada", 0}, {"forget keeper", 0},
		{"load " + lines, 5}, {"bring ../demo/export/mapping.yaml --dry-run", 0}, {"keys", 0}, {"keys make tester --scope read", 0}, {"link", 0}, {"version", 0},
		{"add members --id ida handle=ida_fen name=Ida", 0}, {"password ida", 0}, {"apply " + second, 0}, {"misfits", 0}, {"back", 0},
	} {
		said := w.yalvo(append([]string{"--json"}, strings.Fields(c.command)...)...)
		if said.code != c.code {
			t.Errorf("%s: %d %s", c.command, said.code, said.err)
		}
		got, err := jsonschema.UnmarshalJSON(strings.NewReader(said.out))
		if err != nil {
			t.Errorf("%s: %v: %s", c.command, err, said.out)
			continue
		}
		words := strings.Fields(strings.TrimPrefix(c.command, "--as keeper "))
		if err := fits(words[0], got); err != nil {
			t.Errorf("%s is not as its schema says: %v: %.500s", c.command, err, said.out)
		}
		delete(commands, words[0])
		names(got, c.command)
	}
	delete(commands, "calibrate") // takes a minute: a story of its own, in `make torture`
	delete(commands, "replay")    // the demo has no trigger that sends
	for name := range commands {
		t.Errorf("yalvo %s was not tried", name)
	}
}

// commandSchemas are the schemas of what commands answer with --json: whether an answer fits,
// and the commands that have one, which are all but those that answer otherwise.
func commandSchemas(t *testing.T) (fits func(command string, answer any) error, commands map[string]bool) {
	t.Helper()
	doc := must(jsonschema.UnmarshalJSON(bytes.NewReader(docs.CommandsSchema)))(t)
	compiler := jsonschema.NewCompiler()
	if err := compiler.AddResource("commands.schema.json", doc); err != nil {
		t.Fatal(err)
	}
	commands = map[string]bool{}
	for name := range doc.(map[string]any)["$defs"].(map[string]any) {
		if command, is := strings.CutPrefix(name, "yalvo "); is {
			commands[command] = true
		}
	}
	var out bytes.Buffer
	cli.Run(t.Context(), []string{"yalvo", "--help"}, &out, io.Discard)
	for _, line := range regexp.MustCompile(`(?m)^     ([a-z]+)  `).FindAllStringSubmatch(out.String(), -1) {
		if name := line[1]; !commands[name] && name != "up" && name != "dump" { // a service, and lines of facts
			t.Errorf("yalvo %s has no schema", name)
		}
	}
	return func(command string, answer any) error {
		schema, err := compiler.Compile("commands.schema.json#/$defs/yalvo%20" + command)
		if err != nil {
			return err
		}
		return schema.Validate(answer)
	}, commands
}

func TestTheCommandHelpsWhoMistypes(t *testing.T) {
	t.Parallel()
	w := start(t, ponds)
	w.person("ada")
	w.yalvo("staus").says(t, 2, `there is no command "staus", did you mean "status"?`)
	w.yalvo("list", "people", "--limt", "3").says(t, 2, "there is no option --limt, did you mean --limit?")
	w.yalvo("list", "peple").says(t, 1, `the design has no collection "peple": did you mean "people"?`)
	w.yalvo("list", "people/ada/fllowing").says(t, 1, `leads to nothing called "fllowing": did you mean "following"?`)
	w.yalvo("pair", "folow", "ada", "ada").says(t, 1, `the design has no pair "folow": did you mean "follow"?`)
	w.yalvo("timeline", "hme", "ada").says(t, 1, `the design has no timeline "hme": did you mean "home"?`)
	w.yalvo("audit", "--of", "people.follower_n").
		says(t, 1, `no duplicate "people.follower_n": did you mean "people.followers_n"?`)
	w.yalvo("list", "people", "--limit", "many").says(t, 2, `invalid value "many"`, "it takes a number")
	w.yalvo("show", "people").says(t, 2, "people is no document but leads to several: see `yalvo list people`")
	w.yalvo("list", "people/ada").says(t, 2, "people/ada is a document and leads to one alone: see `yalvo show people/ada`")
	w.yalvo("show", "ada").says(t, 0, "people/ada")
	w.yalvo("pair", "follow", "posts/p1", "ada").says(t, 2, `"posts/p1" is no document of people`)
	w.yalvo("remove", "ada", "--dry-run").says(t, 0, "Nothing hangs on people/ada")
	for i := range 12 {
		w.post("ada", fmt.Sprint("p", i), "a heron")
	}
	for _, verb := range []string{"remove", "forget"} {
		w.yalvo("--settled", verb, "ada").says(t, 1, "people/ada stays as it is", "hang on it", "--dry-run", "--yes")
	}
	same(t, "her posts", w.Number("SELECT count(*) FROM documents WHERE key ~ '^p'"), 12)
	w.yalvo("show", "ada").says(t, 0)
	w.yalvo("remove", "ada", "--yes").says(t, 0, "removed people/ada")
}
