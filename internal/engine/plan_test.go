package engine

import (
	"testing"

	"yalvo/internal/design"
	"yalvo/internal/plan"
)

// planOf is the plan of a design, its names numbered as they come.
func planOf(t *testing.T, source string) *plan.Plan {
	t.Helper()
	d, err := design.Read("test.yaml", []byte(source))
	if err != nil {
		t.Fatal(err)
	}
	var n plan.Number
	return plan.New(d, func(string, string) plan.Number { n++; return n })
}
