package design

import (
	"errors"
	"fmt"

	"github.com/goccy/go-yaml"
	"github.com/goccy/go-yaml/ast"
	"github.com/goccy/go-yaml/parser"
	"github.com/goccy/go-yaml/token"
)

// node is a piece of the file, stripped to what a design is made of.
type node struct {
	pos     Pos
	shape   shape
	entries []entry // mapping
	items   []*node // sequence
	scalar  any     // nil, bool, string, int64 or float64
}

type entry struct {
	key   string
	pos   Pos
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
	file, err := parser.ParseBytes(source, 0)
	if err != nil {
		var syntax yaml.Error
		if !errors.As(err, &syntax) {
			r.problem(Pos{1, 1}, CodeSyntax, err.Error(), "")
			return nil
		}
		r.problem(posOf(syntax.GetToken()), CodeSyntax, syntax.GetMessage(), "see that the file is YAML 1.2")
		return nil
	}
	if len(file.Docs) == 0 || file.Docs[0].Body == nil {
		r.problem(Pos{1, 1}, CodeShape, "the file is empty", "begin with `yalvo: 1`")
		return nil
	}
	if len(file.Docs) > 1 {
		r.problem(posOf(file.Docs[1].GetToken()), CodeSyntax, "the file holds more than one YAML document",
			"keep one design in one file")
	}
	return r.convert(file.Docs[0].Body)
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
	case *ast.StringNode:
		return &node{pos: at, shape: word, scalar: n.Value}
	case *ast.LiteralNode:
		return &node{pos: at, shape: word, scalar: n.Value.Value}
	case *ast.BoolNode:
		return &node{pos: at, shape: word, scalar: n.Value}
	case *ast.FloatNode:
		return &node{pos: at, shape: word, scalar: n.Value}
	case *ast.IntegerNode:
		return &node{pos: at, shape: word, scalar: integerOf(n.Value)}
	case *ast.NullNode:
		return &node{pos: at, shape: word}
	}
	r.problem(at, CodeSyntax, fmt.Sprintf("a design has no use for this YAML (%s)", n.Type()), "write the value out")
	return &node{pos: at, shape: word}
}

func (r *reader) convertMapping(at Pos, values []*ast.MappingValueNode) *node {
	out := &node{pos: at, shape: mapping}
	for _, v := range values {
		key, pos := v.Key.GetToken().Value, posOf(v.Key.GetToken())
		out.entries = append(out.entries, entry{key, pos, r.convert(v.Value)})
		if len(out.entries) == 1 {
			out.pos = pos
		}
	}
	return out
}

// integerOf takes the parser's int64 or uint64; what exceeds int64 is a float64.
func integerOf(v any) any {
	switch v := v.(type) {
	case int64:
		return v
	case uint64:
		if v <= 1<<63-1 {
			return int64(v)
		}
		return float64(v)
	}
	return v
}

func posOf(t *token.Token) Pos {
	if t == nil || t.Position == nil {
		return Pos{1, 1}
	}
	return Pos{t.Position.Line, t.Position.Column}
}
