package language_test

import (
	"fmt"
	"strings"
	"testing"

	"yalvo/internal/design/language"
)

// large is a design with so many collections, each with the given lines.
func large(collections int, lines func(n int) string) string {
	var b strings.Builder
	b.WriteString("yalvo: 1\napp: large\ncollections:\n")
	for i := range collections {
		fmt.Fprintf(&b, "  c%d:\n    fields:\n      text: {type: string}\n%s", i, lines(i))
	}
	return b.String()
}

// Files that would take minutes or gigabytes are told to be too large, in no
// more problems than a person reads.
func TestAFileIsBounded(t *testing.T) {
	none := func(int) string { return "" }
	fields := func(many int) func(int) string {
		return func(n int) string {
			var b strings.Builder
			for i := range many {
				fmt.Fprintf(&b, "      f%d: {type: string}\n", i)
			}
			return b.String()
		}
	}
	// each copies what the one before it copies, twice
	copies := func(n int) string {
		if n == 0 {
			return ""
		}
		shown := "[text]"
		if n > 1 {
			shown = "[text, x, y]"
		}
		return fmt.Sprintf(
			"      up: {type: reference, to: c%d}\n    kept:\n      x: {copy: up, fields: %s}\n      y: {copy: "+
				"up, fields: %s}\n",
			n-1,
			shown,
			shown,
		)
	}
	triggers := func(many int) string {
		var b strings.Builder
		b.WriteString("triggers:\n")
		for i := range many {
			fmt.Fprintf(&b, "  t%d: {on: {created: c%d}, do: [", i, i%12)
			for j := range 12 {
				fmt.Fprintf(&b, "{create: c%d, id: \"'x'\", fields: {}}, ", j)
			}
			b.WriteString("]}\n")
		}
		return b.String()
	}
	for name, c := range map[string]struct{ source, want string }{
		"brackets": {strings.Repeat("[", 40_000),
			":1:65: too-large: this is nested deeper than 64 levels"},
		"braces with keys":    {strings.Repeat("{a: ", 40_000), "too-large: this is nested deeper than 64 levels"},
		"dashes":              {strings.Repeat("- ", 40_000), "too-large: this is nested deeper than 64 levels"},
		"question marks":      {strings.Repeat("? ", 40_000), "too-large: this is nested deeper than 64 levels"},
		"keys on a line":      {strings.Repeat("a: ", 40_000), "too-large: this is nested deeper than 64 levels"},
		"keys of one mapping": {strings.Repeat("a: 1\n", 40_000), "too-large: this mapping has more than 1000 keys"},
		"bytes": {strings.Repeat("# more\n", 40_000),
			"too-large: the file has 280000 bytes, 262144 are allowed"},
		"names": {large(10, fields(250)), "too-large: the design has 2520 names, 2000 are allowed"},
		"triggers": {large(12, none) + triggers(101),
			"too-large: the design has 101 triggers, 100 are allowed"},
		"steps": {large(1, none) + "triggers: {t: {on: {created: c0}, do: [" +
			strings.Repeat("{remove: c0, id: key}, ", 21) + "]}}",
			"too-large: trigger \"t\" has 21 steps, 20 are allowed"},
		"copies of copies": {large(20, copies), "values together, 2000 are allowed"},
		"depth": {large(10, func(n int) string {
			return map[bool]string{true: fmt.Sprintf("    under: c%d\n", n-1)}[n > 0]
		}), "too-large: documents of \"c8\" lie 9 deep, 8 are allowed"},
		"problems": {large(200, func(int) string { return "    undre: c1\n" }),
			"too-large: and 150 more problems from here on"},
		"a byte that is no text": {"yalvo: 1\napp: p\xff", ":2:7: syntax: the byte 0xFF is no UTF-8"},
		"a control character":    {"yalvo: 1\napp: p\x00", ":2:7: syntax: the character U+0000 may not stand in YAML"},
	} {
		t.Run(name, func(t *testing.T) {
			_, err := language.Read("large.yaml", []byte(c.source))
			if err == nil || !strings.Contains(err.Error(), c.want) {
				t.Fatalf("got %.2000v\nwant %s", err, c.want)
			}
			if n := strings.Count(err.Error(), "\n") + 1; n > language.MaxProblems+1 {
				t.Errorf("%d problems are told", n)
			}
		})
	}
	// Eleven triggers that set one another off took longer than anybody waited.
	if _, err := language.Read("large.yaml", []byte(large(12, none)+triggers(100))); err != nil {
		t.Errorf("a hundred triggers that end: %.500v", err)
	}
	if _, err := language.Read("large.yaml", []byte("\uFEFF"+large(9, fields(200)))); err != nil {
		t.Errorf("almost as many names as there may be, behind a byte order mark: %.500v", err)
	}
}

func TestATriggerLoopIsNamedAlongItsShortestWay(t *testing.T) {
	source := large(3, func(int) string { return "" }) + `triggers:
  a: {on: {created: c0}, do: [{create: c1, id: "'x'", fields: {}}]}
  b: {on: {created: c1}, do: [{create: c2, fields: {}}, {create: c1, id: "'x'", fields: {}}]}
  c: {on: {created: c2}, do: [{create: c1, id: "'y'", fields: {}}, {create: c0, id: "'z'", fields: {}}]}
`
	_, err := language.Read("loop.yaml", []byte(source))
	if err == nil || !strings.Contains(err.Error(), `trigger "b" would set itself off for ever: b → c → b`) {
		t.Errorf("got %v", err)
	}
}

// Words without quotes are numbers only where YAML 1.2 has them so.
func TestPlainWordsAreAsYAMLHasThem(t *testing.T) {
	for text, want := range map[string]string{
		"010": "", "0o12": "", "0xA": "", "+10": "", "1e1": "", "10.0": "",
		"1_0": "must be a number", "0b1010": "must be a number", "yes": "must be a number", "0o9": "must be a number",
		"1__0": "must be a number", ".inf": "must be a number", ".nan": "must be a number", "9e999": "must be a number",
		"-1": "cannot be -1", "1.5": "must be a whole number", "0": "cannot be 0",
	} {
		d, err := language.Read("words.yaml",
			[]byte("yalvo: 1\napp: words\ncollections: {c: {fields: {f: {type: string, max: "+text+"}}}}\n"))
		switch {
		case want == "" && err != nil:
			t.Errorf("%s: %v", text, err)
		case want == "" && *d.Collections[0].Fields[0].Max != 10:
			t.Errorf("%s is read as %v", text, *d.Collections[0].Fields[0].Max)
		case want != "" && (err == nil || !strings.Contains(err.Error(), want)):
			t.Errorf("%s: got %v, want %s", text, err, want)
		}
	}
}
