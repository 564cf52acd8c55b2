package alternatives

import (
	"fmt"
	"slices"

	"yalvo/internal/design"
	"yalvo/internal/design/forecast"
	"yalvo/internal/design/language"
	"yalvo/internal/design/plan"
)

// freeze weighs a copy that is kept true with one that stays as it was when its document was made, and the other way
// round.
func (x *weighing) freeze(c *design.Collection, k *design.Kept, without forecast.Forecast) {
	path := []string{"collections", c.Name, "kept", k.Name}
	a := Alternative{Place: c.Name + "." + k.Name, Is: "copy", Instead: "freeze it: as it was when it was copied",
		Line: k.Pos.Line, Edits: []Edit{{path, "frozen", "true"}},
		Note: "an edit of what it is from does not reach it any more"}
	a.Saves = Saved{Processor: x.done(x.now) - x.done(without), Rows: rows(x.now) - rows(without)}
	if k.Frozen {
		edits := 0.0
		for _, p := range k.Parts {
			if p.Field != nil {
				edits += x.w.Done[k.Via.To.Name].Edit[p.Field.Name] * x.w.Accounts
			}
		}
		rewritten := edits * x.each(k.Via.In.Name+"."+k.Via.Name)
		a.Is, a.Instead, a.Edits = "frozen copy", "keep it true", []Edit{{path, "frozen", "false"}}
		a.Note = "what it was when it was copied is lost"
		a.Saves = Saved{Processor: -rewritten * x.rates.Kept / 1e6, Rows: -rewritten}
	}
	x.all = append(x.all, a)
}

// index weighs the order of a list: one that an index holds is read from its top, any other is put together from all
// that the list could hold, whenever somebody looks.
func (x *weighing) index(l *design.Listing) {
	if l.ByPairs() || len(l.Words) > 0 || l.Starts != nil {
		return // the pairs' own index, and those of texts, are what it is
	}
	looks, page := x.looks(l)
	held := x.w.Total(x.d, l.Entries, 1)
	if owner := l.Owner(); owner != nil {
		held = x.each(relationOf(l))
	}
	more := looks * max(0, held-page)
	a := Alternative{Place: l.Name, Line: l.Pos.Line}
	switch s := l.Serving(); {
	case s.None || l.Sorted():
		order := design.ByCreated
		if l.Through != nil {
			order = design.ByPaired
		}
		a.Is, a.Instead = "sorted when read", fmt.Sprintf("order it by `%s`, as an index is", order)
		a.Edits = []Edit{{[]string{"lists", l.Name}, "order", order}}
		a.Note = "it is in another order then"
		then, is := x.with(a.Edits)
		if !is {
			return
		}
		a.Saves = Saved{Documents: x.now.Day.Read.Passed - then.Day.Read.Passed,
			Processor: x.now.Day.Processor - then.Day.Processor}
	default:
		all := x.w.Total(x.d, l.Entries, 1)
		writes := x.w.Done[l.Entries.Name].Create * x.w.Accounts
		a.Is, a.Instead = "by an index", "no index: sorted when read"
		a.Note = "what its index is worth; a list that an index can hold always has one"
		a.Saves = Saved{Documents: -more, Stored: all * forecast.IndexBytes, Rows: writes,
			Processor: (writes*x.rates.Note - more*x.rates.Passed) / 1e6}
	}
	x.all = append(x.all, a)
}

// looks is how often a list is looked at in a day, and how many it shows then.
func (x *weighing) looks(l *design.Listing) (often, page float64) {
	for _, s := range x.d.Screens {
		for _, p := range s.Parts {
			if p.List == l {
				often, page = often+x.w.Opened[s.Name]*x.w.Accounts, float64(p.Page)
			}
		}
	}
	return often, page
}

func relationOf(l *design.Listing) string {
	switch {
	case l.Under:
		return l.Entries.Name
	case l.By != nil:
		return l.By.In.Name + "." + l.By.Name
	}
	return l.Through.Name + "." + string(l.Side)
}

// each is how many of a relation one has on average; one, if nobody says.
func (x *weighing) each(relation string) float64 {
	if s, said := x.w.Spreads[relation]; said {
		return s.MeanOf()
	}
	return 1
}

// within is how many ids a document may hold: more make it slow to write, and grow.
const within = 50

// pair weighs pairs with names in the document at their one end.
func (x *weighing) pair(p *design.Pair) {
	s, said := x.w.Spreads[p.Name+".from"]
	if !said || s.Most > within || len(p.Fields) > 0 || x.through(p) {
		return
	}
	pairs := s.MeanOf() * x.w.Total(x.d, p.From, 1)
	deeds := x.w.Done[p.Name]
	changes := (deeds.Set + deeds.Unset) * x.w.Accounts
	a := Alternative{Place: p.Name, Is: "pair", Line: p.Pos.Line,
		Note: "the pair, its rules and what else names it have to be taken out by hand"}
	field := Edit{[]string{"collections", p.From.Name, "fields"}, p.Name + "_of", ""}
	if s.Most <= 1 {
		a.Instead = fmt.Sprintf("a reference in %s: one has one at most", p.From.Name)
		field.Value = fmt.Sprintf("{type: reference, to: %s, when_gone: clear, inverse: %s_by}", p.To.Name, p.Name)
		a.Saves = Saved{Stored: pairs * (forecast.PairBytes - forecast.ReferenceBytes)}
	} else {
		a.Instead = fmt.Sprintf("a set of their ids in %s: one has %.0f at most", p.From.Name, s.Most)
		field.Value = fmt.Sprintf("{type: set, of: {type: string, max: 128}, max: %.0f}", s.Most)
		a.Saves = Saved{Stored: pairs * (forecast.PairBytes - idBytes), Rows: changes,
			Processor: changes * x.rates.Note / 1e6}
		a.Note = "no end of them points back, is counted, or ends when what it names goes; " + a.Note
	}
	a.Edits = []Edit{field}
	if x.edited(a.Edits) != nil {
		x.all = append(x.all, a)
	}
}

// idBytes is what an id takes within a document.
const idBytes = 40.0

// through tells whether a timeline, a kept value or a list is made of pairs: those need them.
func (x *weighing) through(p *design.Pair) bool {
	return slices.ContainsFunc(x.d.Timelines, func(t *design.Timeline) bool { return t.Through == p }) ||
		slices.ContainsFunc(x.d.Lists, func(l *design.Listing) bool { return l.Through == p }) ||
		slices.ContainsFunc(x.d.Collections, func(c *design.Collection) bool {
			return slices.ContainsFunc(c.Kept, func(k *design.Kept) bool { return k.Pair == p })
		})
}

// inside weighs a list within a document with documents under it.
func (x *weighing) inside(c *design.Collection, f *design.Field) {
	if f.Type != design.List && f.Type != design.Set || f.Of == nil || f.Of.Type != design.String || f.Max == nil ||
		len(f.Of.OneOf) > 0 {
		return
	}
	edits := x.w.Done[c.Name].Edit[f.Name] * x.w.Accounts
	items := min(*f.Max, 10)
	if said, is := x.w.Sizes[c.Name+"."+f.Name]; is {
		items = min(*f.Max, said/itemBytes)
	}
	items *= x.w.Share(c, f.Name)
	shown := x.shown(c, f.Name) * items
	all := items * x.w.Total(x.d, c, 1)
	a := Alternative{Place: c.Name + "." + f.Name, Is: string(f.Type) + " in the document",
		Instead: fmt.Sprintf("documents under %s, each by itself", c.Name), Line: f.Pos.Line,
		Edits: []Edit{{[]string{"collections"}, c.Name + "_" + f.Name,
			fmt.Sprintf("{under: %s, fields: {item: {type: string, required: true, max: 200}}}", c.Name)}},
		Note: "what is in the field stays there until it is brought over; the new collection needs rules",
		Saves: Saved{Documents: -shown, Stored: -all * forecast.DocumentBytes, Rows: edits,
			Processor: -shown * x.rates.Document / 1e6}}
	if x.edited(a.Edits) != nil {
		x.all = append(x.all, a)
	}
}

// carried weighs what entries of a timeline carry with entries that are whole documents: a look is longer then, and
// what a screen shows beyond what is carried need not be read apart.
func (x *weighing) carried(t *design.Timeline) {
	if len(t.Carry) == 0 {
		return
	}
	edits := []Edit{{[]string{"timelines", t.Name, "carry"}, "", ""}}
	then, is := x.with(edits)
	if !is {
		return // something names what is carried
	}
	x.all = append(x.all, Alternative{Place: t.Name, Is: "carries a part", Instead: "carry the whole document",
		Edits: edits, Line: t.Pos.Line, Saves: Saved{Processor: x.now.Day.Processor - then.Day.Processor},
		Note: fmt.Sprintf("screens read %.3g MB more in a day", (then.Day.Read.Bytes-x.now.Day.Read.Bytes)/1e6)})
}

// itemBytes is what an item of a list takes, of which nobody says how long it is.
const itemBytes = 20.0

// with is the forecast of the design with some edits, false if it cannot be read then.
func (x *weighing) with(edits []Edit) (forecast.Forecast, bool) {
	d := x.edited(edits)
	if d == nil {
		return forecast.Forecast{}, false
	}
	return forecast.Make(plan.New(d, plan.Counted()), x.w, x.rates, 1), true
}

// edited is the design with some edits, nil if it cannot be read then.
func (x *weighing) edited(edits []Edit) *design.Design {
	source, err := Amended(x.d.Source, edits)
	if err != nil {
		return nil
	}
	d, err := language.Read("with the edit", source)
	if err != nil {
		return nil
	}
	return d
}

// Amended is the text of a design with some edits made; all else stays as it is written.
func Amended(source []byte, edits []Edit) (_ []byte, err error) {
	for _, e := range edits {
		if source, err = language.Amend(source, e.Path, e.Key, e.Value); err != nil {
			return nil, err
		}
	}
	return source, nil
}
