package access

import (
	"yalvo/internal/design"
	"yalvo/internal/expr"
)

// ReadingList are the conditions to ask for a list; of is the document that it is asked
// for, nil if for none.
func (l *Law) ReadingList(list *design.Listing, of *expr.Document) []Condition {
	var all []Condition
	if owner := list.Owner(); owner != nil {
		all = l.Reading(owner, of)
	}
	return append(all, Condition{Name: list.Name + "." + string(design.OpRead), Rule: list.Access.Of(design.OpRead),
		Given: map[string]*expr.Document{design.NameOf: of}})
}

// Belonging is what must hold of a document to be an entry of a list that is asked for
// with parameters; pair are the facts of the pair that it is the other end of.
func (l *Law) Belonging(list *design.Listing, doc, of *expr.Document, pair, params map[string]any) Condition {
	return Condition{Name: list.Name + ".where", Rule: list.Where, Pair: pair, Values: params,
		Given: map[string]*expr.Document{design.NameDoc: doc, design.NameOf: of}}
}

// ListFilter is [Court.Filter] for what must hold of the entries of a list. It asks for the
// caller and for the document that the list is asked for if the condition reads them.
func (c *Court) ListFilter(list *design.Listing, of *expr.Document, params map[string]any) (expr.Filter, error) {
	if list.Where == nil {
		return expr.Filter{Kind: expr.Always}, nil
	}
	rule, want := list.Where.That, Condition{}
	if c.me != nil && rule.Names(design.NameMe) {
		want.Hidden = c.me
	}
	requests := [][]Condition{{want}}
	if of != nil && rule.Reading(design.NameOf) {
		requests = append(requests, []Condition{{Hidden: of}})
	}
	if err := c.learn(requests); err != nil {
		return expr.Filter{}, err
	}
	given := map[string]any{design.NameNow: c.now()}
	for name, v := range params {
		given[name] = v
	}
	return rule.Filter(design.NameDoc, map[string]*expr.Document{design.NameMe: c.caller(), design.NameOf: of},
		given), nil
}
