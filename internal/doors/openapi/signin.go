package openapi

import (
	"maps"

	"yalvo/internal/design/plan"
)

// signIn describes how accounts sign up, if the design names any, and in, if they do that
// here.
func (d *description) signIn(p *plan.Plan) {
	if p.Design.Accounts == nil {
		return
	}
	c := p.Collection(p.Design.Accounts.Name)
	name := d.names[c]
	draft := draftOf(d.schemas[name+"Facts"].(schema), c.Collection.Fields)
	body := schema{"type": "object", "additionalProperties": false, "required": []any{"facts"},
		"properties": schema{"facts": draft, "password": ref("schemas", "Password")}}
	answer := d.free("SignedUp", "")
	d.schemas[answer] = schema{"type": "object", "additionalProperties": false, "required": []any{"document"},
		"properties": schema{"document": ref("schemas", name), "account": schema{"type": "string"},
			"access_token": schema{"type": "string"}, "token_type": schema{"const": "Bearer"},
			"expires_in": schema{"type": "integer"}, "refresh_token": schema{"type": "string"}}}
	up := asked(d.operation("signUp"),
		"Create an account: with a password, or with a token of the app's identity provider", body,
		ref("schemas", answer), "201")
	up["security"] = anybody
	made := up["responses"].(schema)["201"].(schema)
	made["headers"] = writeHeaders(false)
	again := maps.Clone(made)
	again["description"] = "Whoever has signed up so before, with the same password: an answer may get lost."
	up["responses"].(schema)["200"] = again
	d.paths[Prefix+"/sign-up"] = schema{"post": up}
	if p.Design.SignIn == nil {
		return
	}
	field := p.Design.SignIn.Name
	d.paths[Prefix+"/sign-in"] = schema{"post": asked(d.operation("signIn"), "Sign in with a password",
		schema{"type": "object", "additionalProperties": false, "required": []any{field, "password"},
			"properties": schema{field: schema{"type": "string"}, "password": schema{"type": "string"}}},
		ref("schemas", "Signed"), "200")}
}

// asked is an operation that a stranger asks with a body in JSON.
func asked(id, summary string, body, answer schema, status string) schema {
	return schema{"operationId": id, "summary": summary, "security": []schema{{}},
		"requestBody": schema{"required": true, "content": schema{"application/json": schema{"schema": body}}},
		"responses": schema{
			status: schema{"description": "Whoever has signed in.",
				"content": schema{"application/json": schema{"schema": answer}}},
			"default": ref("responses", "Problem")}}
}
