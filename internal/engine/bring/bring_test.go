package bring_test

import (
	"bytes"
	"fmt"
	"os"
	"slices"
	"strings"
	"testing"
	"testing/fstest"

	"yalvo/demo"
	"yalvo/internal/design"
	"yalvo/internal/design/language"
	"yalvo/internal/engine/bring"
)

func read(t *testing.T, source []byte) *design.Design {
	t.Helper()
	d, err := language.Read("design.yaml", source)
	if err != nil {
		t.Fatal(err)
	}
	return d
}

// Every fault that the generator has planted in the export is found, and no other.
func TestEveryPlantedFaultIsFoundAndNoneInvented(t *testing.T) {
	d := read(t, demo.Design)
	source, err := os.ReadFile("../../../demo/export/mapping.yaml")
	if err != nil {
		t.Fatal(err)
	}
	m, err := bring.ReadMapping("mapping.yaml", source, d)
	if err != nil {
		t.Fatal(err)
	}
	for seed := range uint64(5) {
		folder := t.TempDir()
		size := demo.Size{Members: 120, Follows: 900, Sightings: 300, Remarks: 150, Likes: 400, MostFollowers: 60}
		planted, err := demo.Export(demo.Make(size, seed), seed, folder)
		if err != nil {
			t.Fatal(err)
		}
		var lines bytes.Buffer
		r, err := bring.Along(m, d, os.DirFS(folder), &lines)
		if err != nil {
			t.Fatal(err)
		}
		var want, got []string
		for _, p := range planted {
			want = append(want, fmt.Sprint(p.Kind, ": ", p.Where, " ", p.What))
		}
		for _, f := range r.Findings {
			got = append(got, fmt.Sprint(f.Kind, ": ", f.Where, " ", f.What))
		}
		slices.Sort(want)
		slices.Sort(got)
		for _, one := range missing(want, got) {
			t.Errorf("seed %d: not found: %s", seed, one)
		}
		for _, one := range missing(got, want) {
			t.Errorf("seed %d: invented: %s", seed, one)
		}
		if n := strings.Count(lines.String(), "\n"); n != r.Documents+r.Pairs || r.Documents != 120+300+150 ||
			r.Checked < 1000 {
			t.Errorf("seed %d: %d lines, %d documents, %d pairs, %d compared", seed, n, r.Documents, r.Pairs, r.Checked)
		}
	}
}

func missing(these, in []string) (all []string) {
	for _, one := range these {
		if !slices.Contains(in, one) {
			all = append(all, one)
		}
	}
	return all
}

const pond = `
yalvo: 1
app: pond
accounts: people
collections:
  people: {fields: {name: {type: string, required: true}, since: {type: timestamp}}}
  posts: {fields: {text: {type: string}, author: {type: reference, to: people, when_gone: clear},
      about: {type: reference, to: posts, when_gone: remove}}}
  notes: {under: posts, fields: {text: {type: string}}}
pairs:
  follow: {from: people, to: people, from_calls: following, to_calls: followers}
  vote: {from: people, to: posts, from_calls: voted, to_calls: voters, fields: {value: {type: integer}}}
`

// along brings an export of some files along and returns its lines and findings.
func along(t *testing.T, mapping string, files map[string]string) (string, string, error) {
	t.Helper()
	d := read(t, []byte(pond))
	m, err := bring.ReadMapping("m.yaml", []byte(mapping), d)
	if err != nil {
		return "", "", err
	}
	fs := fstest.MapFS{}
	for name, text := range files {
		fs[name] = &fstest.MapFile{Data: []byte(text)}
	}
	var out bytes.Buffer
	r, err := bring.Along(m, d, fs, &out)
	if err != nil {
		return "", "", err
	}
	var found []string
	for _, f := range r.Findings {
		found = append(found, fmt.Sprintf("%s|%s|%s|%s|%s", f.Kind, f.Where, f.What, f.Had, f.Is))
	}
	return out.String(), strings.Join(found, "\n"), nil
}

func TestWhatAnExportCanLookLike(t *testing.T) {
	const people = "bring: 1\ncollections: {people: {from: p.json, id: uid, created: t, facts: {name: name, " +
		"since: t}}}\n"
	const lines = `{"document":"people/a","created":"2001-09-09T01:46:40Z",` +
		`"facts":{"name":"A","since":"2001-09-09T01:46:40.000000Z"}}` + "\n" +
		`{"document":"people/b","facts":{"name":"B"}}` + "\n"
	for what, text := range map[string]string{
		"a list": `[{"uid":"a","name":"A","t":1000000000},{"uid":"b","name":"B"}]`,
		"an object a " +
			"line": "{\"uid\":\"a\",\"name\":\"A\",\"t\":1000000000000}\n{\"uid\":\"b\",\"name\":\"B\"}\n",
		"an object of " +
			"objects": `{"x":{"uid":"a","name":"A","t":"2001-09-09T01:46:40Z"},"y":{"uid":"b","name":"B"}}`,
		"one with a byte order mark":   "\uFEFF" + `[{"uid":"a","name":"A","t":1e9},{"uid":"b","name":"B"}]`,
		"an object without its own id": `{"a":{"uid":null,"name":"A","t":1000000000},"b":{"uid":"b","name":"B"}}`,
	} {
		got, found, err := along(t, people, map[string]string{"p.json": text})
		if err != nil || got != lines || found != "" {
			t.Errorf("%s: got %v\n%s%s", what, err, got, found)
		}
	}
}

func TestWhatCannotBeIsSaidAndTheRestGoesOn(t *testing.T) {
	mapping := `
bring: 1
collections:
  people: {from: p.json, id: uid, facts: {name: name}}
  posts: {from: q.json, id: id, facts: {text: text, author: by, about: about}}
  notes: {list: notes, facts: {text: t}}
pairs:
  follow: {from_list: f, to_list: g, believe: both}
  vote: {to_list: votes, key: who, at: when, facts: {value: v}}
`
	got, found, err := along(t, mapping, map[string]string{
		"p.json": `[{"uid":"a","name":"A","f":["b","b","ghost","a"]},
			{"uid":"b","name":"B","g":["a"],"f":{"a":true,"c d":false}},
			{"uid":"c d","name":"C","f":["b"]},{"name":"nameless"},{"uid":"a","name":"other"}]`,
		"q.json": `[{"id":1,"text":"one","by":"c d","votes":[{"who":"a","v":1,"when":1e9},{"who":"zed","v":2}],
			"notes":[{"t":"x"},{"t":"x"},{"t":"y"}]},
			{"id":2,"text":"two","by":"ghost","about":9},{"id":3,"text":"three","about":1}]`,
	})
	if err != nil {
		t.Fatal(err)
	}
	for _, want := range []string{"there twice|follow|people/a → people/b|twice|once",
		"points at what is gone|follow|people/a → people/ghost",
		"|follow|people/a → people/a|with itself|left out", "one side only|follow|", "it is not believed",
		"id that cannot be|people|c d|c d|x",
		"no id|people|p.json, item 4||left out", "there twice|people|people/a|twice|the first one",
		"there twice|notes|posts/1/notes/",
		"points at what is gone|vote|people/zed → posts/1",
		"points at what is gone|posts.about|posts/2|posts/9|left out"} {
		if !strings.Contains(found, want) {
			t.Errorf("%q is not in\n%s", want, found)
		}
	}
	for _, want := range []string{`{"pair":"follow","from":"a","to":"b"}`,
		`{"pair":"vote","from":"a","to":"1","at":"2001-09-09T01:46:40Z","facts":{"value":1}}`,
		`"facts":{"about":"1","text":"three"}`} {
		if !strings.Contains(got, want) {
			t.Errorf("%s is not in\n%s", want, got)
		}
	}
	if n := strings.Count(got, "/notes/"); n != 2 || strings.Contains(got, "posts/2") {
		t.Errorf("%d notes in\n%s", n, got)
	}
}

func TestMappingsAndExportsThatCannotBeRead(t *testing.T) {
	good := map[string]string{"p.json": `[{"uid":"a","name":"A"}]`}
	for _, c := range []struct {
		mapping string
		files   map[string]string
		says    string
	}{
		{"collections: {}", good, "begin with `bring: 1`"},
		{"bring: 1\ncollections: {peple: {from: p.json}}", good,
			`the design has no collection "peple": did you mean "people"?`},
		{"bring: 1\ncollections: {people: {from: p.json, facts: {nmae: name}}}", good,
			`people has no field "nmae": did you mean "name"?`},
		{"bring: 1\ncollections: {people: {from: p.json, id: uid, facts: {name: nmae}}}", good,
			`collections.people: nothing in the export has "nmae": did you mean "name"?`},
		{"bring: 1\ncollections: {people: {from: p.json, id: uid, counts: {n: follow}}}", good,
			`"follow" is nothing that can be counted in people`},
		{"bring: 1\ncollections: {people: {from: p.json, id: uid, copies: {n: author.name}}}", good,
			`"author.name" is no reference of people`},
		{"bring: 1\ncollections: {notes: {list: x}}", good, `notes lies in documents of "posts"`},
		{"bring: 1\ncollections: {people: {list: x}}", good, "lies under nothing in the design"},
		{"bring: 1\npairs: {follow: {from_list: x}}", good, `pairs.follow lies in documents of "people"`},
		{"bring: 1\ncollections: {people: {from: p.json}}\npairs: {follow: {from_list: x, believe: nobody}}", good,
			`believe is "nobody"`},
		{"bring: 1\nlikes: 1", good, "unknown field"},
		{"bring: 1\ncollections: {people: {from: q.json, id: uid}}", good, "q.json cannot be read"},
		{"bring: 1\ncollections: {people: {from: ../p.json, id: uid}}", good, "cannot be read"},
		{"bring: 1\ncollections: {people: {from: p.json, id: uid}}", map[string]string{"p.json": `[{"uid":"a"},{"ui`},
			"it was cut off"},
		{"bring: 1\ncollections: {people: {from: p.json, id: uid}}",
			map[string]string{"p.json": "[{\"uid\":\"\xff\"}]"}, "not UTF-8 at byte 9"},
		{"bring: 1\ncollections: {people: {from: p.json, id: uid}}", map[string]string{"p.json": ""}, "it is empty"},
		{"bring: 1\ncollections: {people: {from: p.json, id: uid}}", map[string]string{"p.json": "[1]"},
			"item 1 is no object"},
		{"bring: 1\ncollections: {people: {from: p.json, id: uid}}", map[string]string{"p.json": "[}"},
			"it is no JSON"},
	} {
		if _, _, err := along(t, c.mapping, c.files); err == nil || !strings.Contains(err.Error(), c.says) {
			t.Errorf("%s: got %v, want %q", c.mapping, err, c.says)
		}
	}
}
