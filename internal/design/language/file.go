package language

import (
	"fmt"
	"regexp"
	"slices"
	"sort"
	"strings"

	"yalvo/internal/design"
	"yalvo/internal/design/soundness"
)

// reader turns nodes into a design. It notes every problem and goes on, so
// that one run shows all of them. Names are resolved in a second pass (the
// later functions), when everything that can be named is known.
type reader struct {
	file     string
	problems design.Problems
	design   *design.Design
	later    []func()         // what waits until every name has been read
	last     []func()         // what waits until every name has been resolved
	after    []func()         // what waits for all of that
	lists    []*listReader    // and so do these
	workload *node            // and this
	screens  []*screenReader  // and these, for the rules too
	access   map[string]*node // and who may do what, by its parts

	conditions []timelineCondition // and these

	ruled  bool // all rules could be read
	unread bool // some of the file is YAML that a design has no use for: what it means is not looked at
}

// Read reads and checks a design. The name is only used in messages.
// The error, if any, is a [Problems].
func Read(name string, source []byte) (*design.Design, error) { return ReadWith(name, source, nil) }

// ReadWith reads a design in which some values are others than the file has them.
func ReadWith(name string, source []byte, settings []Setting) (*design.Design, error) {
	r := &reader{file: name, design: &design.Design{Source: source}}
	root := r.parse(source)
	for _, s := range settings {
		if root != nil {
			r.set(root, s)
		}
	}
	if root != nil {
		r.readRoot(root)
		var fits bool
		if r.problems, fits = soundness.Fits(name, r.design, r.problems); !fits {
			return nil, r.problems
		}
		for _, resolve := range r.later {
			resolve()
		}
		for _, check := range r.last {
			check()
		}
		for _, compile := range r.after {
			compile()
		}
		for _, l := range r.lists {
			l.resolve()
		}
		r.readRules()
		r.ruled = len(r.problems) == 0
		for _, s := range r.screens {
			s.resolve()
		}
		if r.workload != nil && len(r.problems) == 0 {
			r.design.Workload = r.readWorkload(r.workload)
		}
		r.problems = soundness.Check(name, r.design, r.problems)
	}
	if len(r.problems) == 0 {
		return r.design, nil
	}
	sort.SliceStable(r.problems, func(i, j int) bool {
		a, b := r.problems[i].Pos, r.problems[j].Pos
		return a.Line < b.Line || a.Line == b.Line && a.Column < b.Column
	})
	if more := len(r.problems) - MaxProblems; more > 0 {
		at := r.problems[MaxProblems].Pos
		r.problems = r.problems[:MaxProblems]
		r.problem(at, design.CodeTooLarge,
			fmt.Sprintf("and %d more problems from here on", more), "mend those above first")
	}
	return nil, r.problems
}

func (r *reader) readRoot(root *node) {
	r.mapping(root, "the design", keys{
		"yalvo":       r.readLanguage,
		"app":         func(n *node) { r.design.App = r.name(n, "the app") },
		"accounts":    r.readAccounts,
		"sign_in":     r.readSignIn,
		"collections": r.readCollections,
		"pairs":       r.readPairs,
		"timelines":   r.readTimelines,
		"triggers":    r.readTriggers,
		"access":      r.readAccess,
		"lists":       r.readLists,
		"screens":     r.readScreens,
		"workload":    r.noteWorkload,
		"accepted":    r.readAccepted,
	}, "yalvo", "app", "collections")
}

func (r *reader) readLanguage(n *node) {
	if n.scalar != int64(1) {
		r.problem(n.pos, design.CodeBadValue, fmt.Sprintf("this release reads designs of version 1, not %v", n.scalar),
			"write `yalvo: 1`")
	}
}

func (r *reader) readAccounts(n *node) {
	name := r.word(n, "accounts")
	r.later = append(r.later, func() { r.design.Accounts = r.collection(n.pos, name) })
}

// readSignIn reads by which field accounts sign in: one that names an account to the service,
// and to whoever types it.
func (r *reader) readSignIn(n *node) {
	name := r.word(n, "sign_in")
	r.last = append(r.last, func() {
		accounts := r.design.Accounts
		if accounts == nil || name == "" {
			r.problem(n.pos, design.CodeContradicted, "accounts sign in, and the design has none",
				"say which collection they are, as in `accounts: members`")
			return
		}
		f := accounts.Field(name)
		switch {
		case f == nil:
			r.unknown(n.pos, design.CodeUnknownName, fmt.Sprintf("%q has no field %q", accounts.Name, name), name,
				design.FieldNames(accounts.Fields))
		case f.Type != design.String || !f.Unique || !f.Required:
			r.problem(
				n.pos,
				design.CodeContradicted,
				fmt.Sprintf("accounts sign in by a field that names one of them, "+
					"and %q does not", name),
				"name a string that is required and unique",
			)
		case accounts.Under != nil:
			r.problem(n.pos, design.CodeContradicted, fmt.Sprintf("accounts sign up without anything else, and %q lie "+
				"under %q", accounts.Name, accounts.Under.Name), "let accounts be a collection of its own")
		default:
			r.design.SignIn = f
		}
	})
}

// keys says what a mapping may hold and who reads each value.
type keys map[string]func(*node)

// mapping reads a mapping with a fixed set of keys.
func (r *reader) mapping(n *node, what string, known keys, required ...string) {
	if n.shape != mapping {
		r.problem(n.pos, design.CodeShape, fmt.Sprintf("%s must be a mapping, this is %s", what, describe(n)), "")
		return
	}
	var seen []string
	for _, e := range n.entries {
		seen = append(seen, e.key)
		read, ok := known[e.key]
		switch {
		case !ok:
			seen = append(seen, design.Nearest(e.key, names(known))) // misspelled is not missing as well
			r.unknown(e.pos, design.CodeUnknownKey, fmt.Sprintf("%s has no key %q", what, e.key), e.key, names(known))
		default:
			read(e.value)
		}
	}
	for _, key := range required {
		if !slices.Contains(seen, key) {
			r.problem(n.pos, design.CodeMissingKey, fmt.Sprintf("%s needs the key %q", what, key), "")
		}
	}
}

// named reads a mapping from names of the developer's choice to things.
func (r *reader) named(n *node, what string, read func(name string, at design.Pos, value *node)) {
	if n.shape != mapping {
		r.problem(n.pos, design.CodeShape,
			fmt.Sprintf("%s must be a mapping from names to what they are, this is %s", what,
				describe(n)), "")
		return
	}
	for _, e := range n.entries {
		r.checkName(e.pos, e.key)
		read(e.key, e.pos, e.value)
	}
}

var nameForm = regexp.MustCompile(`^[a-z][a-z0-9_]{0,39}$`)

func (r *reader) checkName(at design.Pos, name string) {
	if !nameForm.MatchString(name) {
		r.problem(at, design.CodeBadName, fmt.Sprintf("%q cannot be a name", name),
			"use lower case letters, digits and _, a letter first, 40 at most")
	}
}

func (r *reader) name(n *node, what string) string {
	name := r.word(n, what)
	r.checkName(n.pos, name)
	return name
}

func (r *reader) word(n *node, what string) string {
	s, ok := n.scalar.(string)
	if !ok {
		remedy := ""
		if n.scalar != nil {
			remedy = fmt.Sprintf("if the text is meant, it needs quotes: '%v'", n.scalar)
		}
		r.problem(n.pos, design.CodeShape, fmt.Sprintf("%s must be a name, this is %s", what, describe(n)), remedy)
	}
	return s
}

func (r *reader) words(n *node, what string) []*node {
	if n.shape != sequence {
		r.problem(n.pos, design.CodeShape, fmt.Sprintf("%s must be a list of names, this is %s", what, describe(n)),
			"write [one, two]")
		return nil
	}
	var words []*node
	for _, item := range n.items {
		if r.word(item, "an item of "+what) != "" {
			words = append(words, item)
		}
	}
	return words
}

func (r *reader) boolean(into *bool) func(*node) {
	return func(n *node) {
		b, ok := n.scalar.(bool)
		if !ok {
			r.problem(n.pos, design.CodeShape, "this must be true or false, not "+describe(n), "")
		}
		*into = b
	}
}

// choice reads one of a few words. Some of them may belong to later releases.
func (r *reader) choice(n *node, what string, now, notYet []string) string {
	s := r.word(n, what)
	switch {
	case s == "" || slices.Contains(now, s):
	case slices.Contains(notYet, s):
		r.problem(n.pos, design.CodeNotYet, fmt.Sprintf("%s %q is not supported yet", what, s),
			"this release has "+strings.Join(now, ", "))
		return ""
	default:
		r.unknown(n.pos, design.CodeBadValue,
			fmt.Sprintf("%s cannot be %q", what, s), s, append(slices.Clone(now), notYet...))
		return ""
	}
	return s
}

// collection resolves a collection's name, noting a problem if nothing bears it.
func (r *reader) collection(at design.Pos, name string) *design.Collection {
	if name == "" {
		return nil
	}
	c := r.design.Collection(name)
	if c == nil {
		r.unknown(at, design.CodeUnknownName, fmt.Sprintf("there is no collection %q", name), name,
			design.NamesOf(r.design.Collections, func(c *design.Collection) string { return c.Name }))
	}
	return c
}

func (r *reader) pair(at design.Pos, name string) *design.Pair {
	p := r.design.Pair(name)
	if p == nil && name != "" {
		r.unknown(at, design.CodeUnknownName, fmt.Sprintf("there is no pair %q", name), name,
			design.NamesOf(r.design.Pairs, func(p *design.Pair) string { return p.Name }))
	}
	return p
}

func (r *reader) problem(at design.Pos, code, message, remedy string) {
	r.problems = append(r.problems, design.Problem{File: r.file, Pos: at, Code: code, Message: message, Remedy: remedy})
}

// unknown notes a problem with a word nobody knows, and the nearest known one.
func (r *reader) unknown(at design.Pos, code, message, word string, known []string) {
	if near := design.Nearest(word, known); near != "" {
		r.problem(at, code, message, fmt.Sprintf("did you mean %q?", near))
		return
	}
	remedy := "there is none to choose from"
	if len(known) > 0 {
		remedy = "known here: " + design.Listed(known)
	}
	r.problem(at, code, message, remedy)
}

func describe(n *node) string {
	if n.shape != word {
		return string(n.shape)
	}
	if n.scalar == nil {
		return "empty"
	}
	if s, is := n.scalar.(string); is {
		return fmt.Sprintf("%q", design.Clip(s))
	}
	return fmt.Sprint(n.scalar)
}

func names(k keys) []string {
	var out []string
	for name := range k {
		out = append(out, name)
	}
	return out
}
