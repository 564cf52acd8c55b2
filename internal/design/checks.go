package design

import (
	"fmt"
	"slices"

	"yalvo/internal/design/expr"
)

// Check is something that must hold of a document.
type Check struct {
	Pos       Pos
	That      *expr.Expr // over `doc` and, of an edit, `old`: the document before it
	Otherwise string     // what those are told who break it
}

// OfEdits tells whether the check names what was before an edit: it is tried on edits
// alone.
func (c *Check) OfEdits() bool { return c.That.Names("old") }

// About tells whether the check is about any of some fields.
func (c *Check) About(fields []string) bool {
	return slices.ContainsFunc(fields, func(name string) bool { return c.That.Names("doc", name) })
}

// Broken is a check that does not hold of a document.
type Broken struct {
	*Check
	Mistake
}

// Broken are the checks of the collection that do not hold of facts that fit its fields;
// old are those before an edit, nil if it is none. A check that takes too many steps
// counts as broken, and says so.
func (c *Collection) Broken(facts, old map[string]any) []Broken {
	var broken []Broken
	for _, check := range c.Checks {
		if old == nil && check.OfEdits() {
			continue
		}
		holds, err := check.That.Holds(map[string]any{"doc": facts, "old": old})
		m := Mistake{Code: MistakeCheck, Detail: check.Otherwise}
		if err != nil {
			m = Mistake{Code: MistakeCostly, Detail: fmt.Sprintf("the check `%s` cannot be worked out for these "+
				"facts: %v; shorten them", check.That.Text, err)}
		}
		if !holds {
			broken = append(broken, Broken{check, m})
		}
	}
	return broken
}

// AcceptWhole is [AcceptAll] for the facts of a document, with the checks that do not
// hold of what fits.
func (c *Collection) AcceptWhole(values map[string]any) (map[string]any, []Mistake) {
	accepted, mistakes := AcceptAll(c.Fields, values)
	for _, b := range c.Broken(accepted, nil) {
		mistakes = append(mistakes, b.Mistake)
	}
	return accepted, mistakes
}
