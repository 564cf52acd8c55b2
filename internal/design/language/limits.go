package language

import (
	"bytes"
	"fmt"
	"unicode/utf8"

	"github.com/goccy/go-yaml/token"

	"yalvo/internal/design"
)

// Limits of a design file. They bound what reading it takes, in memory and in time.
// What a design in force may come to is bounded by package soundness.
const (
	MaxSize     = 256 << 10 // bytes of the file
	MaxLevels   = 64        // mappings and lists in one another
	MaxKeys     = 1000      // keys of one mapping
	MaxSteps    = 20        // of a trigger
	MaxProblems = 50        // problems told at once
)

// top is the place of what concerns the whole file.
var top = design.Pos{Line: 1, Column: 1}

// readable sees that the file is text which the parser can take, and takes it
// without the byte order mark that YAML allows.
func (r *reader) readable(source []byte) ([]byte, bool) {
	if len(source) > MaxSize {
		r.problem(top, design.CodeTooLarge, fmt.Sprintf("the file has %d bytes, %d are allowed", len(source), MaxSize),
			"")
		return nil, false
	}
	source = bytes.TrimPrefix(source, []byte("\uFEFF"))
	line, column := 1, 0
	for i, size := 0, 0; i < len(source); i += size {
		var c rune
		c, size = utf8.DecodeRune(source[i:])
		column++
		switch {
		case c == utf8.RuneError && size == 1:
			r.problem(design.Pos{Line: line, Column: column}, design.CodeSyntax,
				fmt.Sprintf("the byte 0x%02X is no UTF-8", source[i]),
				"save the file as UTF-8")
			return nil, false
		case c == '\n':
			line, column = line+1, 0
		case c < ' ' && c != '\t' && c != '\r' || c == 0x7F:
			r.problem(design.Pos{Line: line, Column: column}, design.CodeSyntax,
				fmt.Sprintf("the character U+%04X may not stand in YAML", c),
				"take it out")
			return nil, false
		}
	}
	return source, true
}

// level is a mapping or list that is open at a place of the file.
type level struct {
	column int // in block style: twice the column, and one more for the items of a list
	flow   bool
	keys   int
}

// levels are those open, from the outside in.
type levels []level

// block opens the level of a key or item that stands at a column, and closes
// what lies deeper.
func (ls levels) block(column int) levels {
	for n := len(ls); n > 0 && !ls[n-1].flow && ls[n-1].column > column; n-- {
		ls = ls[:n-1]
	}
	if n := len(ls); n > 0 && (ls[n-1].flow || ls[n-1].column == column) {
		return ls
	}
	return append(ls, level{column: column})
}

// endFlow closes the innermost mapping or list in brackets.
func (ls levels) endFlow() levels {
	at := len(ls) - 1
	for at >= 0 && !ls[at].flow {
		at--
	}
	return ls[:max(at, 0)]
}

// bounded sees that the file is neither nested deeper nor wider than the parser
// can bear: it takes the square of both.
func (r *reader) bounded(tokens token.Tokens) bool {
	var open levels
	for i, t := range tokens {
		switch t.Type {
		case token.SequenceStartType, token.MappingStartType:
			open = append(open, level{flow: true})
		case token.SequenceEndType, token.MappingEndType:
			open = open.endFlow()
		case token.SequenceEntryType, token.MappingKeyType:
			open = open.block(2*t.Position.Column + 1)
		case token.MappingValueType:
			if i > 0 {
				open = open.block(2 * tokens[i-1].Position.Column)
				open[len(open)-1].keys++
			}
		}
		if len(open) > MaxLevels {
			r.problem(posOf(t), design.CodeTooLarge, fmt.Sprintf("this is nested deeper than %d levels", MaxLevels), "")
			return false
		}
		if n := len(open); n > 0 && open[n-1].keys > MaxKeys {
			r.problem(posOf(t), design.CodeTooLarge, fmt.Sprintf("this mapping has more than %d keys", MaxKeys), "")
			return false
		}
	}
	return true
}
