package access

import (
	"slices"

	"yalvo/internal/design"
	"yalvo/internal/design/expr"
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

// ReadingTold are the conditions to read those values of an entry that a list tells, as far as they do not follow
// from the rules for the list and for the entry.
func (l *Law) ReadingTold(list *design.Listing, doc *expr.Document) []Condition {
	return l.readingAll(list.Entries, doc, l.told[list.Name])
}

// ReadingTimelineTold is the same for the entries of a timeline.
func (l *Law) ReadingTimelineTold(t *design.Timeline, doc *expr.Document) []Condition {
	return l.readingAll(t.Entries, doc, l.told[t.Name])
}

// Tells tells whether a list, or a timeline, tells values of its entries that not all may read who may read
// these.
func (l *Law) Tells(name string) bool { return len(l.told[name]) > 0 }

func (l *Law) readingAll(c *design.Collection, doc *expr.Document, names []string) []Condition {
	var all []Condition
	for _, name := range names {
		all = append(all, l.ReadingField(c, doc, name)...)
	}
	return all
}

// findTold notes which values are told by lists and timelines, and have to be judged.
func (l *Law) findTold() {
	for _, list := range l.design.Lists {
		if list.Entries != nil {
			l.told[list.Name] = unproved(list.Entries, list.Access.Of(design.OpRead), list.Tells())
		}
	}
	for _, t := range l.design.Timelines {
		if t.Entries == nil || t.By == nil {
			continue
		}
		tells := []string{t.By.Name}
		if t.Order != nil {
			tells = append(tells, t.Order.Name)
		}
		l.told[t.Name] = unproved(t.Entries, t.Access.Of(design.OpRead), tells)
	}
}

// unproved are those of some values of a collection's documents that are narrowed, and are not known to be
// for all who may read the documents and what a rule lets them read.
func unproved(c *design.Collection, of *design.Rule, names []string) []string {
	var all []string
	known := append(claimsOf(c, design.NameDoc, nil), claim(of, nil))
	for _, name := range names {
		if c.Access.OfField(name, design.OpRead) != nil && !slices.Contains(all, name) &&
			!expr.Follows(fieldClaim(c, name, design.NameDoc), known...) {
			all = append(all, name)
		}
	}
	return all
}

// Belonging is what must hold of a document to be an entry of a list that is asked for
// with parameters; pair are the facts of the pair that it is the other end of.
func (l *Law) Belonging(list *design.Listing, doc, of *expr.Document, pair, params map[string]any) Condition {
	return Condition{Name: list.Name + ".where", Rule: list.Where, Pair: pair, Values: params,
		Given: map[string]*expr.Document{design.NameDoc: doc, design.NameOf: of}}
}

// ListFilter is [Evaluator.Filter] for what must hold of the entries of a list. It asks for the
// caller and for the document that the list is asked for if the condition reads them.
func (c *Evaluator) ListFilter(list *design.Listing, of *expr.Document, params map[string]any) (expr.Filter, error) {
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
