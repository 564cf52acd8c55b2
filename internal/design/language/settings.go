package language

import (
	"fmt"
	"slices"
	"strings"

	"yalvo/internal/design"
)

// Setting is a value that stands in the place of what a file has, or beside it: for what if, without an edit.
type Setting struct {
	Path  string // keys with dots between them, as in timelines.home.deliver
	Value string // as YAML has it
}

// set puts a value in its place. Keys that have dots themselves, as sizes of a workload have, are found first.
func (r *reader) set(root *node, s Setting) {
	value := (&reader{file: r.file, design: r.design}).parse([]byte(s.Value))
	if value == nil || s.Path == "" {
		r.problem(root.pos, design.CodeSyntax, fmt.Sprintf("%q cannot be set to %q", design.Clip(s.Path),
			design.Clip(s.Value)),
			"write it as in `timelines.home.deliver=pull`")
		return
	}
	at, rest := root, s.Path
	for {
		if at.shape != mapping {
			r.problem(at.pos, design.CodeShape, fmt.Sprintf("nothing can be set at %q: there is %s before that", s.Path,
				describe(at)), "")
			return
		}
		if i := slices.IndexFunc(at.entries, func(e entry) bool { return e.key == rest }); i >= 0 {
			moveTo(value, at.entries[i].pos)
			at.entries[i].value = value
			return
		}
		i := slices.IndexFunc(at.entries, func(e entry) bool { return strings.HasPrefix(rest, e.key+".") })
		if i < 0 {
			break
		}
		rest = strings.TrimPrefix(rest, at.entries[i].key+".")
		at = at.entries[i].value
	}
	moveTo(value, at.pos)
	at.entries = append(at.entries, entry{rest, at.pos, value})
}

// moveTo has what is set stand where the file has what it replaces.
func moveTo(n *node, at design.Pos) {
	n.pos = at
	for _, e := range n.entries {
		moveTo(e.value, at)
	}
	for _, item := range n.items {
		moveTo(item, at)
	}
}
