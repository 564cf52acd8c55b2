package models_test

import (
	"flag"
	"os"
	"path/filepath"
	"strings"
	"testing"

	"yalvo/demo"
	"yalvo/internal/design/language"
	"yalvo/internal/design/models"
)

var write = flag.Bool("write", false, "write the files that the types are compared with")

func TestTheTypesOfFenwatch(t *testing.T) {
	d, err := language.Read("fenwatch.yaml", demo.Design)
	if err != nil {
		t.Fatal(err)
	}
	for _, in := range models.Languages {
		got, err := models.Write(models.Of(d), in)
		if err != nil {
			t.Fatal(err)
		}
		path := filepath.Join("testdata", "fenwatch."+in)
		if *write {
			if err := os.WriteFile(path, []byte(got), 0o644); err != nil {
				t.Fatal(err)
			}
		}
		want, err := os.ReadFile(path)
		if err != nil {
			t.Fatal(err)
		}
		if got != string(want) {
			t.Errorf("%s differs: look at it, then run `go test ./internal/design/models -write`", path)
		}
	}
	if _, err := models.Write(models.Of(d), "cobol"); err == nil ||
		!strings.Contains(err.Error(), "dart, kotlin, swift, typescript") {
		t.Errorf("got %v", err)
	}
}

// Names of a design that mean something to a language, or differ in what its names leave out.
func TestNamesThatCollide(t *testing.T) {
	d, err := language.Read("odd.yaml", []byte(`yalvo: 1
app: odd
collections:
  a_b:
    fields: {class: {type: string, required: true}, x_y: {type: integer}, x__y: {type: number},
        kind: {type: string, one_of: [a, b]}, at: {type: timestamp},
      in: {type: object, fields: {default: {type: boolean}}}, many: {type: list, of: {type: object,
          fields: {n: {type: integer, required: true}}}, max: 3}}
  a__b: {fields: {name: {type: string}}}
  none: {fields: {}}
`))
	if err != nil {
		t.Fatal(err)
	}
	for in, wants := range map[string][]string{
		"typescript": {`kind?: "a" | "b" | (string & {})`, "class: string", "export interface AB2Facts",
			"many?: ABManyItem[]"},
		"swift": {"public var `class`: String", "public var `in`: ABIn?", "struct AB2Facts", "case xY = \"x_y\"",
			"case x__y = \"x__y\""},
		"kotlin": {"val `class`: String", "@SerialName(\"x_y\") val xY: Long? = null", "val x__y: Double? = null",
			"class NoneFacts("},
		"dart": {"final String class_;", "'class': class_", "final ABIn? in_;", "at!.toUtc().toIso8601String()"},
	} {
		got, err := models.Write(models.Of(d), in)
		if err != nil {
			t.Fatal(err)
		}
		for _, want := range wants {
			if !strings.Contains(got, want) {
				t.Errorf("%s: %s is not in\n%s", in, want, got)
			}
		}
	}
}
