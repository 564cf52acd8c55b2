package expr

import (
	"errors"
	"fmt"
	"regexp"
	"regexp/syntax"
)

// Limits on patterns (RE2 syntax). Matching takes time in proportion to the
// length of the text times the steps of the pattern; the product is bounded, so
// that no match takes more than about a tenth of a second.
const (
	maxPatternText  = 1000      // bytes
	maxPatternSteps = 2000      // instructions of the compiled pattern
	maxMatchWork    = 4_000_000 // bytes of text times steps
)

// Pattern is a pattern that texts are matched against.
type Pattern struct {
	Text  string
	re    *regexp.Regexp
	steps int
}

// CompilePattern reads a pattern.
func CompilePattern(text string) (*Pattern, error) {
	if len(text) > maxPatternText {
		return nil, fmt.Errorf("the pattern has %d bytes, %d are allowed", len(text), maxPatternText)
	}
	tree, err := syntax.Parse(text, syntax.Perl)
	var wrong *syntax.Error
	if errors.As(err, &wrong) {
		return nil, fmt.Errorf("the pattern cannot be read: %s: `%s`", wrong.Code, wrong.Expr)
	}
	if err != nil {
		return nil, err
	}
	program, err := syntax.Compile(tree.Simplify())
	if err != nil {
		return nil, err
	}
	steps := len(program.Inst)
	if steps > maxPatternSteps {
		return nil, fmt.Errorf("the pattern takes %d steps, %d are allowed: repeat less in it", steps, maxPatternSteps)
	}
	re, err := regexp.Compile(text)
	return &Pattern{text, re, steps}, err
}

// Longest is how many bytes the texts may have that the pattern is matched against.
func (p *Pattern) Longest() int { return maxMatchWork / p.steps }

// Matches tells whether the pattern is found in a text. Texts that are too long are
// the caller's to refuse.
func (p *Pattern) Matches(text string) bool { return p.re.MatchString(text) }
