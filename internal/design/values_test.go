package design_test

import (
	"encoding/json"
	"strings"
	"testing"

	"yalvo/internal/design"
	"yalvo/internal/design/language"
)

// base is a small design to add fields and collections to.
const base = `yalvo: 1
app: pond
accounts: people
collections:
  people:
    fields:
      name: {type: string, required: true}
  posts:
    fields:
      text: {type: string, max: 100}
pairs:
  follow: {from: people, to: people, from_calls: following, to_calls: followers}
`

// fieldOf reads one field's declaration, as it would stand in a design file.
func fieldOf(t *testing.T, declaration string) *design.Field {
	t.Helper()
	source := strings.Replace(base, "text: {type: string, max: 100}", "text: {type: string}\n      it: "+declaration, 1)
	d, err := language.Read("pond.yaml", []byte(source))
	if err != nil {
		t.Fatalf("%s: %v", declaration, err)
	}
	return d.Collection("posts").Field("it")
}

// jsonValue decodes JSON as the service does: numbers stay as they were written.
func jsonValue(t *testing.T, text string) any {
	t.Helper()
	dec := json.NewDecoder(strings.NewReader(text))
	dec.UseNumber()
	var v any
	if err := dec.Decode(&v); err != nil {
		t.Fatalf("%s: %v", text, err)
	}
	return v
}

func TestWhichValuesAFieldTakes(t *testing.T) {
	cases := []struct {
		field, value string
		want         string // the stored value as JSON, or pointer and code of each mistake
	}{
		{`{type: string}`, `"a"`, `"a"`},
		{`{type: string}`, `""`, `""`},
		{`{type: string}`, `1`, ` wrong-type`},
		{`{type: string}`, `"a\u0000"`, ` zero-character`},
		{`{type: string, max: 2}`, `"üß"`, `"üß"`},
		{`{type: string, max: 2}`, `"üßa"`, ` too-large`},
		{`{type: string, min: 1}`, `""`, ` too-small`},
		{`{type: string, pattern: "^[a-z]+$"}`, `"abc"`, `"abc"`},
		{`{type: string, pattern: "^[a-z]+$"}`, `"Abc"`, ` pattern`},
		{`{type: string, one_of: [red, green]}`, `"green"`, `"green"`},
		{`{type: string, one_of: [red, green]}`, `"blue"`, ` not-one-of`},
		{`{type: integer}`, `7`, `7`},
		{`{type: integer}`, `7.0`, `7`},
		{`{type: integer}`, `7e2`, `700`},
		{`{type: integer}`, `7.5`, ` wrong-type`},
		{`{type: integer}`, `"7"`, ` wrong-type`},
		{`{type: integer}`, `9007199254740991`, `9007199254740991`},
		{`{type: integer}`, `9007199254740992`, ` too-large`},
		{`{type: integer}`, `-9007199254740992`, ` too-large`},
		{`{type: integer, min: 1, max: 3}`, `0`, ` too-small`},
		{`{type: integer, min: 1, max: 3}`, `4`, ` too-large`},
		{`{type: integer, one_of: [1, 2]}`, `2`, `2`},
		{`{type: integer, one_of: [1, 2]}`, `3`, ` not-one-of`},
		{`{type: number}`, `-0.25`, `-0.25`},
		{`{type: number}`, `1e400`, ` too-large`},
		{`{type: number}`, `true`, ` wrong-type`},
		{`{type: boolean}`, `false`, `false`},
		{`{type: boolean}`, `0`, ` wrong-type`},
		{`{type: timestamp}`, `"2031-04-05T06:07:08Z"`, `"2031-04-05T06:07:08.000000Z"`},
		{`{type: timestamp}`, `"2031-04-05T06:07:08.1234567-03:30"`, `"2031-04-05T09:37:08.123456Z"`},
		{`{type: timestamp}`, `"2031-04-05"`, ` wrong-type`},
		{`{type: timestamp}`, `1933`, ` wrong-type`},
		{`{type: media}`, `"https://pond.example/heron.jpg"`, `"https://pond.example/heron.jpg"`},
		{`{type: media}`, `"/photos/heron.jpg"`, `"/photos/heron.jpg"`},
		{`{type: media}`, `"a heron"`, ` wrong-type`},
		{`{type: media}`, `""`, ` wrong-type`},
		{`{type: media}`, `"/` + strings.Repeat("x", 2000) + `"`, ` too-large`},
		{`{type: reference, to: people, when_gone: clear}`, `"ada"`, `"ada"`},
		{`{type: reference, to: people, when_gone: clear}`, `"a b"`, ` wrong-type`},
		{`{type: reference, to: people, when_gone: clear}`, `"ada/ben"`, ` wrong-type`},
		{`{type: reference, to: people, when_gone: clear}`, `7`, ` wrong-type`},
		{`{type: object, fields: {a: {type: integer, required: true}, b: {type: string}}}`, `{"a":1,"b":null}`,
			`{"a":1}`},
		{`{type: object, fields: {a: {type: integer, required: true}, b: {type: string}}}`, `{"b":2,"c":3}`,
			`/b wrong-type /c unknown-field /a required`},
		{`{type: object, fields: {a: {type: object, fields: {b: {type: integer}}}}}`, `{"a":{"b":"x"}}`,
			`/a/b wrong-type`},
		{`{type: object, fields: {a: {type: integer}}}`, `[]`, ` wrong-type`},
		{`{type: list, max: 2, of: {type: integer}}`, `[1,1]`, `[1,1]`},
		{`{type: list, max: 2, of: {type: integer}}`, `[1,2,3]`, ` too-large`},
		{`{type: list, max: 2, of: {type: integer}}`, `[1,"2"]`, `/1 wrong-type`},
		{`{type: list, max: 2, min: 1, of: {type: integer}}`, `[]`, ` too-small`},
		{`{type: list, max: 2, of: {type: object, fields: {a: {type: string}}}}`, `[{"a":"x"},{"b":1}]`,
			`/1/b unknown-field`},
		{`{type: set, max: 3, of: {type: integer}}`, `[1,2]`, `[1,2]`},
		{`{type: set, max: 3, of: {type: integer}}`, `[1,2,1.0]`, `/2 repeated`},
		{`{type: set, max: 3, of: {type: string}}`, `{"a":1}`, ` wrong-type`},
	}
	for _, c := range cases {
		stored, mistakes := fieldOf(t, c.field).Accept(jsonValue(t, c.value))
		var got []string
		for _, m := range mistakes {
			got = append(got, m.Pointer+" "+m.Code)
			if m.Detail == "" {
				t.Errorf("%s %s: the mistake says nothing", c.field, c.value)
			}
		}
		said := strings.Join(got, " ")
		if mistakes == nil {
			raw, err := json.Marshal(stored)
			if err != nil {
				t.Fatal(err)
			}
			said = string(raw)
		}
		if said != c.want {
			t.Errorf("%s takes %s as %q, want %q", c.field, clip(c.value), said, c.want)
		}
	}
}

func clip(s string) string { return s[:min(len(s), 60)] }

func TestAPointerEscapesWhatANameHolds(t *testing.T) {
	d, err := language.Read("pond.yaml", []byte(base))
	if err != nil {
		t.Fatal(err)
	}
	_, mistakes := design.AcceptAll(d.Collection("people").Fields, map[string]any{"name": "Ada", "a/b~c": 1})
	if len(mistakes) != 1 || mistakes[0].Pointer != "/a~1b~0c" {
		t.Errorf("got %+v", mistakes)
	}
}

func TestWhatCanBeAnID(t *testing.T) {
	for id, fits := range map[string]bool{
		"ada": true, "Ada_Fen-7": true, "0192f3c4-0000-7000-8000-000000000000": true, strings.Repeat("a", 128): true,
		"": false, "a/b": false, "a.b": false, "a b": false, "ä": false, "a\x00": false,
		strings.Repeat("a", 129): false,
	} {
		if wrong := design.CheckID(id); (wrong == "") != fits {
			t.Errorf("%q: %q", id, wrong)
		}
	}
}

func TestPathsOfNestedDocuments(t *testing.T) {
	source := strings.Replace(base, "pairs:",
		"  notes:\n    under: posts\n    fields: {text: {type: string}}\n  marks:\n    under: notes\n    fields: "+
			"{text: {type: string}}\npairs:", 1)
	d, err := language.Read("pond.yaml", []byte(source))
	if err != nil {
		t.Fatal(err)
	}
	marks := d.Collection("marks")
	if marks.Depth() != 3 {
		t.Errorf("depth %d", marks.Depth())
	}
	if got, want := marks.Path("p1/n2/m3"), "posts/p1/notes/n2/marks/m3"; got != want {
		t.Errorf("got %s, want %s", got, want)
	}
	for key, fits := range map[string]bool{"p1/n2/m3": true, "p1/n2": false, "m3": false, "p1//m3": false,
		"p1/n2/m3/x": false} {
		if _, wrong := marks.ParseKey(key); (wrong == "") != fits {
			t.Errorf("%q: %q", key, wrong)
		}
	}
}
