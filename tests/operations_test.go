package tests

import (
	"errors"
	"fmt"
	"os"
	"path/filepath"
	"testing"

	"yalvo/client"
)

// Somebody edits a post step by step (JSON Patch): all steps or none, and only
// if what they test for is so.
func TestAPostIsEditedByOperations(t *testing.T) {
	t.Parallel()
	w := start(t, ponds)
	w.person("ada")
	w.post("ada", "p1", "A bittern")
	w.Settle()
	doc, position, err := w.Operate(t.Context(), "posts/p1",
		client.Operation{Op: "test", Path: "/kept/likes_n", Value: 0},
		client.Operation{Op: "test", Path: "/version", Value: 1},
		client.Operation{Op: "add", Path: "/facts/tags", Value: []string{"reed"}},
		client.Operation{Op: "add", Path: "/facts/tags/-", Value: "dawn"},
		client.Operation{Op: "replace", Path: "/facts/text", Value: "Two bitterns"})
	if err != nil {
		t.Fatal(err)
	}
	same(t, "version", doc.Version, 2)
	if exact(position) == 0 {
		t.Errorf("an edit stands for a change of its own, not for %s", position)
	}
	_, _, err = w.Operate(t.Context(), "posts/p1",
		client.Operation{Op: "replace", Path: "/facts/text", Value: "Three"},
		client.Operation{Op: "test", Path: "/facts/tags/0", Value: "dusk"})
	var p *client.Problem
	if !errors.As(err, &p) || p.Code != "test-failed" {
		t.Errorf("a test that fails: %v", err)
	}
	stored := must(w.Get(t.Context(), "posts/p1"))(t)
	same(t, "the post", canonical([]any{stored.Facts["tags"], stored.Facts["text"]}), `[["reed","dawn"],"Two bitterns"]`)

	file := filepath.Join(t.TempDir(), "steps.json")
	if err := os.WriteFile(file, []byte(`[{"op": "remove", "path": "/facts/tags"}, {"op": "test", "path": "/facts/text", "value": "Two bitterns"}]`), 0o600); err != nil {
		t.Fatal(err)
	}
	w.yalvo("edit", "posts/p1", "--operations", file).says(t, 0, "posts/p1 is at version 3")
	w.yalvo("edit", "posts/p1", "text=x", "--operations", file).says(t, 2, "not both")
}

func TestWrongOperationsAreToldWhereAndWhat(t *testing.T) {
	t.Parallel()
	w := start(t, ponds)
	w.person("ada")
	w.post("ada", "p1", "here")
	for body, want := range map[string]string{
		`{}`:                                   "422 wrong-type ",
		`null`:                                 "422 wrong-type ",
		`[{"op":"swap","path":"/facts"}]`:      "422 not-one-of /0/op",
		`[{"op":"add","value":1}]`:             "422 required /0/path",
		`[{"op":"move","path":"/facts/text"}]`: "422 required /0/from",
		`[{"op":"test","path":"/id","value":"p1"},{"op":"replace","path":"/facts/text"}]`:           "422 required /1/value",
		`[{"op":"remove","path":"/facts/tags"}]`:                                                    "422 no-such-place /0/path",
		`[{"op":"copy","from":"/facts/tags","path":"/facts/text"}]`:                                 "422 no-such-place /0",
		`[{"op":"replace","path":"/kept/likes_n","value":9}]`:                                       "422 kept-value ",
		`[{"op":"remove","path":"/facts"}]`:                                                         "422 kept-value ",
		`[{"op":"replace","path":"","value":7}]`:                                                    "422 no-such-place /0/path",
		`[{"op":"add","path":"/facts/likes_n","value":9}]`:                                          "422 kept-value /0",
		`[{"op":"replace","path":"/facts/text","value":7},{"op":"test","path":"/id","value":"p1"}]`: "422 wrong-type /0",
		`[{"op":"remove","path":"/facts/author"}]`:                                                  "422 required /0",
		`[{"op":"test","path":"/facts/tags","value":null}]`:                                         "200  ",
		`[{"op":"test","path":"/facts/text","value":"there"}]`:                                      "409 test-failed /0/value",
	} {
		p := w.raw("PATCH", "/collections/posts/p1", "application/json-patch+json", body)
		got := fmt.Sprintf("%d %s ", p.Status, p.Code)
		if len(p.Errors) > 0 {
			got = fmt.Sprintf("%d %s %s", p.Status, p.Errors[0].Code, p.Errors[0].Pointer)
		}
		same(t, body, got, want)
	}
	same(t, "version", must(w.Get(t.Context(), "posts/p1"))(t).Version, 1)
}
