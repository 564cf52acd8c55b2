package server

import (
	_ "embed"
	"net/http"
	"strings"

	"github.com/goccy/go-yaml"
	"github.com/labstack/echo/v5"

	"yalvo/internal/design"
	"yalvo/internal/plan"
)

//go:embed openapi.yaml
var openAPIBase []byte

// schema is a piece of an OpenAPI document.
type schema = map[string]any

// openAPI serves the API's description: the fixed part, and a path and a
// schema for everything the design in force has.
func (s *Server) openAPI(c *echo.Context) error {
	p, err := s.planIfAny(c)
	if err != nil {
		return err
	}
	doc, err := describe(p)
	if err != nil {
		return err
	}
	return c.JSON(http.StatusOK, doc)
}

func describe(p *plan.Plan) (schema, error) {
	var doc schema
	if err := yaml.Unmarshal(openAPIBase, &doc); err != nil {
		return nil, err
	}
	if p == nil {
		return doc, nil
	}
	paths, schemas := doc["paths"].(schema), doc["components"].(schema)["schemas"].(schema)
	doc["info"].(schema)["title"] = p.Design.App
	for _, col := range p.Collections {
		describeCollection(col, paths, schemas)
	}
	for _, pair := range p.Pairs {
		paths[Prefix+"/pairs/"+pair.Name+"/{from}/{to}"] = describePair(pair)
	}
	for _, t := range p.Timelines {
		describeTimeline(t, paths, schemas)
	}
	return doc, nil
}

func ref(kind, name string) schema { return schema{"$ref": "#/components/" + kind + "/" + name} }

func describeCollection(c *plan.Collection, paths, schemas schema) {
	name := typeName(c.Name)
	facts, kept := fieldsSchema(c.Collection.Fields),
		schema{"type": "object", "additionalProperties": false, "properties": keptSchemas(c)}
	schemas[name+"Facts"] = facts
	patched := fieldsSchema(c.Collection.Fields)
	delete(patched, "required")
	for member, one := range patched["properties"].(schema) {
		patched["properties"].(schema)[member] = schema{"oneOf": []any{one, schema{"type": "null"}}}
	}
	schemas[name+"Patch"] = patched
	schemas[name] = schema{"allOf": []any{ref("schemas", "Document"),
		schema{"type": "object", "properties": schema{"facts": ref("schemas", name+"Facts"), "kept": kept}}}}
	schemas[name+"Page"] = pageOf("documents", name)

	base, params := pathOf(c)
	draft := schema{"type": "object", "additionalProperties": false,
		"properties": schema{"id": ref("schemas", "ID"), "facts": draftOf(facts, c)}}
	paths[base] = schema{
		"parameters": params,
		"get":        read("list"+name, "A page of "+c.Name+" by id", name+"Page", "limit", "cursor", "prefix"),
		"post":       write("create"+name, "Create one of "+c.Name, name, draft, "application/json", true),
	}
	if c.Parent != nil {
		paths[Prefix+"/collections/"+c.Name] = schema{"get": read("listAll"+name,
			"A page of "+c.Name+" under any parent", name+"Page", "limit", "cursor", "prefix")}
	}
	one := append(append([]any{}, params...), ref("parameters", "id"))
	edit := write("patch"+name, "Edit by JSON Merge Patch (RFC 7396) of the facts, or JSON Patch (RFC 6902) of the "+
		"document", name, schema{"type": "object", "additionalProperties": false, "properties": schema{"facts": ref("schemas", name+"Patch")}}, mimeMergePatch, false)
	edit["requestBody"].(schema)["content"].(schema)[mimeJSONPatch] = schema{"schema": ref("schemas", "Operations")}
	paths[base+"/{id}"] = schema{
		"parameters": one,
		"get":        read("get"+name, "Read one of "+c.Name, name),
		"patch":      edit,
		"delete":     write("remove"+name, "Remove it and what hangs on it", name, nil, "", false),
	}
	for _, link := range outlineOf(c).Links {
		if link.Kind == "nested" {
			continue
		}
		paths[base+"/{id}/"+link.Name] = schema{
			"parameters": one,
			"get": read("list"+name+typeName(link.Name), "A page of its "+link.Name+", newest first",
				typeName(link.To)+"Page", "limit", "cursor"),
		}
	}
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

func describePair(p *plan.Pair) schema {
	end := func(name string) schema {
		return schema{"name": name, "in": "path", "required": true, "schema": schema{"type": "string"}}
	}
	act := func(id, summary string) schema {
		return schema{"operationId": id + typeName(p.Name), "summary": summary,
			"parameters": []any{ref("parameters", "as"), ref("parameters", "idempotency")},
			"responses": schema{"204": schema{"description": "So it is now.", "headers": writeHeaders(false)},
				"default": ref("responses", "Problem")}}
	}
	set := act("set", "Set the pair; twice is the same as once")
	if len(p.Fields) > 0 {
		set["requestBody"] = schema{"description": "Facts of the pair's own. Without a body a pair that stands keeps " +
			"those it has.",
			"content": schema{"application/json": schema{"schema": schema{"type": "object",
				"additionalProperties": false, "properties": schema{"facts": fieldsSchema(p.Fields)}}}}}
	}
	return schema{
		"parameters": []any{end("from"), end("to")},
		"get":        read("get"+typeName(p.Name), "How the pair stands", "PairState"),
		"put":        set,
		"delete":     act("unset", "Unset the pair; twice is the same as once"),
	}
}

func describeTimeline(t *plan.Timeline, paths, schemas schema) {
	owner := schema{"name": "owner", "in": "path", "required": true, "schema": ref("schemas", "ID")}
	base := Prefix + "/timelines/" + t.Name + "/{owner}"
	paths[base] = schema{"parameters": []any{owner},
		"get": read("read"+typeName(t.Name), "A page of a timeline, newest first", "TimelinePage", "limit", "cursor")}
	live := read("follow"+typeName(t.Name), "The first page, again whenever it changes", "TimelinePage", "limit")
	live["responses"].(schema)["200"] = schema{"description": "Server-sent events named page, each holding a " +
		"TimelinePage.", "content": schema{"text/event-stream": schema{"schema": schema{"type": "string"}}}}
	paths[base+"/live"] = schema{"parameters": []any{owner}, "get": live}
}

func read(id, summary, answer string, params ...string) schema {
	all := []any{ref("parameters", "settled"), ref("parameters", "patience")}
	for _, p := range params {
		all = append(all, ref("parameters", p))
	}
	return schema{"operationId": id, "summary": summary, "parameters": all, "responses": schema{
		"200": schema{"description": "As asked.",
			"headers": schema{headerRead: ref("headers", "Read"), headerWrote: ref("headers", "Wrote")},
			"content": schema{"application/json": schema{"schema": ref("schemas", answer)}}},
		"default": ref("responses", "Problem"),
	}}
}

func write(id, summary, answer string, body schema, media string, creates bool) schema {
	params := []any{ref("parameters", "as"), ref("parameters", "idempotency")}
	if !creates {
		params = append(params, ref("parameters", "ifMatch"))
	}
	done := schema{"description": "The document.", "headers": writeHeaders(true),
		"content": schema{"application/json": schema{"schema": ref("schemas", answer)}}}
	op := schema{"operationId": id, "summary": summary, "parameters": params,
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
	h := schema{headerPosition: ref("headers", "Position"), headerRead: ref("headers", "Read"),
		headerWrote: ref("headers", "Wrote")}
	if tagged {
		h["ETag"] = ref("headers", "ETag")
	}
	return h
}

func pageOf(member, item string) schema {
	return schema{"type": "object", "required": []any{member}, "additionalProperties": false, "properties": schema{
		member: schema{"type": "array", "items": ref("schemas", item)}, "next": schema{"type": "string"}}}
}

// draftOf is the schema of a new document's fields: what has a default may be left out.
func draftOf(facts schema, c *plan.Collection) schema {
	draft := schema{"type": "object", "additionalProperties": false, "properties": facts["properties"]}
	var required []any
	for _, f := range c.Collection.Fields {
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

func keptSchemas(c *plan.Collection) schema {
	all := schema{}
	for _, k := range c.Kept {
		all[k.Name] = keptSchema(k)
	}
	return all
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
