package tests

import (
	"bytes"
	"encoding/json"
	"flag"
	"fmt"
	"io"
	"maps"
	"net/http"
	"net/url"
	"os/exec"
	"sort"
	"strings"
	"testing"
	"unicode/utf8"

	"yalvo/demo"
)

// clashing is a design whose names would give schemas and operations the same
// names, one another's or the fixed ones'.
const clashing = `
yalvo: 1
app: clashing
accounts: document
collections:
  document:     {fields: {name: {type: string, required: true}}, kept: {many: {count: problem.entry}}}
  problem:      {fields: {entry: {type: reference, to: document, when_gone: clear, inverse: page}, text: {type: string}}}
  a_b:          {fields: {n: {type: integer}}}
  a__b:         {fields: {n: {type: string, unique: true}}}
  a_b_facts:    {under: a_b, fields: {tags: {type: set, of: {type: string}, max: 3}}}
  all_a_b_facts: {fields: {s: {type: object, fields: {x: {type: number, required: true}}}}}
  audit:        {fields: {at: {type: timestamp, default: now}}}
  status:       {fields: {ok: {type: boolean}}}
pairs:
  documented_by: {from: document, to: document, from_calls: documents, to_calls: documented, fields: {weight: {type: integer, required: true, default: 1}}}
  pair:     {from: document, to: problem, from_calls: pairs, to_calls: paired}
timelines:
  timeline: {owner: document, entries: problem, by: entry, through: documented_by, own: true}
  time_line: {owner: document, entries: problem, by: entry, through: documented_by, carry: [text]}
`

// described is the OpenAPI document of a service.
func (w world) described() (text []byte, doc map[string]any) {
	w.t.Helper()
	_, text = w.ask("GET", "/v1/openapi.json", "", "")
	if err := json.Unmarshal(text, &doc); err != nil {
		w.t.Fatal(err)
	}
	return text, doc
}

// A validator that others have written finds nothing wrong with the document, and
// nothing of the design is lost in it.
func TestTheOpenAPIDocumentIsValidForOthers(t *testing.T) {
	t.Parallel()
	for name, source := range map[string]string{"none": "", "demo": string(demo.Design), "clashing": clashing} {
		t.Run(name, func(t *testing.T) {
			w := start(t, strings.ReplaceAll(source, "through: documented_by,", "through: documented_by,"))
			text, doc := w.described()
			node := exec.CommandContext(t.Context(), "node", "scripts/openapi.mjs")
			node.Dir, node.Stdin = "../console", bytes.NewReader(text)
			if out, err := node.CombinedOutput(); err != nil {
				t.Errorf("%v\n%s", err, out)
			}
			ids := map[string]bool{}
			for path, operations := range doc["paths"].(map[string]any) {
				for method, operation := range operations.(map[string]any) {
					if method == "parameters" {
						continue
					}
					id := operation.(map[string]any)["operationId"].(string)
					if ids[id] {
						t.Errorf("two operations are called %s, one of them %s %s", id, method, path)
					}
					ids[id] = true
				}
			}
		})
	}
}

// What the document promises of an app's own types is so: kept values are always
// there, what is required is never null, and entries and pairs have their own types.
func TestTheOpenAPIDocumentHasATypeForEverything(t *testing.T) {
	t.Parallel()
	w := start(t, ponds)
	_, doc := w.described()
	schemas := doc["components"].(map[string]any)["schemas"].(map[string]any)
	schema := func(name string) map[string]any { m, _ := schemas[name].(map[string]any); return m }
	same(t, "kept values that are there", fmt.Sprint(schema("PeopleKept")["required"]), "[followers_n following_n posts_n]")
	patch := schema("PeoplePatch")["properties"].(map[string]any)
	same(t, "a required name in a patch", patch["name"].(map[string]any)["type"], any("string"))
	if _, null := patch["mail"].(map[string]any)["oneOf"]; !null {
		t.Error("a patch cannot take an optional value away")
	}
	same(t, "the least of a required text", schema("PeopleFacts")["properties"].(map[string]any)["name"].(map[string]any)["minLength"], any(1.0))
	for _, name := range []string{"HomeEntry", "HomeEntries", "FollowState"} {
		if schema(name) == nil {
			t.Errorf("there is no schema %s", name)
		}
	}
}

// Every operation of the document is asked with values that nobody expects:
// the answers are as it says, and the service has nothing to be sorry for.
func TestEveryOperationBearsHostileValues(t *testing.T) {
	t.Parallel()
	w := start(t, strings.ReplaceAll(strings.Replace(clashing, "  document: {from", "  documented_by: {from", 1), "through: documented_by,", "through: documented_by,"))
	if _, _, err := w.Create(t.Context(), "document", "ada", map[string]any{"name": "Ada"}); err != nil {
		t.Fatal(err)
	}
	if _, _, err := w.As("ada").Create(t.Context(), "problem", "p1", map[string]any{"entry": "ada", "text": "x"}); err != nil {
		t.Fatal(err)
	}
	_, doc := w.described()
	schemas := doc["components"].(map[string]any)["schemas"].(map[string]any)
	parameters := doc["components"].(map[string]any)["parameters"].(map[string]any)
	paths := doc["paths"].(map[string]any)
	asked, walk := 0, &walk{world: w}
	for _, path := range sortedNames(paths) {
		operations := paths[path].(map[string]any)
		for _, method := range sortedNames(operations) {
			if method == "parameters" || strings.HasPrefix(path, "/v1/live/") {
				continue
			}
			operation := operations[method].(map[string]any)
			all := append(listOf(operations["parameters"]), listOf(operation["parameters"])...)
			asked += walk.askHostile(strings.ToUpper(method), path, resolved(all, parameters), bodiesOf(operation, schemas))
		}
	}
	t.Logf("%d requests", asked)
	w.Settle()
	w.auditFindsNothing()
}

func listOf(v any) []any { l, _ := v.([]any); return l }

func sortedNames(m map[string]any) []string {
	var names []string
	for name := range m {
		names = append(names, name)
	}
	sort.Strings(names)
	return names
}

type parameter struct{ name, in string }

func resolved(all []any, known map[string]any) []parameter {
	var out []parameter
	for _, one := range all {
		p := one.(map[string]any)
		if ref, is := p["$ref"].(string); is {
			p = known[ref[strings.LastIndexByte(ref, '/')+1:]].(map[string]any)
		}
		out = append(out, parameter{p["name"].(string), p["in"].(string)})
	}
	return out
}

// hostileTexts are values for paths, queries and headers.
var hostileTexts = []string{"ada", "p1", "", " ", "\x00", "\xff\xfe", "..", "a/b", "'; DROP TABLE documents; --", "\u202eada", "-1", "0",
	"9223372036854775808", "NaN", "{}", "all", "\"1\"", strings.Repeat("a", 5000), strings.Repeat("%", 50)}

// hostileValues are JSON values for members of bodies.
var hostileValues = []string{`null`, `0`, `-0.0`, `1e309`, `-1`, `1.5`, `9007199254740993`, `true`, `""`, `"ada"`, `"\u0000"`, `"\ud800"`, `"\u202e"`,
	`[]`, `[[]]`, `[null]`, `{}`, `{"":""}`, `{"a":{"b":{}}}`, `"9999-12-31T23:59:59-01:00"`, `"` + strings.Repeat("x", 3000) + `"`,
	strings.Repeat("[", 70) + strings.Repeat("]", 70)}

// bodiesOf are bodies for an operation: every member that its schema has, with
// every value, by media type.
func bodiesOf(operation, schemas map[string]any) map[string][]string {
	content, _ := operation["requestBody"].(map[string]any)
	if content == nil {
		return nil
	}
	bodies := map[string][]string{}
	for media, of := range content["content"].(map[string]any) {
		all := append([]string{"", "{", "[]", "null", "0", `"x"`, "\xff", `[{"op":"add"}]`, `[{"op":"test","path":"","value":{}}]`, `[{"op":"move","from":"/facts","path":"/kept"}]`}, hostileValues...)
		for name, member := range membersOf(of.(map[string]any)["schema"].(map[string]any), schemas) {
			for _, v := range hostileValues {
				all = append(all, fmt.Sprintf(`{%q:%s}`, name, v))
			}
			for inner := range membersOf(member, schemas) {
				for _, v := range hostileValues[:12] {
					all = append(all, fmt.Sprintf(`{%q:{%q:%s}}`, name, inner, v))
				}
			}
		}
		bodies[media] = all
	}
	return bodies
}

func membersOf(schema, schemas map[string]any) map[string]map[string]any {
	if ref, is := schema["$ref"].(string); is {
		schema = schemas[ref[strings.LastIndexByte(ref, '/')+1:]].(map[string]any)
	}
	out := map[string]map[string]any{}
	properties, _ := schema["properties"].(map[string]any)
	for name, member := range properties {
		out[name], _ = member.(map[string]any)
	}
	return out
}

// everyNth is which of the hostile requests are sent: `make torture` sends all.
var everyNth = flag.Int("every-nth", 16, "which of the hostile requests are sent")

// walk goes over the operations.
type walk struct {
	world
	turns int
}

// askHostile asks one operation with hostile values in every place, the others
// being ordinary, and tells how often that was.
func (w *walk) askHostile(method, path string, params []parameter, bodies map[string][]string) int {
	ordinary := func(p parameter) string {
		if p.name == "settled" || p.name == "patience" || p.in == "query" && p.name != "document" {
			return ""
		}
		return "ada"
	}
	asked := 0
	ask := func(at int, value, media, body string) {
		if w.turns++; w.turns%*everyNth != 0 {
			return
		}
		target, query, headers := path, url.Values{}, http.Header{}
		for i, p := range params {
			v := ordinary(p)
			if i == at {
				v = value
			}
			switch p.in {
			case "path":
				target = strings.Replace(target, "{"+p.name+"}", url.PathEscape(v), 1)
			case "query":
				if v != "" || i == at {
					query.Set(p.name, v)
				}
			case "header":
				if i == at && utf8.ValidString(v) && strings.IndexByte(v, 0) < 0 {
					headers.Set(p.name, v)
				}
			}
		}
		asked++
		w.send(method, target+"?"+query.Encode(), media, body, headers)
	}
	for at, p := range params {
		if (p.name == "settled" || p.name == "patience") && path != "/v1/status" {
			continue // read in one place for all
		}
		for _, value := range hostileTexts {
			ask(at, value, "", "")
		}
	}
	for media, all := range bodies {
		for _, body := range all {
			ask(-1, "", media, body)
		}
	}
	return asked
}

// send sends a request and sees that the answer is one of success or a problem
// that is not the service's own.
func (w world) send(method, target, media, body string, headers http.Header) {
	w.t.Helper()
	req := w.Request(method, target, body)
	maps.Copy(req.Header, headers)
	if media != "" {
		req.Header.Set("Content-Type", media)
	}
	resp, err := w.HTTP.Do(req)
	if err != nil {
		w.t.Fatal(err)
	}
	text := must(io.ReadAll(resp.Body))(w.t)
	if err := resp.Body.Close(); err != nil {
		w.t.Error(err)
	}
	problem := resp.Header.Get("Content-Type") == "application/problem+json"
	if resp.StatusCode >= 500 && resp.StatusCode != 503 || resp.StatusCode >= 400 && (!problem || len(text) > 32<<10) {
		w.t.Errorf("%s %.200s with %.200s: %d %.300s", method, target, body, resp.StatusCode, text)
	}
}
