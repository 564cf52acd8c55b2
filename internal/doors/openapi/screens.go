package openapi

import (
	"maps"
	"slices"
	"strings"

	"yalvo/internal/design"
	"yalvo/internal/design/plan"
)

// screen is a screen: one answer with those of all its parts, and the problems of parts that are refused.
func (d *description) screen(p *plan.Plan, s *design.Screen) {
	name := d.free(typeName(s.Name), "Screen")
	parts, refused := schema{}, schema{}
	for _, part := range s.Parts {
		refused[part.Name] = ref("schemas", "Problem")
		switch what, of := part.Reads(); what {
		case "timeline", "list":
			parts[part.Name] = ref("schemas", d.pages[of])
		case "leads":
			parts[part.Name] = ref("schemas", d.names[p.Collection(part.Shows.Name)]+"Page")
		default:
			parts[part.Name] = ref("schemas", d.names[p.Collection(part.Shows.Name)])
		}
	}
	d.schemas[name+"Screen"] = schema{"type": "object", "required": []any{"parts"}, "properties": schema{
		"parts":   schema{"type": "object", "properties": parts, "additionalProperties": false},
		"refused": schema{"type": "object", "properties": refused, "additionalProperties": false}}}
	path, of := Prefix+"/screens/"+s.Name, []any{}
	if s.Of != nil {
		path += "/{of}"
		said := "The key of one of " + s.Of.Name + "; of a nested one with its slashes escaped."
		if s.By != nil {
			said = "The " + s.By.Name + " of one of " + s.Of.Name + "."
		}
		of = append(of, schema{"name": "of", "in": "path", "required": true, "schema": schema{"type": "string"},
			"description": said})
	}
	d.paths[path] = withParameters(of, schema{"get": d.screenRead(s, name)})
	if slices.ContainsFunc(s.Parts, func(p *design.ScreenPart) bool { return p.Live }) {
		d.liveScreen(s, name, path, of)
	}
}

func (d *description) screenRead(s *design.Screen, name string) schema {
	get := read(d.operation("show"+name), "The screen "+s.Name, name+"Screen", "cursor", "as", "ifNoneMatch")
	responses := get["responses"].(schema)
	responses["200"].(schema)["headers"].(schema)["ETag"] = ref("headers", "ETag")
	responses["304"] = ref("responses", "NotModified")
	params := append(get["parameters"].([]any), schema{"name": "part", "in": "query", "description": "This part alone.",
		"schema": schema{"type": "string", "enum": anys(design.NamesOf(s.Parts,
			func(p *design.ScreenPart) string { return p.Name }))}})
	own, looks := s.Params()
	for _, p := range own {
		params = append(params, schema{"name": p.Name, "in": "query", "required": p.Default == nil,
			"schema": fieldSchema(p)})
	}
	for _, look := range looks {
		params = append(params, schema{"name": look, "in": "query", "required": true,
			"schema": schema{"type": "string", "minLength": 1}})
	}
	get["parameters"] = params
	return get
}

// liveScreen is a screen that goes on.
func (d *description) liveScreen(s *design.Screen, name, path string, of []any) {
	get := maps.Clone(d.paths[path].(schema)["get"].(schema))
	get["operationId"], get["summary"] = d.operation("follow"+name), "The same, and then what happens to its live parts"
	get["parameters"] = append(withoutRefs(get["parameters"].([]any), "cursor", "ifNoneMatch"),
		ref("parameters", "lastEvent"))
	get["responses"] = schema{"default": ref("responses", "Problem"), "200": schema{
		"description": "Server-sent events: screen, which is what the read answers; then removed, added, moved, " +
			"changed and " +
			"counts, each about an item of the part that it names; and current when that is all, with an id for " +
			"all that is shown.",
		"content": schema{"text/event-stream": schema{"schema": schema{"type": "string"}}}}}
	d.paths[Prefix+"/live"+strings.TrimPrefix(path, Prefix)] = withParameters(of, schema{"get": get})
}

func anys(names []string) []any {
	all := make([]any, len(names))
	for i, name := range names {
		all[i] = name
	}
	return all
}
