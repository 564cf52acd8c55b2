package language

import (
	"errors"
	"fmt"
	"net/url"
	"regexp"
	"slices"
	"strings"

	"yalvo/internal/design"
	"yalvo/internal/design/expr"
)

func (r *reader) readTriggers(n *node) {
	r.named(n, "triggers", func(name string, at design.Pos, value *node) {
		t := &design.Trigger{Name: name, Pos: at}
		r.design.Triggers = append(r.design.Triggers, t)
		var when *node
		r.mapping(value, fmt.Sprintf("trigger %q", name), keys{
			"on":   func(n *node) { r.readOn(n, t) },
			"when": func(n *node) { when = n },
			"do":   func(n *node) { r.readSteps(n, t) },
			"was":  r.was(&t.Was, name),
		}, "on", "do")
		r.after = append(r.after, func() {
			if when != nil && (t.Collection != nil || t.Pair != nil) {
				t.When = r.seen(when, t, "", true)
			}
		})
	})
}

func (r *reader) readOn(n *node, t *design.Trigger) {
	known := keys{}
	for _, event := range []design.Event{design.OnCreated, design.OnChanged, design.OnRemoved} {
		known[string(event)] = func(n *node) {
			r.oneEvent(n, t, event)
			name := r.word(n, string(event))
			r.later = append(r.later, func() { t.Collection = r.collection(n.pos, name) })
		}
	}
	for _, event := range []design.Event{design.OnSet, design.OnUnset} {
		known[string(event)] = func(n *node) {
			r.oneEvent(n, t, event)
			name := r.word(n, string(event))
			r.later = append(r.later, func() { t.Pair = r.pair(n.pos, name) })
		}
	}
	before := len(r.problems)
	r.mapping(n, "on", known)
	if t.On == "" && len(r.problems) == before {
		r.problem(n.pos, design.CodeMissingKey, fmt.Sprintf("trigger %q does not say on what", t.Name),
			"write `on: {created: collection}`, or changed, removed, set, unset")
	}
}

func (r *reader) oneEvent(n *node, t *design.Trigger, event design.Event) {
	if t.On != "" {
		r.problem(n.pos, design.CodeContradicted, fmt.Sprintf("trigger %q waits for two kinds of changes", t.Name),
			"make two triggers of it")
	}
	t.On = event
}

// shapes are the names that a trigger's expressions can use: of documents
// `doc` (after the change; of a removal, before it), `old` (before an edit)
// and `key`; of pairs `pair`, `from` and `to`, the keys of the ends; and `me`,
// the key of the account that asked for the change, empty if none did.
func triggerShapes(t *design.Trigger) map[string]expr.Shape {
	text := expr.Shape{Kind: expr.String}
	if t.Pair != nil {
		return map[string]expr.Shape{"pair": design.ShapeOf(t.Pair.Fields), "from": text, "to": text, "me": text}
	}
	names := map[string]expr.Shape{"doc": design.ShapeOf(t.Collection.Fields), "key": text, "me": text}
	if t.On == design.OnChanged {
		names["old"] = design.ShapeOf(t.Collection.Fields)
	}
	return names
}

func (r *reader) readSteps(n *node, t *design.Trigger) {
	if n.shape != sequence || len(n.items) == 0 {
		r.problem(n.pos, design.CodeShape, "do must be a list of steps, this is "+describe(n),
			"write [{edit: {...}}, {send: ...}]")
		return
	}
	if len(n.items) > MaxSteps {
		r.problem(n.items[MaxSteps].pos, design.CodeTooLarge,
			fmt.Sprintf("trigger %q has %d steps, %d are allowed", t.Name,
				len(n.items), MaxSteps), "make two triggers of it")
		return
	}
	for _, item := range n.items {
		s := &design.Step{Pos: item.pos}
		t.Steps = append(t.Steps, s)
		r.readStep(item, t, s)
	}
}

func (r *reader) readStep(n *node, t *design.Trigger, s *design.Step) {
	given := map[string]*node{}
	note := func(key string) func(*node) { return func(n *node) { given[key] = n } }
	known := keys{}
	for _, key := range []string{"id", "under", "from", "to", "fields", "key", "data"} {
		known[key] = note(key)
	}
	var what *node
	for kind := range stepKeys {
		known[string(kind)] = func(n *node) {
			if s.Do != "" {
				r.problem(n.pos, design.CodeContradicted, "a step does one thing", "make two steps of it")
			}
			s.Do, what = kind, n
		}
	}
	before := len(r.problems)
	r.mapping(n, "a step", known)
	if len(r.problems) > before {
		return
	}
	if s.Do == "" {
		r.problem(n.pos, design.CodeMissingKey, "the step does not say what to do",
			"add edit, create, remove, pair, unpair or send")
		return
	}
	takes := stepKeys[s.Do]
	for _, key := range takes.needs {
		if given[key] == nil {
			r.problem(n.pos, design.CodeMissingKey, fmt.Sprintf("a step that does %s needs the key %q", s.Do, key), "")
		}
	}
	for key, n := range given {
		if !slices.Contains(takes.needs, key) && !slices.Contains(takes.allows, key) {
			r.problem(n.pos, design.CodeContradicted, fmt.Sprintf("%q means nothing in a step that does %s", key, s.Do),
				"leave it out")
		}
	}
	if len(r.problems) == before {
		r.after = append(r.after, func() { r.resolveStep(t, s, what, given) })
	}
}

var stepKeys = map[design.StepKind]struct{ needs, allows []string }{
	design.DoEdit:   {nil, nil},
	design.DoCreate: {[]string{"fields"}, []string{"id", "under"}},
	design.DoRemove: {[]string{"id"}, nil},
	design.DoPair:   {[]string{"from", "to"}, []string{"fields"}},
	design.DoUnpair: {[]string{"from", "to"}, nil},
	design.DoSend:   {nil, []string{"key", "data"}},
}

func (r *reader) resolveStep(t *design.Trigger, s *design.Step, what *node, given map[string]*node) {
	if t.Collection == nil && t.Pair == nil {
		return // already a problem
	}
	text := &design.Field{Name: "key", Type: design.String}
	value := func(key string) *expr.Seen {
		if given[key] == nil {
			return nil
		}
		return r.value(given[key], t, text)
	}
	s.ID, s.Under, s.From, s.To = value("id"), value("under"), value("from"), value("to")
	switch s.Do {
	case design.DoEdit:
		if t.Collection == nil || t.On == design.OnRemoved {
			r.problem(s.Pos, design.CodeContradicted, fmt.Sprintf("trigger %q has no document to edit", t.Name),
				"edit is for documents that are created or changed")
			return
		}
		s.Collection = t.Collection
		s.Fields = r.values(what, t, t.Collection.Fields, t.Collection.Name)
		for name := range s.Fields {
			if t.Collection.Field(name).Fixed {
				r.problem(what.pos, design.CodeContradicted,
					fmt.Sprintf("%q of %q never changes after creation", name, t.Collection.Name), "")
			}
		}
	case design.DoCreate, design.DoRemove:
		if s.Collection = r.collection(what.pos, r.word(what, string(s.Do))); s.Collection == nil {
			return
		}
		if s.Do == design.DoCreate {
			s.Fields = r.values(given["fields"], t, s.Collection.Fields, s.Collection.Name)
			if (s.Collection.Under != nil) != (s.Under != nil) {
				r.problem(s.Pos, design.CodeContradicted,
					fmt.Sprintf("collection %q is %snested", s.Collection.Name,
						map[bool]string{true: "", false: "not "}[s.Collection.Under != nil]),
					"`under` is the key of the parent, for nested collections alone")
			}
		}
	case design.DoPair, design.DoUnpair:
		if s.Pair = r.pair(what.pos, r.word(what, string(s.Do))); s.Pair != nil && given["fields"] != nil {
			s.Fields = r.values(given["fields"], t, s.Pair.Fields, s.Pair.Name)
		}
	case design.DoSend:
		r.resolveSend(s, what, given["key"])
		if data := given["data"]; data != nil {
			s.Fields = r.sent(data, t)
		}
	}
}

var variableForm = regexp.MustCompile(`^[A-Z][A-Z0-9_]{0,99}$`)

func (r *reader) resolveSend(s *design.Step, what, key *node) {
	s.URL = r.word(what, "send")
	u, err := url.Parse(s.URL)
	if err != nil || u.Scheme != "http" && u.Scheme != "https" || u.Host == "" || u.User != nil {
		r.problem(what.pos, design.CodeBadValue, fmt.Sprintf("%q is no address to send to", s.URL),
			"write an http or https URL without a password")
	}
	if key == nil {
		return
	}
	if s.Key = r.word(key, "key"); !variableForm.MatchString(s.Key) {
		r.problem(key.pos, design.CodeBadValue, fmt.Sprintf("key must be the name of an environment variable of the "+
			"service, not %q", s.Key), "the design is no place for secrets: write key: SIGNING_KEY")
	}
}

// values reads a mapping from fields to expressions.
func (r *reader) values(n *node, t *design.Trigger, fields []*design.Field, of string) map[string]*expr.Seen {
	if n.shape != mapping {
		r.problem(n.pos, design.CodeShape, "this must be a mapping from fields to expressions, not "+describe(n), "")
		return nil
	}
	all := map[string]*expr.Seen{}
	for _, e := range n.entries {
		f := design.FieldNamed(fields, e.key)
		if f == nil {
			r.unknown(e.pos, design.CodeUnknownName,
				fmt.Sprintf("%q has no field %q", of, e.key), e.key, design.FieldNames(fields))
			continue
		}
		all[e.key] = r.value(e.value, t, f)
	}
	return all
}

// sent reads what a request is to say, by names of the developer's choice.
func (r *reader) sent(n *node, t *design.Trigger) map[string]*expr.Seen {
	all := map[string]*expr.Seen{}
	r.named(n, "data", func(name string, _ design.Pos, value *node) { all[name] = r.seen(value, t, "", false) })
	return all
}

// value compiles an expression for a field.
func (r *reader) value(n *node, t *design.Trigger, f *design.Field) *expr.Seen {
	return r.seen(n, t, f.Shape().Kind, false)
}

// seen compiles an expression of a trigger. Numbers and true or false may stand for
// themselves; texts are CEL, so a text that is meant as such has quotes of its own.
func (r *reader) seen(n *node, t *design.Trigger, want expr.Kind, condition bool) *expr.Seen {
	text, is := n.scalar.(string)
	if condition && !is {
		r.problem(n.pos, design.CodeShape, "when must be a condition, this is "+describe(n),
			"a condition is a text and needs quotes, as in `when: \"doc.size > 3\"`")
		return nil
	}
	if !is && n.scalar != nil {
		text = fmt.Sprint(n.scalar)
	}
	s, err := expr.CompileSeen(text, triggerShapes(t), r.sight(t), want, condition)
	var m *expr.Mistake
	if errors.As(err, &m) {
		what, remedy := "expression", "expressions are CEL over the fields of the design"
		if condition {
			what, remedy = "condition", "conditions are CEL over the fields of the design"
		}
		if is && !condition && !strings.ContainsAny(text, `'".`) {
			remedy = fmt.Sprintf("if the text itself is meant, write \"'%s'\"", text)
		}
		r.problem(n.pos, design.CodeCondition, "the "+what+" cannot be used: "+m.Message, remedy)
		return nil
	}
	return s
}

// sight is what a trigger's expressions can see: the document and, of an edit, what it was,
// or both ends of the pair, and the account that asked for the change, as documents.
func (r *reader) sight(t *design.Trigger) expr.Scope {
	s := r.scope()
	s.About, s.Names = nil, map[string]expr.Shape{design.NameNow: {Kind: expr.Timestamp}}
	if r.design.Accounts != nil {
		s.Names[design.NameMe] = s.Documents[r.design.Accounts.Name]
	}
	if t.Pair != nil {
		s.Names[design.NamePair] = design.ShapeOf(t.Pair.Fields)
		if t.Pair.From != nil && t.Pair.To != nil {
			s.Names[design.NameFrom] = s.Documents[t.Pair.From.Name]
			s.Names[design.NameTo] = s.Documents[t.Pair.To.Name]
		}
		return s
	}
	s.Names[design.NameDoc], s.Names["key"] = s.Documents[t.Collection.Name], expr.Shape{Kind: expr.String}
	if t.On == design.OnChanged {
		s.Names["old"] = s.Documents[t.Collection.Name]
	}
	return s
}
