package language

import (
	"bytes"
	"fmt"
	"slices"
	"unicode/utf8"

	"github.com/goccy/go-yaml/token"

	"yalvo/internal/design"
)

// Limits of a design. They bound what reading the file takes, in memory and in
// time, and what a design in force costs for each document.
const (
	MaxSize     = 256 << 10 // bytes of the file
	MaxLevels   = 64        // mappings and lists in one another
	MaxKeys     = 1000      // keys of one mapping
	MaxNames    = 2000      // collections, fields, kept values, pairs, timelines and triggers together
	MaxTriggers = 100
	MaxSteps    = 20     // of a trigger
	MaxUnder    = 8      // ids in the key of a nested document
	MaxShown    = 2000   // values that the kept values of one document show together
	MaxShownAll = 20_000 // values that the kept values of the whole design show, of one document each
	MaxProblems = 50     // problems told at once
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

// checkSize sees that a design has no more names than a service can work by.
func (r *reader) checkSize() bool {
	d := r.design
	names := len(d.Collections) + len(d.Pairs) + len(d.Timelines) + len(d.Triggers)
	for _, c := range d.Collections {
		names += countFields(c.Fields) + len(c.Kept) + len(c.Checks)
	}
	for _, p := range d.Pairs {
		names += countFields(p.Fields)
	}
	if names > MaxNames {
		r.problem(top, design.CodeTooLarge,
			fmt.Sprintf("the design has %d names, %d are allowed: collections, fields, "+
				"kept values, pairs, timelines and triggers together", names, MaxNames), "")
	}
	if len(d.Triggers) > MaxTriggers {
		r.problem(d.Triggers[MaxTriggers].Pos, design.CodeTooLarge,
			fmt.Sprintf("the design has %d triggers, %d are allowed",
				len(d.Triggers), MaxTriggers), "")
	}
	return names <= MaxNames && len(d.Triggers) <= MaxTriggers
}

// checkDepth sees that keys do not grow without end.
func (r *reader) checkDepth() {
	for _, c := range r.design.Collections {
		if depth := c.Depth(); depth > MaxUnder {
			r.problem(c.Pos, design.CodeTooLarge,
				fmt.Sprintf("documents of %q lie %d deep, %d are allowed", c.Name, depth,
					MaxUnder), "let one of them stand alone and point at its parent")
			return
		}
	}
}

func countFields(fields []*design.Field) int {
	n := len(fields)
	for _, f := range fields {
		n += countFields(f.Fields)
		if f.Of != nil {
			n += countFields(f.Of.Fields)
		}
	}
	return n
}

// checkShown sees that what documents show of others stays within bounds: a
// copy of copies, or the latest of latest, can double at every step.
func (r *reader) checkShown() {
	if len(r.problems) > 0 {
		return // a circle never ends
	}
	known, all := map[*design.Kept]int{}, 0
	for _, c := range r.design.Collections {
		sum := 0
		for _, k := range c.Kept {
			sum += shownBy(k, known)
		}
		if all += min(sum, MaxShown); sum > MaxShown {
			largest := slices.MaxFunc(c.Kept, func(a, b *design.Kept) int {
				return shownBy(a, known) - shownBy(b, known)
			})
			r.problem(largest.Pos, design.CodeTooLarge,
				fmt.Sprintf("the kept values of %q show %s values together, %d are "+
					"allowed", c.Name, atMost(sum), MaxShown), "show fewer fields, or less of what is itself kept")
		}
	}
	if all > MaxShownAll {
		r.problem(top, design.CodeTooLarge,
			fmt.Sprintf("the kept values of the design show %d values together, %d are "+
				"allowed", all, MaxShownAll), "show fewer fields")
	}
}

// muchShown is where counting what is shown ends.
const muchShown = 1_000_000

func atMost(n int) string {
	if n >= muchShown {
		return fmt.Sprintf("%d or more", n)
	}
	return fmt.Sprint(n)
}

// shownBy is how many single values a kept value shows, up to [muchShown].
func shownBy(k *design.Kept, known map[*design.Kept]int) int {
	if n, is := known[k]; is {
		return n
	}
	each := 1
	for _, p := range k.Parts {
		if p.Kept != nil {
			each += shownBy(p.Kept, known)
		} else {
			each += 1 + countFields([]*design.Field{p.Field})
		}
	}
	known[k] = min(each*max(k.HowMany, 1), muchShown)
	return known[k]
}
