package words

import (
	"fmt"
	"strings"

	"yalvo/internal/design"
)

func ofTimeline(t *design.Timeline) []string {
	if t.Owner == nil || t.Entries == nil || t.Through == nil {
		return nil
	}
	own := ""
	if t.Own {
		own = ", and their own"
	}
	order := "newest first"
	if t.Order != nil {
		order = "by " + t.Order.Name + ", the greatest first"
	}
	all := []string{sentence("%s sees the %s of their %s%s, %s, %d at most", aDocument(t.Owner), several(t.Entries),
		strings.ReplaceAll(t.Through.FromCalls, "_", " "), own, order, t.Length)}
	all = append(all, sentence("%s is seen by the %s of its %s", aDocument(t.Entries),
		strings.ReplaceAll(t.Through.ToCalls, "_", " "), t.By.Name))
	if t.Where != nil {
		all = append(all, sentence("only those are among them for which `%s`", conditionOf(t.Where)))
	}
	for _, u := range t.Unless {
		ways := "if its owner has such a pair with the author"
		if u.EitherWay {
			ways = "if either has such a pair with the other"
		}
		all = append(all, sentence("by %s entries are left out, %s", u.Paired.Name, ways))
	}
	switch t.Deliver {
	case design.Push:
		all = append(all, "An entry is written into each timeline when it is made.")
	case design.Pull:
		all = append(all, "Nothing is written out: entries are collected when somebody looks.")
	default:
		all = append(all, sentence("an entry is written into each timeline when it is made; of those whom more "+
			"than %d "+
			"follow, it is collected when somebody looks", t.Above))
	}
	if len(t.Carry) > 0 {
		all = append(all, sentence("of each, it shows %s", partNames(t.Carry)))
	}
	return append(all, ofAccess(t.Access, "it")...)
}

func ofList(l *design.Listing) []string {
	of := "all " + several(l.Entries)
	switch {
	case l.Under:
		of = "the " + several(l.Entries) + " under one " + one(l.Entries.Under)
	case l.By != nil:
		of = "the " + several(l.Entries) + " of one " + one(l.By.To) + ", which is their " + l.By.Name
	case l.Through != nil:
		calls := l.Through.FromCalls
		if l.Side == design.To {
			calls = l.Through.ToCalls
		}
		of = "the " + several(l.Entries) + " that one " + one(l.Owner()) + " calls " + calls + ", by " + l.Through.Name
	}
	var order []string
	for _, o := range l.Order {
		how := map[bool]string{false: "the greatest first", true: "the least first"}[o.Up]
		if o.System != "" {
			how = map[bool]string{false: "the newest first", true: "the oldest first"}[o.Up]
		}
		order = append(order, o.Name()+" ("+how+")")
	}
	text := of
	if len(order) > 0 {
		text += ", by " + enumerate(order)
	}
	all := []string{sentence("%s", text)}
	if l.Where != nil {
		all = append(all, sentence("only those for which `%s`", conditionOf(l.Where)))
	}
	for _, u := range l.Unless {
		all = append(all, sentence("those are left out whom the caller is paired with by %s", u.Paired.Name))
	}
	if l.Starts != nil {
		all = append(all, sentence("those whose %s begins with what is asked for", l.Starts.Name))
	}
	if len(l.Words) > 0 {
		all = append(all, sentence("those in whose %s all words are that are asked for",
			enumerate(design.FieldNames(l.Words))))
	}
	if l.Top != nil {
		all = append(all, sentence("the %s one stands on top", l.Top.Name))
	}
	return append(all, ofAccess(l.Access, "it")...)
}

// conditionOf is a condition as the design has it.
func conditionOf(rule *design.Rule) string {
	if rule.That == nil {
		return fmt.Sprint(rule.Fixed)
	}
	return rule.That.Text
}
