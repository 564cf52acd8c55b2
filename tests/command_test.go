package tests

import (
	"bytes"
	"encoding/json"
	"os"
	"path/filepath"
	"strings"
	"testing"

	"yalvo/client"
	"yalvo/internal/command/cli"
)

type said struct {
	code     int
	out, err string
}

// yalvo runs the command against the app's service.
func (w world) yalvo(args ...string) said {
	w.t.Helper()
	var out, errOut bytes.Buffer
	code := cli.Run(w.t.Context(), append([]string{"yalvo", "--service", w.URL}, args...), &out, &errOut)
	return said{code, out.String(), errOut.String()}
}

func (s said) says(t *testing.T, code int, words ...string) {
	t.Helper()
	if s.code != code {
		t.Errorf("exit code %d, want %d: %s%s", s.code, code, s.out, s.err)
	}
	for _, word := range words {
		if !strings.Contains(s.out+s.err, word) {
			t.Errorf("%q is not in:\n%s%s", word, s.out, s.err)
		}
	}
}

func designFile(t *testing.T, text string) string {
	t.Helper()
	path := filepath.Join(t.TempDir(), "ponds.yaml")
	if err := os.WriteFile(path, []byte(text), 0o644); err != nil {
		t.Fatal(err)
	}
	return path
}

func TestTheCommandTellsTheWholeStory(t *testing.T) {
	t.Parallel()
	w := start(t, "")
	file := designFile(t, ponds)
	w.yalvo("list", "people").says(t, 1, "no design has been applied yet: run `yalvo apply FILE`")
	bare := filepath.Join(t.TempDir(), "bare.yaml")
	if err := os.WriteFile(bare, []byte("yalvo: 1\napp: x\ncollections: {a: {fields: {n: {type: string}}}}\n"), 0o644); err != nil {
		t.Fatal(err)
	}
	w.yalvo("check", bare).says(t, 0, "0 triggers derived from it.\n")
	w.yalvo("check", file).says(t, 0, "is fine: 5 collections, 2 pairs, 1 timeline, 0 lists.", "follow set or unset", "count it in people.followers_n")
	w.yalvo("apply", file).says(t, 0, "ponds now runs version 1", "none written by hand")
	w.yalvo("apply", file).says(t, 0, "runs this design already")

	w.yalvo("add", "people", "--id", "ada", "name=Ada").says(t, 0, "created people/ada (position 1)")
	w.yalvo("add", "people", "--id", "ben", "name=Ben").says(t, 0)
	w.yalvo("add", "people/cy", "name=Cy").says(t, 2,
		"people/cy is a document. To make it with that id: yalvo add people --id cy ...")
	w.yalvo("--settled", "pair", "follow", "ben", "ada").says(t, 0, "follow: ben → ada is set")
	w.yalvo("--settled", "--as", "ada", "add", "posts", "--id", "p1", "text=A heron", "rating=7", `spot={"name":"North"}`).says(t, 0, "created posts/p1")
	w.yalvo("timeline", "home", "ben").says(t, 0, "A heron", "ada", "p1", "likes_n=0")
	w.yalvo("show", "posts/p1").says(t, 0, "fact  rating", "kept  byline", `{"name":"Ada"}`, "version 1")
	w.yalvo("--settled", "edit", "people/ada", "name=Ada Fen").says(t, 0, "people/ada is at version 2")
	w.yalvo("edit", "people/ada", "--version-is", "1", "name=Eda").says(t, 1, "is at version 2")
	w.yalvo("list", "people/ada/followers").says(t, 0, "people/ben", "name=Ben", "following_n=1")
	w.yalvo("--settled", "unpair", "follow", "ben", "ada").says(t, 0, "is not set")
	w.yalvo("timeline", "home", "ben").says(t, 0, "Nothing is in ben's timeline.")
	w.yalvo("--settled", "remove", "posts/p1").says(t, 0, "removed posts/p1")
	w.yalvo("changes", "--limit", "2").says(t, 0, "removed  posts/p1", "unset    follow")
	w.yalvo("status").says(t, 0, "Everything is settled", "people", "2")
	w.yalvo("parked").says(t, 0, "No work is parked.")

	t.Run("a design that changes", func(t *testing.T) {
		w.Evolving.Store(true)
		wider := designFile(t, changed(t, ponds, "max: 40", "max: 3", "posts_n:     {count: posts.author}", "written:     {count: posts.author, was: posts_n}",
			"      weight: {type: number}\n", "", "tags:", "labels: {type: string, max: 9}\n      tags:"))
		w.yalvo("--as", "ada", "add", "posts", "--id", "p2", "text=A bittern", "weight=2").says(t, 0, "created posts/p2")
		w.yalvo("diff", wider).says(t, 0, "Compared with version 1", "max: 40 → 3", "2 documents to look at, of which 1 do not fit", "people/ada", "derived anew: 2 documents",
			"1 value LOST", "--drop posts.weight", "without people.written")
		w.yalvo("apply", wider).says(t, 1, "what is stored of posts.weight would be lost")
		w.yalvo("apply", wider, "--drop", "posts.weight", "--by", "keeper").says(t, 0, "ponds now runs version 2", "`yalvo misfits` lists 1 that do not")
		w.yalvo("misfits").says(t, 0, "people.name", "people/ada", "7 characters is more than the 3")
		w.yalvo("misfits", "people.name").says(t, 0, "people/ada")
		w.yalvo("misfits", "people").says(t, 2, "names no field")
		w.yalvo("versions").says(t, 0, "keeper", "done", "the first")
		w.yalvo("versions", "2").says(t, 0, "people.written", "renamed from people.posts_n", "count", "done")
		w.yalvo("versions", "nine").says(t, 2, "is no version of the design")
		w.yalvo("show", "people/ada").says(t, 0, "written")
		w.yalvo("back", "--dry-run").says(t, 0, "renamed from people.written", "LOST: apply it with --drop posts.labels")
		w.yalvo("back", "--drop", "posts.labels").says(t, 0, "ponds now runs version 3")
		w.yalvo("misfits").says(t, 0, "Everything fits.")
		w.yalvo("version").says(t, 0, "tables of version")
	})
}

func TestTheCommandAnswersInJSON(t *testing.T) {
	t.Parallel()
	w := start(t, ponds)
	w.person("ada")
	var doc client.Document
	if err := json.Unmarshal([]byte(w.yalvo("--json", "show", "people/ada").out), &doc); err != nil || doc.Facts["name"] != "ADA" {
		t.Errorf("%v: %+v", err, doc)
	}
	var page client.Timeline
	if err := json.Unmarshal([]byte(w.yalvo("--json", "timeline", "home", "ada").out), &page); err != nil {
		t.Error(err)
	}
}

func TestTheCommandExplainsItsRefusals(t *testing.T) {
	t.Parallel()
	w := start(t, ponds)
	w.yalvo("check", designFile(t, strings.NewReplacer("app: ponds", "ap: ponds", "max: 40", "mx: 40").Replace(ponds))).
		says(t, 1, `ponds.yaml:3:1: unknown-key: the design has no key "ap"; did you mean "app"?`, `:8:44: unknown-key: field "name" has no key "mx"; did you mean "max"?`, "2 problems")
	w.yalvo("check", "/nowhere.yaml").says(t, 1, "the design cannot be read")
	w.yalvo("add", "people", "name").says(t, 2, `"name" is no NAME=VALUE`)
	w.yalvo("add", "people", "nmae=x").says(t, 1, `/facts/nmae: there is no field "nmae", did you mean "name"?`)
	w.yalvo("show").says(t, 2, "usage: yalvo show PATH")
	w.yalvo("shw").says(t, 2, `there is no command "shw"`)
	w.yalvo("show", "--nothing", "people/ada").says(t, 2, "nothing")
	w.yalvo("show", "people/nobody").says(t, 1, "there is no document people/nobody")
	var out, errOut bytes.Buffer
	if code := cli.Run(t.Context(), []string{"yalvo", "--service", "http://127.0.0.1:1", "status"}, &out, &errOut); code != 3 || !strings.Contains(errOut.String(), "Start one with `yalvo up`") {
		t.Errorf("%d %s", code, errOut.String())
	}
	busy := strings.TrimPrefix(w.URL, "http://")
	w.yalvo("up", "--listen", busy, "--database", w.Database).says(t, 1, "is taken", "--listen")
	w.yalvo("up", "--data", "/x", "--database", "y").says(t, 2, "give one of them")
}

func TestEveryCommandHelpsWithAnExample(t *testing.T) {
	t.Parallel()
	w := start(t, "")
	for _, command := range []string{"up", "check", "apply", "list", "show", "add", "edit", "remove", "pair", "unpair", "timeline", "status", "changes", "parked", "why", "places", "trace", "audit", "replay", "forget"} {
		w.yalvo(command, "--help").says(t, 0, "Example:", "yalvo "+command)
	}
}
