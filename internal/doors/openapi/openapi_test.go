package openapi_test

import (
	"encoding/json"
	"testing"

	"github.com/getkin/kin-openapi/openapi3"

	"yalvo/demo"
	"yalvo/internal/design/language"
	"yalvo/internal/design/plan"
	"yalvo/internal/doors/openapi"
)

func TestTheOpenAPIDocumentFollowsTheDesign(t *testing.T) {
	d, err := language.Read("fenwatch.yaml", demo.Design)
	if err != nil {
		t.Fatal(err)
	}
	var n plan.Number
	p := plan.New(d, func(string, string) plan.Number { n++; return n })
	for name, p := range map[string]*plan.Plan{"without a design": nil, "fenwatch": p} {
		doc, err := openapi.Describe(p)
		if err != nil {
			t.Fatal(err)
		}
		raw, err := json.Marshal(doc)
		if err != nil {
			t.Fatal(err)
		}
		read, err := openapi3.NewLoader().LoadFromData(raw)
		if err != nil {
			t.Fatalf("%s: %v", name, err)
		}
		if err := read.Validate(t.Context()); err != nil {
			t.Errorf("%s: %v", name, err)
		}
		if p == nil {
			continue
		}
		for _, path := range []string{"/v1/collections/members/{id}/followers",
			"/v1/collections/sightings/{sightings_id}/remarks/{id}", "/v1/pairs/like/{from}/{to}",
			"/v1/live/timelines/home/{owner}"} {
			if read.Paths.Find(path) == nil {
				t.Errorf("%s is not described", path)
			}
		}
		fields := read.Components.Schemas["SightingsFacts"].Value
		if max := fields.Properties["text"].Value.MaxLength; max == nil || *max != 600 {
			t.Error("the text's length is not described")
		}
		if _, has := fields.Properties["byline"]; has {
			t.Error("a kept value is described as a field")
		}
	}
}
