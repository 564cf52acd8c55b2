// Package openapi describes the HTTP API in OpenAPI 3.1: in goes the plan of a
// design, out comes the document that a service serves under it.
//
// Not done here: serving it, and answering what it describes.
package openapi

import (
	_ "embed"
	"encoding/json"
	"fmt"
	"maps"
	"reflect"
	"slices"
	"strings"
	"sync"

	"github.com/goccy/go-yaml"

	"yalvo/internal/design"
	"yalvo/internal/design/plan"
)

//go:embed openapi.yaml
var openAPIBase []byte

// schema is a piece of an OpenAPI document.
type schema = map[string]any

// Words of the API that its description and its server share.
const (
	Prefix         = "/v1"            // where the API of this version begins
	HeaderPosition = "Yalvo-Position" // answer to a write: what a read can wait for
	HeaderRead     = "Yalvo-Read"     // answer: documents read
	HeaderWrote    = "Yalvo-Wrote"    // answer: documents and pairs written
	HeaderAs       = "Yalvo-As"       // request: the account the caller acts as
	HeaderRepeat   = "Idempotency-Key"
	MergePatch     = "application/merge-patch+json"
	JSONPatch      = "application/json-patch+json"
)

// base is the fixed part as JSON, which is read much faster: every description begins with a
// copy of its own.
var base = sync.OnceValues(func() ([]byte, error) { return yaml.YAMLToJSON(openAPIBase) })

// Describe is the API's description: the fixed part, and a path and a schema for
// everything that a design has; nil for none.
func Describe(p *plan.Plan) (schema, error) {
	text, err := base()
	if err != nil {
		return nil, err
	}
	var doc schema
	if err := json.Unmarshal(text, &doc); err != nil {
		return nil, err
	}
	if p == nil {
		return doc, nil
	}
	d := newDescription(doc)
	doc["info"].(schema)["title"] = p.Design.App
	for _, col := range p.Collections { // all names first: they refer to one another
		d.names[col] = d.free(typeName(col.Name), "", "Facts", "Kept", "Patch", "Page")
	}
	for _, col := range p.Collections {
		d.collection(col)
	}
	d.signIn(p)
	for _, pair := range p.Pairs {
		d.pair(pair)
	}
	for _, t := range p.Timelines {
		d.timeline(t)
	}
	for _, l := range p.Lists {
		d.list(l)
	}
	for _, s := range p.Design.Screens {
		d.screen(p, s)
	}
	return doc, nil
}

// anybody says that an operation is for operators, accounts and strangers: the rules of the
// design decide.
var anybody = []schema{{"bearer": []string{}}, {}}

// description is an OpenAPI document in the making.
type description struct {
	paths, schemas schema
	operations     map[string]bool
	names          map[*plan.Collection]string // of their schemas
	pages          map[string]string           // of timelines and lists, by their names: the schemas of a page
}

func newDescription(doc schema) *description {
	d := &description{doc["paths"].(schema), doc["components"].(schema)["schemas"].(schema), map[string]bool{},
		map[*plan.Collection]string{}, map[string]string{}}
	for _, path := range d.paths {
		for _, operation := range path.(schema) {
			if o, is := operation.(schema); is {
				d.operations[fmt.Sprint(o["operationId"])] = true
			}
		}
	}
	return d
}

// free is a name for schemas that no other bears, with none of some endings: two
// names of the design may differ in what a type's name leaves out.
func (d *description) free(wanted string, endings ...string) string {
	isTaken := func(name string) bool {
		return slices.ContainsFunc(endings, func(end string) bool { return d.schemas[name+end] != nil })
	}
	name := wanted
	for n := 2; isTaken(name); n++ {
		name = fmt.Sprint(wanted, n)
	}
	for _, end := range endings {
		d.schemas[name+end] = schema{}
	}
	return name
}

// operation is a name for an operation that no other bears.
func (d *description) operation(wanted string) string {
	name := wanted
	for n := 2; d.operations[name]; n++ {
		name = fmt.Sprint(wanted, n)
	}
	d.operations[name] = true
	return name
}

func ref(kind, name string) schema { return schema{"$ref": "#/components/" + kind + "/" + name} }

func (d *description) collection(c *plan.Collection) {
	name := d.names[c]
	facts := fieldsSchema(c.Collection.Fields)
	forSome(facts, c.Access.Narrowed())
	facts["description"] = "As the design has them. What fits an earlier design alone, or was loaded as it is, may " +
		"be otherwise: /v1/misfits lists it." + checksInWords(c.Checks)
	d.schemas[name+"Facts"] = facts
	kept := keptSchemas(c.Kept, c.Building)
	forSome(kept, c.Access.Narrowed())
	d.schemas[name+"Kept"] = kept
	d.schemas[name+"Patch"] = patchOf(c.Collection.Fields)
	d.schemas[name] = schema{"allOf": []any{ref("schemas", "Document"), schema{"type": "object",
		"properties": schema{"facts": ref("schemas", name+"Facts"), "kept": ref("schemas", name+"Kept")}}}}
	d.schemas[name+"Page"] = pageOf("documents", name)

	base, params := pathOf(c)
	draft := schema{"type": "object", "additionalProperties": false,
		"properties": schema{"id": ref("schemas", "ID"), "facts": draftOf(facts, c.Collection.Fields)}}
	d.paths[base] = withParameters(params, schema{
		"get": read(d.operation("list"+name), "A page of "+c.Name+" by id", name+"Page", "limit", "cursor", "prefix",
			"marks", "as"),
		"post": write(d.operation("create"+name), "Create one of "+c.Name, name, draft, "application/json", true),
	})
	if c.Parent != nil {
		d.paths[Prefix+"/collections/"+c.Name] = schema{"get": read(d.operation("listAll"+name),
			"A page of "+c.Name+" under any parent", name+"Page", "limit", "cursor", "prefix", "marks", "as")}
		addUniques(d.paths[Prefix+"/collections/"+c.Name].(schema), c)
	}
	addUniques(d.paths[base].(schema), c)
	one := append(slices.Clone(params), ref("parameters", "id"))
	d.paths[base+"/{id}"] = withParameters(one, schema{
		"get":    read(d.operation("get"+name), "Read one of "+c.Name, name, "marks", "as"),
		"patch":  d.edit(name),
		"delete": write(d.operation("remove"+name), "Remove it and what hangs on it", name, nil, "", false),
	})
	d.live(name, base+"/{id}", one)
	d.links(c, base, one)
}

// addUniques adds the unique values that a page can be asked by.
func addUniques(path schema, c *plan.Collection) {
	get := path["get"].(schema)
	for _, u := range c.Uniques {
		if !slices.Contains([]string{"settled", "patience", "limit", "cursor", "prefix", "marks"}, u.Name) {
			get["parameters"] = append(get["parameters"].([]any), schema{"name": u.Name, "in": "query",
				"description": "The one that has this value, if there is one.", "schema": fieldSchema(u.Field)})
		}
	}
}

// checksInWords says what a document is refused with, as the design words it.
func checksInWords(checks []*design.Check) string {
	all := ""
	for _, check := range checks {
		all += "\n\nRefused with `check` unless `" + check.That.Text + "`: " + check.Otherwise + "."
	}
	return all
}

func (d *description) edit(name string) schema {
	body := schema{"type": "object", "additionalProperties": false,
		"properties": schema{"facts": ref("schemas", name+"Patch")}}
	edit := write(d.operation("patch"+name), "Edit by JSON Merge Patch (RFC 7396) of the facts, or JSON Patch (RFC "+
		"6902) of the document", name, body, MergePatch, false)
	edit["requestBody"].(schema)["content"].(schema)[JSONPatch] = schema{"schema": ref("schemas", "Operations")}
	return edit
}

// links are the names that lead from a document to others.
func (d *description) links(c *plan.Collection, base string, params []any) {
	add := func(link string, to *plan.Collection) {
		if link == "" {
			return
		}
		d.paths[base+"/{id}/"+link] = withParameters(params, schema{
			"get": read(d.operation("list"+d.names[c]+typeName(link)), "A page of its "+link+", newest first",
				d.names[to]+"Page", "limit", "cursor", "marks", "as")})
	}
	for _, pair := range c.From {
		add(pair.FromCalls, pair.To)
	}
	for _, pair := range c.To {
		add(pair.ToCalls, pair.From)
	}
	for _, r := range c.PointedAt {
		add(r.Inverse, r.In)
	}
}

// withParameters adds the parameters of a path, if it has any.
func withParameters(params []any, path schema) schema {
	if len(params) > 0 {
		path["parameters"] = params
	}
	return path
}

// patchOf is the schema of a merge patch: null takes away what need not be there.
func patchOf(fields []*design.Field) schema {
	patch := fieldsSchema(fields)
	delete(patch, "required")
	properties := patch["properties"].(schema)
	for _, f := range fields {
		if !f.Required {
			properties[f.Name] = orNull(properties[f.Name].(schema))
		}
	}
	return patch
}

// pathOf is a collection's path and the parameters it takes: the ids of the parents.
func pathOf(c *plan.Collection) (string, []any) {
	if c.Parent == nil {
		return Prefix + "/collections/" + c.Name, nil
	}
	base, params := pathOf(c.Parent)
	id := c.Parent.Name + "_id"
	return base + "/{" + id + "}/" + c.Name, append(params,
		schema{"name": id, "in": "path", "required": true, "schema": ref("schemas", "ID")})
}

func (d *description) pair(p *plan.Pair) {
	name := typeName(p.Name)
	state := d.free(name+"State", "")
	d.schemas[state] = schema{"allOf": []any{ref("schemas", "PairState"), schema{"type": "object",
		"properties": schema{"pair": schema{"const": p.Name}, "facts": fieldsSchema(p.Fields)}}}}
	end := func(name string, c *plan.Collection) schema {
		return schema{"name": name, "in": "path", "required": true, "schema": schema{"type": "string"},
			"description": "The key of one of " + c.Name + "; of a nested one with its slashes escaped."}
	}
	act := func(id, summary string) schema {
		return schema{"operationId": d.operation(id + name), "security": anybody, "summary": summary,
			"parameters": []any{ref("parameters", "as"), ref("parameters", "idempotency")},
			"responses": schema{"204": schema{"description": "So it is now.", "headers": writeHeaders(false)},
				"default": ref("responses", "Problem")}}
	}
	set := act("set", "Set the pair; twice is the same as once")
	if len(p.Fields) > 0 {
		set["requestBody"] = schema{"description": "Facts of the pair's own. Without a body a pair that stands keeps " +
			"those it has.",
			"content": schema{"application/json": schema{"schema": schema{"type": "object",
				"additionalProperties": false,
				"properties":           schema{"facts": draftOf(fieldsSchema(p.Fields), p.Fields)}}}}}
	}
	d.paths[Prefix+"/pairs/"+p.Name+"/{from}/{to}"] = withParameters([]any{end("from", p.From), end("to", p.To)},
		schema{
			"get":    read(d.operation("get"+name), "How the pair stands", state),
			"put":    set,
			"delete": act("unset", "Unset the pair; twice is the same as once"),
		})
}

func (d *description) timeline(t *plan.Timeline) {
	name := d.free(typeName(t.Name), "Entry", "Entries")
	d.schemas[name+"Entry"] = d.entry(t)
	d.schemas[name+"Entries"] = pageOf("entries", name+"Entry")
	d.pages[t.Name] = name + "Entries"
	owner := []any{schema{"name": "owner", "in": "path", "required": true, "schema": ref("schemas", "ID")}}
	base := Prefix + "/timelines/" + t.Name + "/{owner}"
	d.paths[base] = withParameters(owner, schema{"get": read(d.operation("read"+name), "A page of a timeline, "+
		"newest first",
		name+"Entries", "limit", "cursor", "marks", "as")})
	d.live(name, base, owner)
}

// live is a read that goes on: it takes what the read takes but for what is about pages.
func (d *description) live(name, path string, params []any) {
	get := maps.Clone(d.paths[path].(schema)["get"].(schema))
	get["operationId"], get["summary"] = d.operation("follow"+name), "The same, and then what happens to it"
	get["parameters"] = append(withoutRefs(get["parameters"].([]any), "cursor", "with", "ifNoneMatch"),
		ref("parameters", "lastEvent"))
	get["responses"] = schema{"default": ref("responses", "Problem"), "200": schema{
		"description": "Server-sent events: page, which is what the read answers; then removed, added, moved, " +
			"changed and counts, each about an item; and current when that is all, with an id for all that is shown.",
		"content": schema{"text/event-stream": schema{"schema": schema{"type": "string"}}}}}
	d.paths[Prefix+"/live"+strings.TrimPrefix(path, Prefix)] = withParameters(params, schema{"get": get})
}

// withoutRefs are parameters but for some that all reads share.
func withoutRefs(params []any, names ...string) []any {
	return slices.DeleteFunc(slices.Clone(params), func(p any) bool {
		return slices.ContainsFunc(names, func(name string) bool {
			return reflect.DeepEqual(p, ref("parameters",
				name))
		})
	})
}

// list is a list with a page of its own: entries of a list through pairs say since when,
// and how they are paired.
func (d *description) list(l *plan.List) {
	name := d.free(typeName(l.Name), "Listed", "List")
	item := schema{"type": "object"}
	if l.Through != nil {
		item["required"] = []any{"since"}
		if len(l.Through.Fields) > 0 {
			item["required"] = []any{"since", "pair"}
			item["properties"] = schema{"pair": fieldsSchema(l.Through.Fields)}
		}
	}
	d.schemas[name+"Listed"] = schema{"allOf": []any{ref("schemas", d.names[l.Entries]), item}}
	d.schemas[name+"List"] = pageOf("documents", name+"Listed")
	d.pages[l.Name] = name + "List"
	path, params := Prefix+"/lists/"+l.Name, []any{}
	if l.Owner != nil {
		path += "/{of}"
		params = append(params, schema{"name": "of", "in": "path", "required": true, "schema": schema{"type": "string"},
			"description": "The key of one of " + l.Owner.Name + "; of a nested one with its slashes escaped."})
	}
	get := read(d.operation("read"+name), "A page of the list "+l.Name, name+"List", "limit", "cursor", "marks", "as")
	for _, p := range l.Params {
		get["parameters"] = append(get["parameters"].([]any), schema{"name": p.Name, "in": "query",
			"required": p.Default == nil, "schema": fieldSchema(p)})
	}
	if looks := l.Looks(); looks != "" {
		get["parameters"] = append(get["parameters"].([]any), schema{"name": looks, "in": "query", "required": true,
			"schema": schema{"type": "string", "minLength": 1}})
	}
	d.paths[path] = withParameters(params, schema{"get": get})
	d.live(name, path, params)
}

// entry is what an entry of a timeline shows: what the design carries, or all.
func (d *description) entry(t *plan.Timeline) schema {
	facts, kept := ref("schemas", d.names[t.Entries]+"Facts"), ref("schemas", d.names[t.Entries]+"Kept")
	if len(t.Carry) > 0 {
		var fields []*design.Field
		var values []*design.Kept
		for _, part := range t.Carry {
			if part.Kept != nil {
				values = append(values, part.Kept)
				continue
			}
			fields = append(fields, part.Field)
		}
		facts, kept = fieldsSchema(fields), keptSchemas(values, t.Entries.Building)
	}
	return schema{"allOf": []any{ref("schemas", "Entry"),
		schema{"type": "object", "properties": schema{"facts": facts, "kept": kept}}}}
}

func read(id, summary, answer string, params ...string) schema {
	all := []any{ref("parameters", "settled"), ref("parameters", "patience")}
	for _, p := range params {
		all = append(all, ref("parameters", p))
	}
	headers := schema{HeaderRead: ref("headers", "Read"), HeaderWrote: ref("headers", "Wrote")}
	responses := schema{
		"200": schema{"description": "As asked.", "headers": headers,
			"content": schema{"application/json": schema{"schema": ref("schemas", answer)}}},
		"default": ref("responses", "Problem"),
	}
	if slices.Contains(params, "marks") { // a document, or a page of them
		all = append(all, ref("parameters", "ifNoneMatch"))
		all = append(all, ref("parameters", "fields"), ref("parameters", "with"))
		headers["ETag"], responses["304"] = ref("headers", "ETag"), ref("responses", "NotModified")
	}
	return schema{"operationId": id, "security": anybody, "summary": summary, "parameters": all, "responses": responses}
}

func write(id, summary, answer string, body schema, media string, creates bool) schema {
	params := []any{ref("parameters", "as"), ref("parameters", "idempotency")}
	if !creates {
		params = append(params, ref("parameters", "ifMatch"))
	}
	done := schema{"description": "The document.", "headers": writeHeaders(true),
		"content": schema{"application/json": schema{"schema": ref("schemas", answer)}}}
	op := schema{"operationId": id, "security": anybody, "summary": summary, "parameters": params,
		"responses": schema{"200": done, "default": ref("responses", "Problem")}}
	if creates {
		op["responses"].(schema)["201"] = done
	}
	if body != nil {
		op["requestBody"] = schema{"required": true, "content": schema{media: schema{"schema": body}}}
	}
	return op
}

func writeHeaders(tagged bool) schema {
	h := schema{HeaderPosition: ref("headers", "Position"), HeaderRead: ref("headers", "Read"),
		HeaderWrote: ref("headers", "Wrote")}
	if tagged {
		h["ETag"] = ref("headers", "ETag")
	}
	return h
}

func pageOf(member, item string) schema {
	return schema{"type": "object", "required": []any{member}, "additionalProperties": false, "properties": schema{
		member: schema{"type": "array", "items": ref("schemas", item)}, "next": schema{"type": "string"},
		"with": ref("schemas", "With")}}
}

// draftOf is the schema of new facts: what has a default may be left out.
func draftOf(facts schema, fields []*design.Field) schema {
	draft := schema{"type": "object", "additionalProperties": false, "properties": facts["properties"]}
	var required []any
	for _, f := range fields {
		if f.Required && f.Default == nil {
			required = append(required, f.Name)
		}
	}
	if required != nil {
		draft["required"] = required
	}
	return draft
}

func fieldsSchema(fields []*design.Field) schema {
	properties := schema{}
	var required []any
	for _, f := range fields {
		properties[f.Name] = fieldSchema(f)
		if f.Required {
			required = append(required, f.Name)
		}
	}
	s := schema{"type": "object", "additionalProperties": false, "properties": properties}
	if required != nil {
		s["required"] = required
	}
	return s
}

func fieldSchema(f *design.Field) schema {
	switch f.Type {
	case design.Timestamp:
		return schema{"type": "string", "format": "date-time"}
	case design.Media:
		return schema{"type": "string", "format": "uri-reference"}
	case design.Reference:
		return schema{"type": "string", "description": "The key of one of " + f.To.Name + "."}
	case design.Object:
		return fieldsSchema(f.Fields)
	case design.List, design.Set:
		s := schema{"type": "array", "items": fieldSchema(f.Of), "uniqueItems": f.Type == design.Set}
		ends(s, f, "minItems", "maxItems")
		return s
	}
	s := schema{"type": string(f.Type)}
	if f.OneOf != nil {
		s["enum"] = f.OneOf
	}
	if f.Type == design.String {
		ends(s, f, "minLength", "maxLength")
		if f.Pattern != nil {
			s["pattern"] = f.Pattern.Text
		}
		return s
	}
	ends(s, f, "minimum", "maximum")
	return s
}

func ends(s schema, f *design.Field, least, most string) {
	if f.Min != nil {
		s[least] = *f.Min
	}
	if f.Max != nil {
		s[most] = *f.Max
	}
}

// keptSchemas is the schema of kept values: all of them are there from the
// beginning, but for those that are being derived anew and not shown meanwhile.
func keptSchemas(kept []*design.Kept, building map[string]bool) schema {
	all := schema{"type": "object", "additionalProperties": false}
	properties := schema{}
	var required []any
	for _, k := range kept {
		properties[k.Name] = keptSchema(k)
		if !building[k.Name] {
			required = append(required, k.Name)
		}
	}
	if all["properties"] = properties; required != nil {
		all["required"] = required
	}
	return all
}

// forSome lets values be absent that not everybody may read.
func forSome(s schema, names []string) {
	required, _ := s["required"].([]any)
	required = slices.DeleteFunc(required, func(name any) bool { return slices.Contains(names, name.(string)) })
	if delete(s, "required"); len(required) > 0 {
		s["required"] = required
	}
}

func keptSchema(k *design.Kept) schema {
	shown := schema{}
	for _, part := range k.Parts {
		if part.Kept != nil {
			shown[part.Kept.Name] = keptSchema(part.Kept)
			continue
		}
		shown[part.Field.Name] = fieldSchema(part.Field)
	}
	switch k.Kind {
	case design.Copy:
		return orNull(schema{"type": "object", "additionalProperties": false, "properties": shown})
	case design.Count:
		return schema{"type": "integer"}
	case design.Sum:
		return schema{"type": "number"}
	case design.Min, design.Max:
		if k.Timed() {
			return orNull(schema{"type": "string", "format": "date-time"})
		}
		return orNull(schema{"type": "number"})
	case design.Gather:
		return schema{"type": "array", "maxItems": k.HowMany,
			"items": schema{"type": "string", "description": "The key of a document of " + k.Sources().Name + "."}}
	}
	shown["id"], shown["path"] = schema{"type": "string"}, schema{"type": "string"}
	return schema{"type": "array", "maxItems": k.HowMany,
		"items": schema{"type": "object", "required": []string{"id", "path"}, "additionalProperties": false,
			"properties": shown}}
}

func orNull(s schema) schema { return schema{"oneOf": []any{s, schema{"type": "null"}}} }

// typeName makes a schema's name of a design's: last_remarks becomes LastRemarks.
func typeName(name string) string {
	var b strings.Builder
	for _, part := range strings.Split(name, "_") {
		if part != "" {
			b.WriteString(strings.ToUpper(part[:1]) + part[1:])
		}
	}
	return b.String()
}
