package tests

import (
	"bytes"
	"encoding/json"
	"errors"
	"flag"
	"fmt"
	"go/ast"
	"go/parser"
	"go/token"
	"io"
	"maps"
	"os"
	"os/exec"
	"path/filepath"
	"regexp"
	"slices"
	"strings"
	"testing"
)

// wings are those of the house, from the top: what lies in one imports what lies in it or further down.
var wings = []string{"command", "machine", "doors", "engine", "design"}

// outside is what the design's wing does without: all it does is worked out from a design alone.
var outside = []string{"net/http", "database/sql", "gorm.io/", "github.com/jackc/", "github.com/labstack/"}

var draw = flag.Bool("draw", false, "draw docs/house.md anew")

// room is a package under internal. What a wing is named for lies in the wing's own folder.
type room struct {
	ImportPath, Dir string
	Imports, Deps   []string
}

func (r *room) wing() string {
	wing, _, _ := strings.Cut(strings.TrimPrefix(r.ImportPath, "yalvo/internal/"), "/")
	return wing
}

func (r *room) name() string { return filepath.Base(r.ImportPath) }

// rooms are all of them, by their import paths.
func rooms(t *testing.T) map[string]*room {
	t.Helper()
	out := must(exec.Command("go", "list", "-json=ImportPath,Dir,Imports,Deps", "yalvo/internal/...").Output())(t)
	all := map[string]*room{}
	for from := json.NewDecoder(bytes.NewReader(out)); ; {
		r := new(room)
		if err := from.Decode(r); errors.Is(err, io.EOF) {
			return all
		} else if err != nil {
			t.Fatal(err)
		}
		all[r.ImportPath] = r
	}
}

// lines counts those of a room, and of its tests.
func (r *room) lines(t *testing.T) (code, tests int) {
	t.Helper()
	for _, file := range must(filepath.Glob(filepath.Join(r.Dir, "*.go")))(t) {
		many := bytes.Count(must(os.ReadFile(file))(t), []byte("\n"))
		if strings.HasSuffix(file, "_test.go") {
			tests += many
		} else {
			code += many
		}
	}
	return code, tests
}

// Imports go one way between wings, and the design's wing knows neither a database nor HTTP. The page that
// shows the house shows it as it is: `go test ./tests -run TestTheHouse -draw` draws it anew.
func TestTheHouseHasWings(t *testing.T) {
	t.Parallel()
	all := rooms(t)
	told := string(must(os.ReadFile("../docs/architecture.md"))(t))
	for _, r := range all {
		if !strings.Contains(told, "\n| `"+r.name()+"` | ") {
			t.Errorf("docs/architecture.md does not say what %s is for", r.name())
		}
		at := slices.Index(wings, r.wing())
		if at < 0 {
			t.Errorf("%s lies in no wing", r.ImportPath)
		}
		for _, path := range r.Imports {
			if other := all[path]; other != nil && slices.Index(wings, other.wing()) < at {
				t.Errorf("%s imports %s: from %s up to %s", r.ImportPath, path, r.wing(), other.wing())
			}
		}
		for _, path := range r.Deps {
			if r.wing() == "design" && slices.ContainsFunc(outside, func(o string) bool { return strings.HasPrefix(path+"/", o) }) {
				t.Errorf("%s is built on %s: what a design means is worked out from the design alone", r.ImportPath, path)
			}
		}
	}
	const page = "../docs/house.md"
	if *draw {
		if err := os.WriteFile(page, []byte(housePage(t, all, true)), 0o644); err != nil {
			t.Fatal(err)
		}
	}
	var imports []string // lines change daily, and are as of the last drawing
	for line := range strings.Lines(string(must(os.ReadFile(page))(t))) {
		if !strings.HasPrefix(line, "Functions: ") {
			imports = append(imports, withoutNumbers(line))
		}
	}
	same(t, "docs/house.md", strings.Join(imports, ""), housePage(t, all, false))
}

// speaks is SQL that is handed to the database.
var speaks = regexp.MustCompile(`\b(Upkeep|Looking)?DB\b|\.(Raw|Exec|QueryContext|ExecContext)\("|\bConnPool\b`)

// SQL is in the rooms of the store and nowhere else in what serves an app.
func TestSQLIsInTheStoreAlone(t *testing.T) {
	t.Parallel()
	inStore := 0
	for _, r := range rooms(t) {
		for _, name := range must(filepath.Glob(filepath.Join(r.Dir, "*.go")))(t) {
			found := speaks.FindString(string(must(os.ReadFile(name))(t)))
			switch {
			case strings.HasSuffix(name, "_test.go") || found == "":
			case strings.HasPrefix(r.ImportPath, "yalvo/internal/engine/store"):
				inStore++
			case r.name() != "postgres": // which starts a server and makes a database in it
				t.Errorf("%s speaks SQL: %s", name, found)
			}
		}
	}
	if inStore < 20 {
		t.Errorf("%d files of the store speak SQL: this test does not see it", inStore)
	}
}

// withoutNumbers is a line of a table without the cells that count.
func withoutNumbers(line string) string {
	cells := strings.Split(line, " | ")
	return strings.Join(slices.DeleteFunc(cells, func(cell string) bool {
		return strings.Trim(cell, "0123456789,") == ""
	}), " | ")
}

// housePage is the page: a picture of the wings, and for each wing its rooms with what they import.
func housePage(t *testing.T, all map[string]*room, counted bool) string {
	t.Helper()
	var b strings.Builder
	b.WriteString("# The house\n\nDrawn by `go test ./tests -run TestTheHouse -draw` from what imports what. " +
		"What the rooms are for is in [architecture.md](architecture.md).\n\n```mermaid\nflowchart TD\n")
	between := map[[2]string]int{}
	for _, r := range all {
		for _, path := range r.Imports {
			if other := all[path]; other != nil && other.wing() != r.wing() {
				between[[2]string{r.wing(), other.wing()}]++
			}
		}
	}
	for _, from := range wings {
		for _, to := range wings {
			if n := between[[2]string{from, to}]; n > 0 {
				fmt.Fprintf(&b, "  %s -- %d --> %s\n", from, n, to)
			}
		}
	}
	b.WriteString("```\n")
	if counted {
		fmt.Fprintf(&b, "Functions: %s\n", lengths(t, all))
	}
	for _, wing := range wings {
		fmt.Fprintf(&b, "\n## %s\n\n", wing)
		b.WriteString(row(counted, "room", "lines", "of tests", "imports") + row(counted, "---", "--:", "--:", "---"))
		for _, path := range slices.Sorted(maps.Keys(all)) {
			r := all[path]
			if r.wing() != wing {
				continue
			}
			var names []string
			for _, path := range r.Imports {
				if other := all[path]; other != nil {
					names = append(names, other.name())
				}
			}
			slices.Sort(names)
			code, tests := r.lines(t)
			b.WriteString(row(counted, "`"+r.name()+"`", fmt.Sprint(code), fmt.Sprint(tests), strings.Join(names, ", ")))
		}
	}
	return b.String()
}

// lengths says how many functions there are without those of tests, and how long they are.
func lengths(t *testing.T, all map[string]*room) string {
	t.Helper()
	var each []int
	files := token.NewFileSet()
	for _, r := range all {
		for _, name := range must(filepath.Glob(filepath.Join(r.Dir, "*.go")))(t) {
			if strings.HasSuffix(name, "_test.go") {
				continue
			}
			for _, d := range must(parser.ParseFile(files, name, nil, parser.SkipObjectResolution))(t).Decls {
				if f, is := d.(*ast.FuncDecl); is {
					each = append(each, files.Position(f.End()).Line-files.Position(f.Pos()).Line+1)
				}
			}
		}
	}
	slices.Sort(each)
	return fmt.Sprintf("%d, half of them of at most %d lines, nine in ten of at most %d, the longest of %d.", len(each),
		each[len(each)/2], each[len(each)*9/10], each[len(each)-1])
}

// row is one of a table. Without what is counted, its heading counts neither.
func row(counted bool, room, code, tests, imports string) string {
	cells := []string{room, code, tests, imports}
	if !counted && strings.Trim(code, "0123456789") == "" {
		cells = []string{room, imports}
	}
	return "| " + strings.Join(cells, " | ") + " |\n"
}
