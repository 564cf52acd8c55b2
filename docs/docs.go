// Package docs holds the documents that the service serves itself.
package docs

import _ "embed"

// CommandsSchema is the JSON Schema (2020-12) of what the commands answer with --json.
//
//go:embed commands.schema.json
var CommandsSchema []byte

// DesignSchema is the JSON Schema (2020-12) of the design file, for editors.
//
//go:embed design.schema.json
var DesignSchema []byte
