package language

import (
	"fmt"
	"slices"
	"strings"

	"yalvo/internal/design"
	"yalvo/internal/design/expr"
)

// Limits on lists: how many there may be, how many parameters one takes, by how many
// values it is ordered, and how many pairs keep entries out.
const (
	MaxLists  = 100
	MaxParams = 10
	maxOrder  = 2
	maxUnless = 5
)

// takenParams are the parameters that a page takes besides those of its list.
var takenParams = []string{"limit", "cursor", "marks", "fields", "with", "settled", "patience",
	design.ParamStarts, design.ParamWords}

// takenNames are what the conditions of lists name besides parameters.
var takenNames = []string{design.NameMe, design.NameDoc, design.NameNew, design.NameParent, design.NameFrom,
	design.NameTo, design.NamePair, design.NameOwner, design.NameNow, design.NameOf}

func (r *reader) readLists(n *node) {
	r.named(n, "lists", func(name string, at design.Pos, value *node) {
		if len(r.design.Lists) == MaxLists {
			r.problem(at, design.CodeTooLarge, fmt.Sprintf("there are more than %d lists", MaxLists), "")
		}
		if len(r.design.Lists) >= MaxLists {
			return
		}
		l := &listReader{r, &design.Listing{Name: name, Pos: at}, map[string]*node{}}
		r.design.Lists = append(r.design.Lists, l.Listing)
		l.read(value)
		r.lists = append(r.lists, l)
	})
}

// listReader reads a list. What it names is resolved when all that can be named is known.
type listReader struct {
	*reader
	*design.Listing
	given map[string]*node
}

func (r *listReader) read(n *node) {
	known := keys{}
	for _, key := range []string{"entries", "of", "through", "params", "where", "unless", "order", "top", "starts",
		"words"} {
		known[key] = func(n *node) { r.given[key] = n }
	}
	r.mapping(n, fmt.Sprintf("list %q", r.Name), known, "entries")
	if params := r.given["params"]; params != nil {
		r.readParams(params)
	}
}

func (r *listReader) resolve() {
	if r.given["entries"] == nil {
		return
	}
	if r.Entries = r.collection(r.given["entries"].pos, r.word(r.given["entries"], "entries")); r.Entries == nil {
		return
	}
	for _, part := range []struct {
		key  string
		read func(*node)
	}{{"through", r.readThrough}, {"of", r.readOf}, {"unless", r.readUnless},
		{"top", r.readTop}, {"starts", r.readStarts}, {"words", r.readWords}, {"order", r.readOrder}} {
		if n := r.given[part.key]; n != nil {
			part.read(n)
		}
	}
	if len(r.Order) == 0 {
		r.Order = r.usualOrder()
	}
	r.checkTaken()
}

// usualOrder is newest first; of pairs the newest pair, of beginnings by themselves.
func (r *listReader) usualOrder() []design.Order {
	switch {
	case r.Through != nil:
		return []design.Order{{System: design.ByPaired}}
	case r.Starts != nil:
		return []design.Order{{Part: design.Part{Field: r.Starts}, Up: true}}
	}
	return []design.Order{{System: design.ByCreated}}
}

func (r *listReader) checkTaken() {
	for what, is := range map[string]bool{"collection": r.design.Collection(r.Name) != nil,
		"pair": r.design.Pair(r.Name) != nil, "timeline": r.design.Timeline(r.Name) != nil} {
		if is {
			r.problem(r.Pos, design.CodeNameTaken, fmt.Sprintf("there is a %s %q already", what, r.Name),
				"call the list something else")
		}
	}
}

// readThrough: the entries are one end of the pairs, and the other is what the list is
// asked for. If both are of one collection, `of` says which.
func (r *listReader) readThrough(n *node) {
	p := r.pair(n.pos, r.word(n, "through"))
	if p == nil || p.From == nil || p.To == nil {
		return
	}
	from, to := p.To == r.Entries, p.From == r.Entries // asked for this end
	side := design.Side("")
	if of := r.given["of"]; of != nil {
		side = design.Side(r.choice(of, "of", []string{string(design.From), string(design.To)}, nil))
	}
	switch {
	case !from && !to:
		r.problem(n.pos, design.CodeContradicted, fmt.Sprintf("pair %q joins %q and %q, and the entries of list %q "+
			"are of %q", p.Name, p.From.Name, p.To.Name, r.Name, r.Entries.Name), "")
		return
	case from && to && side == "":
		if r.given["of"] == nil {
			r.problem(n.pos, design.CodeMissingKey, fmt.Sprintf("both ends of pair %q are of %q, and list %q does not "+
				"say for which end it is asked", p.Name, r.Entries.Name, r.Name),
				fmt.Sprintf("write `of: from` for what a document calls %s, or `of: to` for its %s", p.FromCalls,
					p.ToCalls))
		}
		return
	case side == design.From && !from, side == design.To && !to:
		r.problem(r.given["of"].pos, design.CodeContradicted,
			fmt.Sprintf("the %s end of pair %q is of %q, and its other end no entry of %q", side, p.Name,
				r.Entries.Name, r.Name),
			"leave `of` out: the entries decide it")
		return
	case side == "" && from:
		side = design.From
	case side == "":
		side = design.To
	}
	r.Through, r.Side = p, side
}

const ofParent = "parent"

func (r *listReader) readOf(n *node) {
	name := r.word(n, "of")
	switch {
	case name == "" || r.given["through"] != nil:
	case name == ofParent && r.Entries.Under != nil:
		r.Under = true
	case name == ofParent && r.Entries.Field(ofParent) == nil:
		r.problem(n.pos, design.CodeContradicted, fmt.Sprintf("%q lies under nothing", r.Entries.Name),
			"name a reference of the entries, or leave `of` out")
	default:
		r.By = r.reference(n.pos, r.Entries, name)
		if r.By != nil && r.By.To == nil {
			r.By = nil // already a problem
		}
	}
}

func (r *listReader) readParams(n *node) {
	if n.shape == mapping && len(n.entries) > MaxParams {
		r.problem(n.pos, design.CodeTooLarge, fmt.Sprintf("list %q takes %d parameters, %d are allowed", r.Name,
			len(n.entries), MaxParams), "")
		return
	}
	plain := *n
	plain.entries = slices.DeleteFunc(slices.Clone(n.entries), func(e entry) bool { return !r.canBeParam(e) })
	r.Params = r.readFields(&plain, nil)
}

// canBeParam tells whether a field can be a parameter.
func (r *listReader) canBeParam(e entry) bool {
	t, key := "", ""
	for _, in := range e.value.entries {
		switch in.key {
		case "type":
			t, _ = in.value.scalar.(string)
		case "unique", "fixed", "was", "convert":
			key = in.key
		}
	}
	switch {
	case slices.Contains(takenParams, e.key) || slices.Contains(takenNames, e.key):
		r.problem(e.pos, design.CodeNameTaken, fmt.Sprintf("%q means something else already", e.key),
			"choose another name for the parameter")
	case slices.Contains([]string{"object", "list", "set", "media", "reference"}, t):
		r.problem(e.pos, design.CodeContradicted, fmt.Sprintf("parameter %q cannot be of type %s", e.key, t),
			"a parameter is a string, an integer, a number, a boolean or a timestamp; the document that a list is "+
				"asked for is said with `of`")
	case key != "":
		r.problem(e.pos, design.CodeContradicted, fmt.Sprintf("parameter %q is stored nowhere: %s means nothing", e.key,
			key), "leave it out")
	default:
		return true
	}
	return false
}

func (r *listReader) readUnless(n *node) {
	items := []*node{n}
	if n.shape == sequence {
		items = n.items
	}
	if len(items) > maxUnless {
		r.problem(n.pos, design.CodeTooLarge,
			fmt.Sprintf("unless names %d pairs, %d are allowed", len(items), maxUnless), "")
		return
	}
	for _, item := range items {
		u := design.Apart{}
		var with *node
		r.mapping(item, "unless", keys{
			"paired":     func(n *node) { u.Paired = r.pair(n.pos, r.word(n, "paired")) },
			"either_way": r.boolean(&u.EitherWay),
			"with":       func(n *node) { with = n },
		}, "paired")
		if with != nil {
			if u.With = r.reference(with.pos, r.Entries, r.word(with, "with")); u.With == nil || u.With.To == nil {
				continue
			}
		}
		if r.fitsApart(item.pos, u) {
			r.Unless = append(r.Unless, u)
		}
	}
}

// fitsApart sees that the caller can be paired with the entry, or with what it points at.
func (r *listReader) fitsApart(at design.Pos, u design.Apart) bool {
	accounts, other := r.design.Accounts, r.Entries
	if u.With != nil {
		other = u.With.To
	}
	switch {
	case u.Paired == nil || u.Paired.From == nil || u.Paired.To == nil:
		return false
	case accounts == nil:
		r.problem(at, design.CodeContradicted, "unless is about the caller, and the design has no accounts",
			"say which collection they are, as in `accounts: members`")
	case !u.Paired.Joins(accounts, other):
		remedy := "name the reference of the entry that leads to the other end, as in `with: author`"
		if u.With != nil {
			remedy = ""
		}
		r.problem(at, design.CodeContradicted, fmt.Sprintf("pair %q goes from %q to %q, not from the caller (%s) to %q",
			u.Paired.Name, u.Paired.From.Name, u.Paired.To.Name, accounts.Name, other.Name), remedy)
	case u.EitherWay && accounts != other:
		r.problem(at, design.CodeContradicted, "either_way needs both ends of one collection", "leave either_way out")
	default:
		return true
	}
	return false
}

func (r *listReader) readTop(n *node) {
	name := r.word(n, "top")
	owner := r.Owner()
	if owner == nil {
		r.problem(n.pos, design.CodeContradicted,
			fmt.Sprintf("list %q is asked for no document, whose reference could say what stands on top", r.Name),
			"say for which with `of`")
		return
	}
	f := r.reference(n.pos, owner, name)
	if f != nil && f.To != nil && f.To != r.Entries {
		r.problem(n.pos, design.CodeContradicted, fmt.Sprintf("%s.%s leads to %q, and the entries of list %q are of %q",
			owner.Name, name, f.To.Name, r.Name, r.Entries.Name), "")
		return
	}
	r.Top = f
}

func (r *listReader) text(n *node, what string) *design.Field {
	name := r.word(n, what)
	f := r.Entries.Field(name)
	switch {
	case name == "":
	case f == nil:
		r.unknown(n.pos, design.CodeUnknownName, fmt.Sprintf("collection %q has no field %q", r.Entries.Name, name),
			name, design.FieldNames(r.Entries.Fields))
	case f.Type == "": // that is a problem already
		return nil
	case f.Type != design.String:
		r.problem(n.pos, design.CodeContradicted, fmt.Sprintf("%s needs a string, and %q is of type %s", what, name,
			f.Type), "")
		return nil
	}
	return f
}

func (r *listReader) readStarts(n *node) { r.Starts = r.text(n, "starts") }

func (r *listReader) readWords(n *node) {
	if r.Starts != nil {
		r.problem(n.pos, design.CodeContradicted, "a list looks for words or for a beginning, not for both",
			"make two lists of it")
		return
	}
	for _, w := range r.words(n, "words") {
		if f := r.text(w, "words"); f != nil {
			r.Words = append(r.Words, f)
		}
	}
}

// readOrder: one or two values, greatest first; with `up` after it, least first.
func (r *listReader) readOrder(n *node) {
	items := []*node{n}
	if n.shape == sequence {
		items = n.items
	}
	if len(items) > maxOrder {
		r.problem(n.pos, design.CodeTooLarge,
			fmt.Sprintf("a list is ordered by %d values at most, these are %d", maxOrder, len(items)), "")
		return
	}
	var order []design.Order
	for _, item := range items {
		o, ok := r.orderOf(item)
		if !ok {
			return
		}
		if slices.ContainsFunc(order, func(p design.Order) bool { return p.Name() == o.Name() }) {
			r.problem(item.pos, design.CodeNameTaken, fmt.Sprintf("%q stands here twice", o.Name()), "")
			return
		}
		order = append(order, o)
	}
	r.Order = order
}

func (r *listReader) orderOf(n *node) (design.Order, bool) {
	name := r.word(n, "order")
	name, how, has := strings.Cut(name, " ")
	o := design.Order{Up: has}
	if has && how != "up" {
		r.problem(n.pos, design.CodeBadValue,
			fmt.Sprintf("an order is a value, greatest first, or a value and `up`, not %q", design.Clip(name+" "+how)),
			"write `order: "+design.Clip(name)+"` or `order: "+design.Clip(name)+" up`")
		return o, false
	}
	switch name {
	case "":
		return o, false
	case design.ByCreated, design.ByUpdated:
		o.System = name
		return o, true
	case design.ByPaired:
		if r.given["through"] == nil {
			r.problem(n.pos, design.CodeContradicted,
				fmt.Sprintf("list %q goes through no pair to be ordered by", r.Name),
				"order by created, or name the pair with `through`")
			return o, false
		}
		o.System = name
		return o, true
	}
	o.Part = design.Part{Field: r.Entries.Field(name), Kept: r.Entries.KeptValue(name)}
	switch {
	case o.Part.Field == nil && o.Part.Kept == nil:
		known := append(design.FieldNames(r.Entries.Fields),
			design.NamesOf(r.Entries.Kept, func(k *design.Kept) string { return k.Name })...)
		r.unknown(n.pos, design.CodeUnknownName, fmt.Sprintf("collection %q has nothing called %q to order by",
			r.Entries.Name, design.Clip(name)), name, append(known, design.ByCreated, design.ByUpdated))
		return o, false
	case o.Part.Field != nil && o.Part.Field.Type == "": // that is a problem already
		return o, false
	case o.Part.Kept != nil && o.Part.Numeric() == "", o.Part.Field != nil && !inOrder(o.Part.Field.Type):
		r.problem(n.pos, design.CodeContradicted, fmt.Sprintf("%q has no order", name),
			"order by a string, a number, a truth or a time")
		return o, false
	}
	return o, true
}

// inOrder tells whether the values of a type have an order.
func inOrder(t design.Type) bool {
	return slices.Contains([]design.Type{design.String, design.Integer, design.Number, design.Boolean,
		design.Timestamp}, t)
}

// ofCondition compiles what must hold of the entries of a list.
func (a *accessReader) ofCondition(l *listReader) {
	n := l.given["where"]
	if n == nil || l.Entries == nil {
		return
	}
	names := map[string]expr.Shape{design.NameDoc: a.scope.Documents[l.Entries.Name]}
	if owner := l.Owner(); owner != nil {
		names[design.NameOf] = a.scope.Documents[owner.Name]
	}
	if l.Through != nil {
		names[design.NamePair] = design.ShapeOf(l.Through.Fields)
	}
	for _, p := range l.Params {
		names[p.Name] = p.Shape()
	}
	if l.Where = a.rule(n, l.Name+".where", names); l.Where != nil && l.Where.That == nil {
		a.problem(n.pos, design.CodeCondition, "where is always "+l.Where.Text()+" and decides nothing",
			"leave it out, or write a condition over doc, the parameters and me")
		l.Where = nil
	}
}
