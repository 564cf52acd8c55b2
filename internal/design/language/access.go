package language

import (
	"errors"
	"fmt"
	"regexp"
	"slices"
	"strings"

	"yalvo/internal/design"
	"yalvo/internal/design/expr"
)

// Limits on access: how many conditions may have names, and how many rules there may be.
const (
	MaxNamedRules = 50
	MaxRules      = 500
)

// readAccess notes who may do what.
func (r *reader) readAccess(n *node) {
	r.design.Guarded = true
	r.access = map[string]*node{}
	note := func(key string) func(*node) { return func(n *node) { r.access[key] = n } }
	r.mapping(n, "access", keys{"rules": note("rules"), "collections": note("collections"), "pairs": note("pairs"),
		"timelines": note("timelines"), "lists": note("lists")})
}

// readRules compiles the rules of access and the conditions of lists, which may use those
// that have names, when all that they may name is known.
func (r *reader) readRules() {
	a := &accessReader{reader: r, scope: r.scope()}
	if named := r.access["rules"]; named != nil {
		a.readNamed(named)
	}
	for _, l := range r.lists {
		a.ofCondition(l)
	}
	for _, c := range r.conditions {
		a.ofTimelineCondition(c)
	}
	for _, part := range []struct {
		key  string
		read func(*node, entry)
	}{{"collections", a.ofCollection}, {"pairs", a.ofPair}, {"timelines", a.ofTimeline}, {"lists", a.ofList}} {
		if section := r.access[part.key]; section != nil {
			a.section(section, "access to "+part.key, part.read)
		}
	}
	r.checkNarrowed()
}

// checkNarrowed finds values that not everybody may read where others are shown them.
func (r *reader) checkNarrowed() {
	for _, c := range r.design.Collections {
		for _, k := range c.Kept {
			var of *design.Access
			switch {
			case len(k.Parts) == 0 || c.Access.OfField(k.Name, design.OpRead) != nil:
				continue
			case k.Kind == design.Copy && k.Via != nil && k.Via.To != nil:
				of = k.Via.To.Access
			case k.Kind == design.Latest && (k.Nested != nil || k.Via != nil || k.Pair != nil):
				of = k.Sources().Access
			}
			for _, p := range k.Parts {
				if of.OfField(p.Name(), design.OpRead) != nil {
					r.problem(k.Pos, design.CodeContradicted,
						fmt.Sprintf("%s.%s shows %s, which not everybody may read where it stands", c.Name, k.Name,
							p.Name()),
						fmt.Sprintf("leave it out, or say in the access of %q who may read %s", c.Name, k.Name))
				}
			}
		}
	}
}

// accessReader reads the rules of a design whose other names are all known.
type accessReader struct {
	*reader
	scope expr.Scope
	many  int
}

// scope is what all rules may name: what references lead to, and pairs.
func (r *reader) scope() expr.Scope {
	s := expr.Scope{Documents: map[string]expr.Shape{}, Pairs: map[string]expr.PairEnd{},
		About: []string{design.NameMe, design.NameDoc, design.NameNew}}
	for _, c := range r.design.Collections {
		s.Documents[c.Name] = c.ShapeOf()
	}
	for _, p := range r.design.Pairs {
		if p.From != nil && p.To != nil {
			s.Pairs[p.Name] = expr.PairEnd{From: p.From.Name, To: p.To.Name}
		}
	}
	return s
}

func (a *accessReader) section(n *node, what string, read func(*node, entry)) {
	if n.shape != mapping {
		a.problem(n.pos, design.CodeShape, fmt.Sprintf("%s must be a mapping from names to rules, this is %s", what,
			describe(n)), "")
		return
	}
	for _, e := range n.entries {
		read(n, e)
	}
}

// namedForm is the name of a rule that others use, with its parameters if it has some.
var namedForm = regexp.MustCompile(`^([a-z][a-z0-9_]{0,39})(?:\(([a-z0-9_, ]*)\))?$`)

// readNamed reads the conditions that have names. Each may use those before it, so that
// none is made of itself.
func (a *accessReader) readNamed(n *node) {
	a.section(n, "the rules of access", func(_ *node, e entry) {
		form := namedForm.FindStringSubmatch(e.key)
		if form == nil {
			a.problem(e.pos, design.CodeBadName, fmt.Sprintf("%q cannot be the name of a rule", design.Clip(e.key)),
				"write a name, and what it is given in parentheses, as in `apart(a, b)`")
			return
		}
		named := expr.Named{Name: form[1]}
		for _, param := range strings.FieldsFunc(form[2], func(c rune) bool { return c == ',' || c == ' ' }) {
			a.checkName(e.pos, param)
			named.Params = append(named.Params, param)
		}
		if len(a.scope.Rules) >= MaxNamedRules {
			a.problem(e.pos, design.CodeTooLarge, fmt.Sprintf("%d rules have names already", MaxNamedRules), "")
			return
		}
		rule := &design.Rule{Name: e.key, Pos: e.pos}
		text, at := a.ruleText(e.value, rule)
		if text == "" {
			return
		}
		named.Text, named.Otherwise = text, rule.Otherwise
		compiled, err := expr.CompileNamed(named, a.scope.Rules)
		if a.cannotUse(at, err) {
			return
		}
		rule.Named = text
		a.design.Rules = append(a.design.Rules, rule)
		a.scope.Rules = append(a.scope.Rules, compiled)
	})
}

// ruleText is the condition of a rule and where it stands; empty if it is fixed or
// wrong.
func (a *accessReader) ruleText(n *node, rule *design.Rule) (string, design.Pos) {
	if fixed, is := n.scalar.(bool); is {
		rule.Fixed = fixed
		return map[bool]string{true: "true", false: "false"}[fixed], n.pos
	}
	that := n
	if n.shape == mapping {
		that = nil
		a.mapping(n, "a rule", keys{
			"that":      func(n *node) { that = n },
			"otherwise": func(n *node) { rule.Otherwise = a.sentence(n, "otherwise", maxOtherwise) },
		}, "that", "otherwise")
		if that == nil {
			return "", n.pos
		}
	}
	if text, is := that.scalar.(string); is {
		return text, that.pos
	}
	if fixed, is := that.scalar.(bool); is {
		return map[bool]string{true: "true", false: "false"}[fixed], that.pos
	}
	a.problem(that.pos, design.CodeShape, "a rule must be a condition, this is "+describe(that),
		"write true for everybody, or a condition in quotes, as in `edit: \"doc.author == me\"`")
	return "", that.pos
}

func (a *accessReader) cannotUse(at design.Pos, err error) bool {
	var m *expr.Mistake
	if errors.As(err, &m) {
		message := m.Message
		if strings.Contains(message, "' document)") || strings.Contains(message, " document,") ||
			strings.Contains(message, " document)") {
			message += "; a document is compared with a document, as in doc.author == me"
		}
		a.problem(at, design.CodeCondition, "the rule cannot be used: "+message,
			"rules are CEL over "+strings.Join([]string{design.NameMe, design.NameDoc, design.NameNew}, ", ")+
				" and what else the operation knows")
	}
	return err != nil
}

// rule reads one rule over what it may name.
func (a *accessReader) rule(n *node, name string, names map[string]expr.Shape) *design.Rule {
	if a.many++; a.many > MaxRules {
		if a.many == MaxRules+1 {
			a.problem(n.pos, design.CodeTooLarge, fmt.Sprintf("there are more than %d rules", MaxRules), "")
		}
		return nil
	}
	rule := &design.Rule{Pos: n.pos, Name: name}
	text, at := a.ruleText(n, rule)
	switch text {
	case "":
		return nil
	case "true", "false":
		rule.Fixed = text == "true"
		return rule
	}
	scope := a.scope
	scope.Names = map[string]expr.Shape{design.NameNow: {Kind: expr.Timestamp}}
	if a.design.Accounts != nil {
		scope.Names[design.NameMe] = scope.Documents[a.design.Accounts.Name]
	}
	for name, shape := range names {
		scope.Names[name] = shape
	}
	var err error
	if rule.That, err = expr.CompileRule(text, scope); a.cannotUse(at, err) {
		return nil
	}
	return rule
}

// rules reads the rules for the operations of something.
func (a *accessReader) rules(n *node, what, name string, into *design.Access,
	names func(design.Op) map[string]expr.Shape, more keys, ops ...design.Op) {
	into.Rules = map[design.Op]*design.Rule{}
	known := keys{}
	for key, read := range more {
		known[key] = read
	}
	for _, op := range ops {
		known[string(op)] = func(n *node) {
			if rule := a.rule(n, name+"."+string(op), names(op)); rule != nil {
				into.Rules[op] = rule
			}
		}
	}
	a.mapping(n, what, known)
}

func (a *accessReader) ofCollection(_ *node, e entry) {
	c := a.collection(e.pos, e.key)
	if c == nil {
		return
	}
	c.Access = &design.Access{}
	names := func(op design.Op) map[string]expr.Shape { return a.ofDocument(c, op) }
	fields := func(n *node) { a.ofFields(n, c) }
	a.rules(e.value, fmt.Sprintf("access to %q", c.Name), c.Name, c.Access, names, keys{"fields": fields},
		design.OpRead, design.OpCreate, design.OpEdit, design.OpRemove)
}

// ofDocument is what the rules for an operation on documents may name.
func (a *accessReader) ofDocument(c *design.Collection, op design.Op) map[string]expr.Shape {
	names := map[string]expr.Shape{}
	if op != design.OpCreate {
		names[design.NameDoc] = a.scope.Documents[c.Name]
	}
	if op == design.OpCreate || op == design.OpEdit || op == design.OpWrite {
		names[design.NameNew] = a.scope.Documents[c.Name]
	}
	if c.Under != nil {
		names[design.NameParent] = a.scope.Documents[c.Under.Name]
	}
	return names
}

func (a *accessReader) ofFields(n *node, c *design.Collection) {
	c.Access.Fields = map[string]map[design.Op]*design.Rule{}
	a.section(n, "access to fields", func(_ *node, e entry) {
		known := append(design.FieldNames(c.Fields), design.NamesOf(c.Kept,
			func(k *design.Kept) string { return k.Name })...)
		if !slices.Contains(known, e.key) {
			a.unknown(e.pos, design.CodeUnknownName, fmt.Sprintf("collection %q has nothing called %q", c.Name,
				design.Clip(e.key)), e.key, known)
			return
		}
		what := c.Name + "." + e.key
		field := &design.Access{}
		ops := []design.Op{design.OpRead}
		if c.Field(e.key) != nil {
			ops = append(ops, design.OpWrite)
		}
		a.rules(e.value, fmt.Sprintf("access to %q", what), what, field,
			func(op design.Op) map[string]expr.Shape { return a.ofDocument(c, op) }, nil, ops...)
		c.Access.Fields[e.key] = field.Rules
	})
}

func (a *accessReader) ofPair(_ *node, e entry) {
	p := a.pair(e.pos, e.key)
	if p == nil || p.From == nil || p.To == nil {
		return
	}
	p.Access = &design.Access{}
	names := map[string]expr.Shape{design.NameFrom: a.scope.Documents[p.From.Name],
		design.NameTo: a.scope.Documents[p.To.Name], design.NamePair: design.ShapeOf(p.Fields)}
	a.rules(e.value, fmt.Sprintf("access to %q", p.Name), p.Name, p.Access,
		func(design.Op) map[string]expr.Shape { return names }, nil, design.OpRead, design.OpSet, design.OpUnset)
}

func (a *accessReader) ofTimeline(_ *node, e entry) {
	t := a.design.Timeline(e.key)
	if t == nil {
		a.unknown(e.pos, design.CodeUnknownName, fmt.Sprintf("there is no timeline %q", design.Clip(e.key)), e.key,
			design.NamesOf(a.design.Timelines, func(t *design.Timeline) string { return t.Name }))
		return
	}
	if t.Owner == nil {
		return
	}
	t.Access = &design.Access{}
	names := map[string]expr.Shape{design.NameOwner: a.scope.Documents[t.Owner.Name]}
	a.rules(e.value, fmt.Sprintf("access to %q", t.Name), t.Name, t.Access,
		func(design.Op) map[string]expr.Shape { return names }, nil, design.OpRead)
}

func (a *accessReader) ofList(_ *node, e entry) {
	l := a.design.List(e.key)
	if l == nil {
		a.unknown(e.pos, design.CodeUnknownName, fmt.Sprintf("there is no list %q", design.Clip(e.key)), e.key,
			design.NamesOf(a.design.Lists, func(l *design.Listing) string { return l.Name }))
		return
	}
	if l.Entries == nil {
		return
	}
	l.Access = &design.Access{}
	names := map[string]expr.Shape{}
	if owner := l.Owner(); owner != nil {
		names[design.NameOf] = a.scope.Documents[owner.Name]
	}
	a.rules(e.value, fmt.Sprintf("access to %q", l.Name), l.Name, l.Access,
		func(design.Op) map[string]expr.Shape { return names }, nil, design.OpRead)
}
