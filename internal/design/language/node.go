package language

import (
	"errors"
	"fmt"
	"regexp"
	"strconv"
	"strings"

	"github.com/goccy/go-yaml"
	"github.com/goccy/go-yaml/ast"
	"github.com/goccy/go-yaml/lexer"
	"github.com/goccy/go-yaml/parser"
	"github.com/goccy/go-yaml/token"

	"yalvo/internal/design"
)

// node is a piece of the file, stripped to what a design is made of.
type node struct {
	pos     design.Pos
	shape   shape
	entries []entry // mapping
	items   []*node // sequence
	scalar  any     // nil, bool, string, int64 or float64
}

type entry struct {
	key   string
	pos   design.Pos
	value *node
}

type shape string

const (
	mapping  shape = "a mapping"
	sequence shape = "a list"
	word     shape = "a single value"
)

// parse turns the file into nodes. What is not YAML, and what YAML has but a
// design has no use for, is a problem at its place.
func (r *reader) parse(source []byte) *node {
	source, ok := r.readable(source)
	if !ok {
		return nil
	}
	tokens := lexer.Tokenize(string(source))
	if !r.bounded(tokens) {
		return nil
	}
	file, err := parser.Parse(tokens, 0, parser.AllowDuplicateMapKey())
	if err != nil {
		var syntax yaml.Error
		if !errors.As(err, &syntax) {
			r.problem(top, design.CodeSyntax, err.Error(), "")
			return nil
		}
		r.problem(posOf(syntax.GetToken()), design.CodeSyntax, syntax.GetMessage(), "see that the file is YAML 1.2")
		return nil
	}
	if len(file.Docs) == 0 || file.Docs[0].Body == nil {
		begin := "begin with `yalvo: 1`"
		if r.design != nil && len(r.design.Collections) > 0 { // it lies beside one that has been read
			begin = "begin with how many accounts there are, as in `accounts: 1000`"
		}
		r.problem(top, design.CodeShape, "the file is empty", begin)
		return nil
	}
	if len(file.Docs) > 1 {
		r.problem(posOf(file.Docs[1].GetToken()), design.CodeSyntax, "the file holds more than one YAML document",
			"keep one design in one file")
	}
	root := r.convert(file.Docs[0].Body)
	if r.unread {
		return nil
	}
	return root
}

func (r *reader) convert(n ast.Node) *node {
	at := posOf(n.GetToken())
	switch n := n.(type) {
	case *ast.MappingNode:
		return r.convertMapping(at, n.Values)
	case *ast.MappingValueNode:
		return r.convertMapping(at, []*ast.MappingValueNode{n})
	case *ast.SequenceNode:
		out := &node{pos: at, shape: sequence}
		for _, v := range n.Values {
			out.items = append(out.items, r.convert(v))
		}
		return out
	case *ast.LiteralNode:
		return &node{pos: at, shape: word, scalar: n.Value.Value}
	case *ast.StringNode:
		if n.Token.Type == token.SingleQuoteType || n.Token.Type == token.DoubleQuoteType {
			return &node{pos: at, shape: word, scalar: n.Value}
		}
		return &node{pos: at, shape: word, scalar: plainScalar(n.Value)}
	case *ast.BoolNode, *ast.FloatNode, *ast.IntegerNode, *ast.NullNode, *ast.InfinityNode, *ast.NanNode:
		return &node{pos: at, shape: word, scalar: plainScalar(n.GetToken().Value)}
	}
	r.unread = true
	r.problem(at, design.CodeSyntax, "a design has no anchors, aliases, tags or merged keys", "write the value out")
	return &node{pos: at, shape: word}
}

func (r *reader) convertMapping(at design.Pos, values []*ast.MappingValueNode) *node {
	out := &node{pos: at, shape: mapping}
	first := map[string]design.Pos{}
	for _, v := range values {
		key, pos := v.Key.GetToken().Value, posOf(v.Key.GetToken())
		if before, twice := first[key]; twice {
			r.problem(pos, design.CodeNameTaken,
				fmt.Sprintf("the key %q stands here twice, first in line %d, column %d", key,
					before.Line, before.Column), "keep one of them")
			continue
		}
		first[key] = pos
		out.entries = append(out.entries, entry{key, pos, r.convert(v.Value)})
		if len(out.entries) == 1 {
			out.pos = pos
		}
	}
	return out
}

// The forms of plain scalars in the core schema of YAML 1.2.2, section 10.3.2.
var (
	decimalForm = regexp.MustCompile(`^[-+]?[0-9]+$`)
	octalForm   = regexp.MustCompile(`^0o[0-7]+$`)
	hexForm     = regexp.MustCompile(`^0x[0-9a-fA-F]+$`)
	floatForm   = regexp.MustCompile(`^[-+]?(\.[0-9]+|[0-9]+(\.[0-9]*)?)([eE][-+]?[0-9]+)?$`)
)

// plainScalar is the value of a word without quotes: a number only if YAML 1.2
// has it so. 010 is ten, and 1_0, 0b1 and yes are texts.
func plainScalar(text string) any {
	switch text {
	case "", "~", "null", "Null", "NULL":
		return nil
	case "true", "True", "TRUE":
		return true
	case "false", "False", "FALSE":
		return false
	}
	digits, base := text, 10
	switch {
	case octalForm.MatchString(text):
		digits, base = text[2:], 8
	case hexForm.MatchString(text):
		digits, base = text[2:], 16
	case !floatForm.MatchString(text):
		return text
	}
	if base != 10 || decimalForm.MatchString(text) {
		if n, err := strconv.ParseInt(strings.TrimPrefix(digits, "+"), base, 64); err == nil {
			return n
		}
		if base != 10 {
			return text // larger than any number that a design has a use for
		}
	}
	x, err := strconv.ParseFloat(text, 64)
	if err != nil { // too large for 64 bits
		return text
	}
	return x
}

func posOf(t *token.Token) design.Pos {
	if t == nil || t.Position == nil {
		return top
	}
	return design.Pos{Line: t.Position.Line, Column: t.Position.Column}
}
