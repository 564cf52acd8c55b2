package language

import (
	"fmt"
	"unicode/utf8"

	"yalvo/internal/design"
	"yalvo/internal/design/expr"
)

// MaxChecks is how many checks a collection may have.
const MaxChecks = 50

// maxOtherwise is how many characters the words may have that a check is told with.
const maxOtherwise = 300

func (r *reader) readChecks(n *node, c *design.Collection) {
	if n.shape != sequence || len(n.items) == 0 {
		r.problem(n.pos, design.CodeShape, "checks must be a list, this is "+describe(n),
			"write [{that: \"has(doc.text)\", otherwise: \"it needs words\"}]")
		return
	}
	if len(n.items) > MaxChecks {
		r.problem(n.items[MaxChecks].pos, design.CodeTooLarge,
			fmt.Sprintf("collection %q has %d checks, %d are allowed", c.Name, len(n.items), MaxChecks), "")
		return
	}
	for _, item := range n.items {
		check := &design.Check{Pos: item.pos}
		r.mapping(item, "a check", keys{
			"that":      func(n *node) { r.last = append(r.last, func() { r.readThat(n, c, check) }) },
			"otherwise": func(n *node) { check.Otherwise = r.sentence(n, "otherwise", maxOtherwise) },
		}, "that", "otherwise")
	}
}

// readThat compiles a check's condition when the collection's fields are known. One that
// cannot be used is no check.
func (r *reader) readThat(n *node, c *design.Collection, check *design.Check) {
	facts := design.ShapeOf(c.Fields)
	if check.That = r.condition(n, "that", map[string]expr.Shape{"doc": facts, "old": facts}); check.That != nil {
		c.Checks = append(c.Checks, check)
	}
}

// sentence reads words for people.
func (r *reader) sentence(n *node, what string, most int) string {
	s, is := n.scalar.(string)
	if !is || s == "" {
		r.problem(n.pos, design.CodeShape, fmt.Sprintf("%s must be words, this is %s", what, describe(n)), "")
	}
	if many := utf8.RuneCountInString(s); many > most {
		r.problem(n.pos, design.CodeTooLarge, fmt.Sprintf("%s has %d characters, %d are allowed", what, many, most), "")
	}
	return s
}
