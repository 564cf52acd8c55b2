package expr

import (
	"fmt"
	"slices"
	"strings"
	"time"

	"cel.dev/cel-go/common/ast"
	"cel.dev/cel-go/common/operators"
	"cel.dev/cel-go/common/overloads"
)

// Filter is a rule about a document in a form that a database can work out for many
// documents at once. It lets through every document that the rule allows, and may let
// others through: what it cannot say it takes for allowed.
type Filter struct {
	Kind  FilterKind
	Parts []Filter // all, any, not

	Op     string // of a comparison: ==, !=, <, <=, > or >=
	Member string // of a comparison: what is compared, a value of the document; of has and is too
	Value  any    // with what: a text, a truth, a number or a time

	Pair     string // a kind of pair
	From, To End

	vague bool // it stands for more than it says
}

// FilterKind is what a filter asks.
type FilterKind string

// The kinds of filters.
const (
	Always  FilterKind = "always"
	Never   FilterKind = "never"
	AllOf   FilterKind = "all"
	AnyOf   FilterKind = "any"
	NotThat FilterKind = "not"
	Compare FilterKind = "compare" // a value of the document with another
	Present FilterKind = "has"     // the document has a value
	Points  FilterKind = "points"  // a reference of the document leads to From
	Same    FilterKind = "same"    // the document is From
	Paired  FilterKind = "paired"  // From and To are a pair
)

// End is a document that a filter names: one that is known, or the one it is about, or
// what a reference of that leads to. The zero one is nobody.
type End struct {
	Known      *Document
	Collection string // of the document
	Reference  string // empty: the document itself
}

// Filter is the rule as a filter on documents that it calls by a name. What else it names
// is known: documents, nil for nobody, and values as documents hold them.
func (r *Rule) Filter(about string, known map[string]*Document, given map[string]any) Filter {
	f := filtering{rule: r, about: about, known: known, given: given}
	return f.bound(r.checked.NativeRep().Expr(), true)
}

// Alone is the rule as a filter that lets through what the rule allows and nothing else, if
// it names nothing but values of what it calls about, in a way that a database decides as
// the rule does: truths, texts that are equal, whole numbers, times, and what is there. A
// value that is absent decides nothing: whoever works the filter out must know a third truth.
func (r *Rule) Alone(about string) (Filter, bool) {
	f := filtering{rule: r, about: about, alone: true}.bound(r.checked.NativeRep().Expr(), true)
	return f, f.ofValues()
}

// Members are the values of what the rule calls about that it names, as far as it is decided
// by these alone.
func (r *Rule) Members(about string) []string {
	f, _ := r.Alone(about)
	return f.Members()
}

func (f Filter) ofValues() bool {
	switch f.Kind {
	case Points, Same, Paired:
		return false
	}
	return !f.vague && !slices.ContainsFunc(f.Parts, func(p Filter) bool { return !p.ofValues() })
}

// String is what a filter of values asks, in one form however it was written.
func (f Filter) String() string {
	parts := make([]string, len(f.Parts))
	for i, p := range f.Parts {
		parts[i] = p.String()
	}
	switch f.Kind {
	case AllOf:
		return "(" + strings.Join(parts, " && ") + ")"
	case AnyOf:
		return "(" + strings.Join(parts, " || ") + ")"
	case NotThat:
		return "!" + parts[0]
	case Present:
		return "has " + f.Member
	case Compare:
		return fmt.Sprintf("%s %s %#v", f.Member, f.Op, f.Value)
	}
	return string(f.Kind)
}

// Members are the values that a filter names.
func (f Filter) Members() []string {
	var names []string
	if f.Member != "" {
		names = append(names, f.Member)
	}
	for _, p := range f.Parts {
		names = append(names, p.Members()...)
	}
	slices.Sort(names)
	return slices.Compact(names)
}

// The system values of a document: times that are compared, and what is not.
var (
	systemTimes  = []string{"created", "updated"}
	systemValues = []string{"id", "version"}
)

// Exact tells whether the filter lets through what the rule allows and nothing else: it
// names pairs and which document is which, and no other values, of which only a rule can
// tell whether they fit their fields.
func (f Filter) Exact() bool {
	switch f.Kind {
	case Compare, Present:
		return false
	}
	return !f.vague && !slices.ContainsFunc(f.Parts, func(p Filter) bool { return !p.Exact() })
}

// unsaid stands for what cannot be said: it may hold (upper), and may not.
func unsaid(upper bool) Filter {
	f := truth(upper)
	f.vague = true
	return f
}

type filtering struct {
	rule  *Rule
	about string
	known map[string]*Document
	given map[string]any
	alone bool // a value that does not fit its field is taken as it is stored
}

// truth is a filter that is always the same.
func truth(holds bool) Filter {
	if holds {
		return Filter{Kind: Always}
	}
	return Filter{Kind: Never}
}

// bound is a filter that holds whenever an expression does (upper), or never unless it
// does. What cannot be said lies between: it may hold, and may not. An expression that
// cannot be worked out for a document does not hold, whatever it is part of, unless the
// other parts decide alone; so a filter may be wrong about what is absent, either way.
func (f filtering) bound(e ast.Expr, upper bool) Filter {
	if _, body, is := named(e); is {
		return f.bound(body, upper)
	}
	switch e.Kind() {
	case ast.LiteralKind:
		if b, is := e.AsLiteral().Value().(bool); is {
			return truth(b)
		}
	case ast.SelectKind:
		return f.member(e, upper)
	case ast.CallKind:
		return f.call(e.AsCall(), upper)
	}
	return unsaid(upper)
}

func (f filtering) call(call ast.CallExpr, upper bool) Filter {
	args := call.Args()
	switch name := call.FunctionName(); name {
	case operators.LogicalAnd:
		return joined(AllOf, f.bound(args[0], upper), f.bound(args[1], upper))
	case operators.LogicalOr:
		return joined(AnyOf, f.bound(args[0], upper), f.bound(args[1], upper))
	case operators.LogicalNot:
		return negated(f.bound(args[0], !upper))
	case operators.Equals, operators.NotEquals, operators.Less, operators.LessEquals, operators.Greater,
		operators.GreaterEquals:
		if c, is := f.comparison(comparing[name], args[0], args[1]); is {
			return c
		}
	case operators.In:
		if one, is := f.oneOf(args[0], args[1]); is {
			return one
		}
	case pairedCall:
		if p, is := f.pair(args); is {
			return p
		}
	}
	return unsaid(upper)
}

// oneOf is whether a value of the document is among some that stand in the rule.
func (f filtering) oneOf(e, among ast.Expr) (Filter, bool) {
	if among.Kind() != ast.ListKind {
		return Filter{}, false
	}
	var parts []Filter
	for _, item := range among.AsList().Elements() {
		v, is := f.constant(item)
		if !is {
			return Filter{}, false
		}
		part, is := f.compared("==", e, v)
		if !is {
			return Filter{}, false
		}
		parts = append(parts, part)
	}
	return joined(AnyOf, parts...), true
}

var comparing = map[string]string{operators.Equals: "==", operators.NotEquals: "!=", operators.Less: "<",
	operators.LessEquals: "<=", operators.Greater: ">", operators.GreaterEquals: ">="}

// turned is a comparison seen from its other side.
var turned = map[string]string{"==": "==", "!=": "!=", "<": ">", "<=": ">=", ">": "<", ">=": "<="}

// joined leaves out what decides nothing.
func joined(kind FilterKind, parts ...Filter) Filter {
	none, decided := Always, Never // all: what is always so says nothing
	if kind == AnyOf {
		none, decided = Never, Always
	}
	joint := Filter{Kind: kind}
	for _, p := range parts {
		joint.vague = joint.vague || p.vague
		switch p.Kind {
		case decided:
			joint.Kind = decided
		case none:
		default:
			joint.Parts = append(joint.Parts, p)
		}
	}
	switch {
	case joint.Kind == decided:
		joint.Parts = nil
	case len(joint.Parts) == 0:
		joint.Kind = none
	case len(joint.Parts) == 1:
		only := joint.Parts[0]
		only.vague = joint.vague
		return only
	}
	return joint
}

func negated(f Filter) Filter {
	not := Filter{Kind: NotThat, Parts: []Filter{f}}
	if f.Kind == Always || f.Kind == Never {
		not = truth(f.Kind == Never)
	}
	not.vague = f.vague
	return not
}

// member is a truth of the document, or whether it has a value. One that does not fit its
// field counts as absent, and only a rule can tell.
func (f filtering) member(e ast.Expr, upper bool) Filter {
	s := e.AsSelect()
	doc, isDocument := f.document(s.Operand())
	switch {
	case !isDocument:
	case doc.Known != nil:
		v := doc.Known.Values[s.FieldName()]
		if s.IsTestOnly() {
			return truth(v != nil)
		}
		if b, is := v.(bool); is {
			return truth(b)
		}
	case doc.Reference != "":
	case slices.Contains(systemTimes, s.FieldName()) || slices.Contains(systemValues, s.FieldName()):
		return unsaid(upper)
	case !s.IsTestOnly():
		return Filter{Kind: Compare, Op: "==", Member: s.FieldName(), Value: true}
	case upper || f.alone:
		return Filter{Kind: Present, Member: s.FieldName()}
	}
	return unsaid(upper)
}

// document is a document that an expression names, false if it is another value or cannot
// be said. A name that is known to be nobody has no document.
func (f filtering) document(e ast.Expr) (End, bool) {
	switch e.Kind() {
	case ast.IdentKind:
		name := e.AsIdent()
		if name == f.about {
			return End{Collection: f.rule.names[name].To}, true
		}
		d := f.known[name]
		return End{Known: d}, d != nil
	case ast.SelectKind:
		s := e.AsSelect()
		on, is := f.document(s.Operand())
		if !is || s.IsTestOnly() || !isReference(f.rule.checked.NativeRep().GetType(e.ID()).TypeName()) {
			return End{}, false
		}
		if on.Known != nil {
			to := on.Known.Follow(s.FieldName())
			return End{Known: to}, to != nil
		}
		if on.Reference != "" {
			return End{}, false
		}
		to := f.rule.checked.NativeRep().GetType(e.ID()).TypeName()
		return End{Collection: collectionOf(to), Reference: s.FieldName()}, true
	}
	return End{}, false
}

// nobody tells whether an expression is null, or the name of nobody.
func (f filtering) nobody(e ast.Expr) bool {
	if e.Kind() == ast.LiteralKind {
		return e.AsLiteral().Value() == nil || e.AsLiteral().Type().TypeName() == "null_type"
	}
	if e.Kind() != ast.IdentKind || e.AsIdent() == f.about {
		return false
	}
	d, named := f.known[e.AsIdent()]
	return named && d == nil
}

func (f filtering) comparison(op string, a, b ast.Expr) (Filter, bool) {
	equality := op == "==" || op == "!="
	if equality && (f.nobody(a) || f.nobody(b)) {
		return f.withNobody(op, a, b)
	}
	one, isOne := f.document(a)
	two, isTwo := f.document(b)
	if isOne && isTwo && equality {
		return sameness(op, one, two)
	}
	if v, is := f.constant(b); is {
		return f.compared(op, a, v)
	}
	if v, is := f.constant(a); is {
		return f.compared(turned[op], b, v)
	}
	return Filter{}, false
}

// withNobody compares with null: nobody is nobody, and a document is somebody.
func (f filtering) withNobody(op string, a, b ast.Expr) (Filter, bool) {
	both := f.nobody(a) && f.nobody(b)
	if !both {
		other := a
		if f.nobody(a) {
			other = b
		}
		if d, is := f.document(other); !is || d.Reference != "" {
			return Filter{}, false // a reference may be absent
		}
	}
	return truth(both == (op == "==")), true
}

func sameness(op string, one, two End) (Filter, bool) {
	if one.Known == nil && two.Known == nil {
		return Filter{}, false
	}
	if one.Known != nil && two.Known != nil {
		same := one.Known.Collection == two.Known.Collection && one.Known.Key == two.Known.Key
		return truth(same == (op == "==")), true
	}
	if one.Known == nil {
		one, two = two, one
	}
	same := Filter{Kind: Same, From: one}
	switch {
	case one.Known.Collection != two.Collection:
		same = truth(false)
	case two.Reference != "":
		same = Filter{Kind: Points, Member: two.Reference, From: one}
	}
	if op == "!=" {
		return negated(same), true
	}
	return same, true
}

// compared compares a value of the document with a known one. Texts are only compared for
// being equal, as databases have orders of their own; and numbers that are not whole not at
// all, as databases are more exact.
func (f filtering) compared(op string, e ast.Expr, v any) (Filter, bool) {
	if e.Kind() != ast.SelectKind || e.AsSelect().IsTestOnly() {
		return Filter{}, false
	}
	on, is := f.document(e.AsSelect().Operand())
	if !is || on.Known != nil || on.Reference != "" {
		return Filter{}, false
	}
	name := e.AsSelect().FieldName()
	if slices.Contains(systemValues, name) {
		return Filter{}, false
	}
	if v == absent { // then nothing can be said, and it does not hold
		return Filter{Kind: Never, vague: true}, true
	}
	switch f.rule.names[f.about].Members[name].Kind {
	case String:
		_, is = v.(string)
		is = is && (op == "==" || op == "!=")
	case Boolean:
		_, is = v.(bool)
	case Integer:
		_, is = v.(int64)
	case Timestamp:
		var t time.Time
		t, is = v.(time.Time)
		is = is && t.Equal(t.Truncate(time.Microsecond)) // databases know no less
	default:
		is = false
	}
	return Filter{Kind: Compare, Op: op, Member: name, Value: v}, is
}

// absent is the value that a known document does not have.
var absent = any(struct{ none bool }{true})

// constant is a value that is known: one that stands in the rule or has a name, one of a
// known document, or a time and a duration from it.
func (f filtering) constant(e ast.Expr) (any, bool) {
	switch e.Kind() {
	case ast.LiteralKind:
		v := e.AsLiteral().Value()
		return v, v != nil
	case ast.IdentKind:
		v := f.given[e.AsIdent()]
		return f.typed(f.rule.names[e.AsIdent()], v), v != nil
	case ast.CallKind:
		return f.time(e.AsCall())
	}
	if e.Kind() != ast.SelectKind || e.AsSelect().IsTestOnly() {
		return nil, false
	}
	on, is := f.document(e.AsSelect().Operand())
	if !is || on.Known == nil || on.Known.Values == nil {
		return nil, false
	}
	v := on.Known.Values[e.AsSelect().FieldName()]
	if v == nil {
		return absent, true
	}
	return f.typed(on.Known.Shape.Members[e.AsSelect().FieldName()], v), true
}

// typed is a value as expressions compute with it.
func (f filtering) typed(s Shape, v any) any {
	if s.Kind == Timestamp || s.Kind == Integer {
		return s.value(v)
	}
	return v
}

// time is a time that stands in the rule, or one that lies before or after another.
func (f filtering) time(call ast.CallExpr) (any, bool) {
	args := call.Args()
	switch name := call.FunctionName(); {
	case name == overloads.TypeConvertTimestamp && len(args) == 1:
		text, is := f.constant(args[0])
		s, isText := text.(string)
		t, err := time.Parse(time.RFC3339Nano, s)
		return t, is && isText && err == nil
	case len(args) == 2 && (name == operators.Add || name == operators.Subtract):
		at, _ := f.constant(args[0])
		t, is := at.(time.Time)
		d, isDuration := durationIn(args[1])
		if name == operators.Subtract {
			d = -d
		}
		return t.Add(d), is && isDuration
	}
	return nil, false
}

// durationIn is a duration that stands in the rule.
func durationIn(e ast.Expr) (time.Duration, bool) {
	if e.Kind() != ast.CallKind || e.AsCall().FunctionName() != overloads.TypeConvertDuration ||
		len(e.AsCall().Args()) != 1 || e.AsCall().Args()[0].Kind() != ast.LiteralKind {
		return 0, false
	}
	text, _ := e.AsCall().Args()[0].AsLiteral().Value().(string)
	d, err := time.ParseDuration(text)
	return d, err == nil
}

func (f filtering) pair(args []ast.Expr) (Filter, bool) {
	kind, _ := args[1].AsLiteral().Value().(string)
	from, is := f.end(args[2])
	to, alsoIs := f.end(args[3])
	return Filter{Kind: Paired, Pair: kind, From: from, To: to}, is && alsoIs
}

// end is what is asked for a pair. Nobody is paired with anything, but what is absent
// cannot be asked for.
func (f filtering) end(e ast.Expr) (End, bool) {
	if f.nobody(e) {
		return End{}, true
	}
	return f.document(e)
}

// Of tells whether the filter names of the document it is about what one reference leads to,
// and nothing else.
func (f Filter) Of(reference string) bool {
	about := func(e End) bool { return e.Known == nil && e.Collection != "" && e.Reference != reference }
	switch f.Kind {
	case Same:
		return false
	case Points:
		return f.Member == reference
	case Paired:
		return !about(f.From) && !about(f.To)
	}
	return !slices.ContainsFunc(f.Parts, func(p Filter) bool { return !p.Of(reference) })
}

// Fixes are the values of the document called about that the rule compares with something
// that does not hang on it, in a way that has to hold.
func (r *Rule) Fixes(about string) []string {
	return r.compares(about, operators.Equals, operators.Equals)
}

// Since are the values that have to come after something that does not hang on the document.
func (r *Rule) Since(about string) []string {
	return append(r.compares(about, operators.Greater, operators.Less),
		r.compares(about, operators.GreaterEquals, operators.LessEquals)...)
}

// compares are the values of a document that have to compare with something given: one way
// round, or the other.
func (r *Rule) compares(about, op, turned string) []string {
	var names []string
	note := func(side, other ast.Expr) {
		if name, is := memberOf(side, about); is && r.isGiven(other, about) && !slices.Contains(names, name) {
			names = append(names, name)
		}
	}
	var look func(e ast.Expr)
	look = func(e ast.Expr) {
		if _, body, is := named(e); is {
			look(body)
			return
		}
		if e.Kind() != ast.CallKind {
			return
		}
		call := e.AsCall()
		args := call.Args()
		switch name := call.FunctionName(); {
		case name == operators.LogicalAnd:
			look(args[0])
			look(args[1])
		case name == op:
			note(args[0], args[1])
		}
		if call.FunctionName() == turned {
			note(args[1], args[0])
		}
	}
	look(r.checked.NativeRep().Expr())
	return names
}

// memberOf is the value of a document that an expression is.
func memberOf(e ast.Expr, about string) (string, bool) {
	if e.Kind() != ast.SelectKind || e.AsSelect().IsTestOnly() {
		return "", false
	}
	on := e.AsSelect().Operand()
	return e.AsSelect().FieldName(), on.Kind() == ast.IdentKind && on.AsIdent() == about
}

// isGiven tells whether an expression is known before any document is looked at: a value
// that stands in the rule, one with a name, or one of another document.
func (r *Rule) isGiven(e ast.Expr, about string) bool {
	switch e.Kind() {
	case ast.LiteralKind:
		return true
	case ast.IdentKind:
		return e.AsIdent() != about && r.names[e.AsIdent()].Kind != Reference
	case ast.SelectKind:
		on := e.AsSelect().Operand()
		return on.Kind() == ast.IdentKind && on.AsIdent() != about && !e.AsSelect().IsTestOnly()
	case ast.CallKind: // a time, or one before or after another
		switch name, args := e.AsCall().FunctionName(), e.AsCall().Args(); {
		case name == overloads.TypeConvertTimestamp:
			return args[0].Kind() == ast.LiteralKind
		case len(args) == 2 && (name == operators.Add || name == operators.Subtract):
			_, is := durationIn(args[1])
			return is && r.isGiven(args[0], about)
		}
	}
	return false
}

// Denies tells whether what a filter lets through is known not to be what another asks for.
func (f Filter) Denies(other Filter) bool {
	switch f.Kind {
	case AllOf:
		return slices.ContainsFunc(f.Parts, func(p Filter) bool { return p.Denies(other) })
	case NotThat:
		return f.Parts[0].follows(other)
	}
	return false
}

// follows tells whether the filter holds whenever another does, as far as can be seen.
func (f Filter) follows(other Filter) bool {
	if f.Kind == AnyOf {
		return slices.ContainsFunc(f.Parts, func(p Filter) bool { return p.follows(other) })
	}
	return f.Kind == Paired && other.Kind == Paired && f.Pair == other.Pair && f.From.same(other.From) &&
		f.To.same(other.To)
}

// same tells whether two ends are the same document, or lead there in the same way.
func (e End) same(other End) bool {
	if (e.Known == nil) != (other.Known == nil) {
		return false
	}
	if e.Known != nil {
		return e.Known.Collection == other.Known.Collection && e.Known.Key == other.Known.Key
	}
	return e == other
}
