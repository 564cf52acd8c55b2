package language

import (
	"bytes"
	"errors"
	"fmt"
	"slices"
	"strings"

	"yalvo/internal/design"
)

// Amend is the text of a design in which something has another value under a key; an empty key takes what is at the
// path away. All else stays as it is written, comments too.
func Amend(source []byte, path []string, key, value string) ([]byte, error) {
	r := &reader{design: &design.Design{}}
	root := r.parse(source)
	if root == nil {
		return nil, r.problems
	}
	at, before := root, root
	var own entry
	for _, name := range path {
		i := slices.IndexFunc(at.entries, func(e entry) bool { return e.key == name })
		if i < 0 {
			return nil, fmt.Errorf("there is nothing at %s", strings.Join(path, "."))
		}
		before, own, at = at, at.entries[i], at.entries[i].value
	}
	t := text{source}
	switch {
	case key == "" && len(before.entries) == 1 && len(path) > 1: // nothing would be left in it
		return Amend(source, path[:len(path)-1], "", "")
	case key == "":
		return t.without(own)
	}
	if i := slices.IndexFunc(at.entries, func(e entry) bool { return e.key == key }); i >= 0 {
		e := at.entries[i]
		from, to := t.span(e.value)
		return slices.Concat(source[:from], []byte(value), source[to:]), nil
	}
	return t.with(at, key+": "+value)
}

// text is the text of a file, by its lines.
type text struct{ source []byte }

// offset is where a place is.
func (t text) offset(at design.Pos) int {
	from := 0
	for range at.Line - 1 {
		i := bytes.IndexByte(t.source[from:], '\n')
		if i < 0 {
			return len(t.source)
		}
		from += i + 1
	}
	line := t.source[from:]
	for range at.Column - 1 { // columns are characters
		if len(line) == 0 {
			break
		}
		n := 1
		for n < len(line) && line[n]&0xC0 == 0x80 {
			n++
		}
		line = line[n:]
	}
	return len(t.source) - len(line)
}

// span is from where to where a single value, or one in braces or brackets, is written.
func (t text) span(n *node) (from, to int) {
	from = t.offset(n.pos)
	if n.shape == mapping && from > 0 { // it begins with its first key
		if open := bytes.LastIndexAny(t.source[:from], "{\n"); open >= 0 && t.source[open] == '{' {
			from = open
		}
	}
	return from, t.end(from)
}

// end is where a value ends that begins at a place.
func (t text) end(from int) int {
	depth := 0
	for i := from; i < len(t.source); i++ {
		switch c := t.source[i]; {
		case c == '"' || c == '\'':
			if i = t.quoted(i); depth == 0 {
				return i + 1
			}
		case c == '{' || c == '[':
			depth++
		case c == '}' || c == ']':
			if depth--; depth < 0 {
				return i
			}
			if depth == 0 {
				return i + 1
			}
		case depth == 0 && (c == '\n' || c == ',' || c == '#' && i > 0 && t.source[i-1] == ' '):
			return i - len(t.source[from:i]) + len(bytes.TrimRight(t.source[from:i], " "))
		}
	}
	return len(t.source)
}

// quoted is where a text in quotes ends that begins at a place.
func (t text) quoted(i int) int {
	quote := t.source[i]
	for i++; i < len(t.source) && t.source[i] != quote; i++ {
		if quote == '"' && t.source[i] == '\\' {
			i++
		}
	}
	return i
}

var errHard = errors.New("it is written in a way that is not amended: write it by hand")

// with adds a key to a mapping: before its closing brace, or on a line of its own.
func (t text) with(n *node, member string) ([]byte, error) {
	if n.shape != mapping || len(n.entries) == 0 {
		return nil, errHard
	}
	first := t.offset(n.entries[0].pos)
	if brace := bytes.LastIndexAny(t.source[:first], "{\n"); brace >= 0 && t.source[brace] == '{' {
		close := t.end(brace) - 1
		return slices.Concat(bytes.TrimRight(t.source[:close:close], " "), []byte(", "+member), t.source[close:]), nil
	}
	line := bytes.LastIndexByte(t.source[:first], '\n') + 1
	indent := t.source[line:first]
	if len(bytes.TrimSpace(indent)) > 0 {
		return nil, errHard
	}
	return slices.Concat(t.source[:line:line], indent, []byte(member+"\n"), t.source[line:]), nil
}

// without takes an entry out of a mapping: with the lines that it is alone on, or with the comma beside it.
func (t text) without(own entry) ([]byte, error) {
	from := t.offset(own.pos)
	line := bytes.LastIndexByte(t.source[:from], '\n') + 1
	if brace := bytes.LastIndexAny(t.source[:from], "{\n"); brace >= 0 && t.source[brace] == '{' ||
		len(bytes.TrimSpace(t.source[line:from])) > 0 {
		_, to := t.span(own.value)
		rest := bytes.TrimLeft(t.source[to:], " ")
		if bytes.HasPrefix(rest, []byte(",")) {
			return slices.Concat(t.source[:from:from], bytes.TrimLeft(rest[1:], " ")), nil
		}
		kept := bytes.TrimRight(bytes.TrimRight(t.source[:from:from], " "), ",")
		return slices.Concat(kept, rest), nil
	}
	indent, end := from-line, line
	for { // its own line, and those that are further in
		next := bytes.IndexByte(t.source[end:], '\n')
		if next < 0 {
			end = len(t.source)
			break
		}
		end += next + 1
		rest := t.source[end:]
		inner := len(rest) - len(bytes.TrimLeft(rest, " "))
		if inner <= indent || len(bytes.TrimSpace(rest[:max(0, min(len(rest), inner+1))])) == 0 {
			break
		}
	}
	return slices.Concat(t.source[:line:line], t.source[end:]), nil
}
