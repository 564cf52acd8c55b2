package graph

import (
	"yalvo/internal/design"
	"yalvo/internal/design/expr"
	"yalvo/internal/design/words"
)

func (b *builder) collection(c *design.Collection) {
	id := collectionID(c)
	var members []Member
	for _, f := range c.Fields {
		members = append(members, Member{ID: fieldID(c, f.Name), Name: f.Name, Type: string(f.Type), Line: f.Pos.Line,
			Rules: b.readBy[expr.Member{Collection: c.Name, Name: f.Name}], Says: words.Field(c, f)})
		if f.Type == design.Reference && f.To != nil {
			b.g.Ties = append(b.g.Ties, Tie{id, collectionID(f.To), fieldID(c, f.Name), Points})
		}
	}
	for _, k := range c.Kept {
		members = append(members, Member{ID: keptID(k), Name: k.Name, Kept: true, Type: string(k.Kind),
			Line: k.Pos.Line, Rules: b.readBy[expr.Member{Collection: c.Name, Name: k.Name}], Says: words.Kept(k)})
		b.kept(k)
	}
	t := b.thing(Collection, c.Name, c.Pos)
	t.Accounts = c == b.d.Accounts
	t.Members = append(t.Members, members...)
	if c.Under != nil {
		b.g.Ties = append(b.g.Ties, Tie{id, collectionID(c.Under), id, Lies})
	}
}

// kept says what a kept value is made of.
func (b *builder) kept(k *design.Kept) {
	id := keptID(k)
	switch {
	case k.Via != nil:
		b.feed(fieldID(k.Via.In, k.Via.Name), id)
	case k.Pair != nil:
		b.feed(pairID(k.Pair), id)
	default:
		b.feed(collectionID(k.Nested), id)
	}
	for _, part := range k.Parts {
		b.feed(partID(k.Shown(), part), id)
	}
	if k.Of.Field != nil && k.Pair != nil && design.FieldNamed(k.Pair.Fields, k.Of.Name()) == k.Of.Field {
		b.feed(pairID(k.Pair)+".fields."+k.Of.Name(), id)
	} else if k.Of != (design.Part{}) {
		b.feed(partID(k.Sources(), k.Of), id)
	}
	b.condition(k, id)
}

// condition says which values of its sources the condition of a kept value reads.
func (b *builder) condition(k *design.Kept, id string) {
	if k.Where == nil {
		return
	}
	for _, name := range k.Sources().Names() {
		if k.Where.Names(design.NameDoc, name) {
			b.member(k.Sources(), name, id)
		}
	}
	if k.Pair == nil {
		return
	}
	for _, f := range k.Pair.Fields {
		if k.Where.Names(design.NamePair, f.Name) {
			b.feed(pairID(k.Pair)+".fields."+f.Name, id)
		}
	}
}

func (b *builder) pair(p *design.Pair) {
	id := pairID(p)
	t := b.thing(Pair, p.Name, p.Pos)
	for _, f := range p.Fields {
		t.Members = append(t.Members, Member{ID: id + ".fields." + f.Name, Name: f.Name, Type: string(f.Type),
			Line: f.Pos.Line, Says: words.PairField(p, f)})
	}
	ends := []*design.Collection{p.From, p.To}
	if p.From == p.To {
		ends = ends[:1]
	}
	for _, end := range ends {
		if end != nil {
			b.g.Ties = append(b.g.Ties, Tie{id, collectionID(end), id, Ends})
		}
	}
}

func (b *builder) timeline(t *design.Timeline) {
	id := idOf(Timeline, t.Name)
	b.thing(Timeline, t.Name, t.Pos)
	b.feed(collectionID(t.Entries), id)
	b.feed(fieldID(t.Entries, t.By.Name), id)
	b.feed(pairID(t.Through), id)
	for _, u := range t.Unless {
		b.feed(pairID(u.Paired), id)
	}
	for _, rule := range []*design.Rule{t.Where, t.While} {
		b.reads(rule, id)
	}
	if t.Order != nil {
		b.feed(fieldID(t.Entries, t.Order.Name), id)
	}
	for _, part := range t.Carry {
		b.feed(partID(t.Entries, part), id)
	}
}

func (b *builder) list(l *design.Listing) {
	id := idOf(List, l.Name)
	b.thing(List, l.Name, l.Pos)
	b.feed(collectionID(l.Entries), id)
	if l.By != nil {
		b.feed(fieldID(l.Entries, l.By.Name), id)
	}
	if l.Through != nil {
		b.feed(pairID(l.Through), id)
	}
	for _, u := range l.Unless {
		b.feed(pairID(u.Paired), id)
		if u.With != nil {
			b.feed(fieldID(l.Entries, u.With.Name), id)
		}
	}
	b.reads(l.Where, id)
	for _, o := range l.Order {
		if o.System == "" {
			b.feed(partID(l.Entries, o.Part), id)
		}
	}
	if l.Top != nil {
		b.feed(fieldID(l.Owner(), l.Top.Name), id)
	}
	for _, f := range l.Words {
		b.feed(fieldID(l.Entries, f.Name), id)
	}
	if l.Starts != nil {
		b.feed(fieldID(l.Entries, l.Starts.Name), id)
	}
}

func (b *builder) trigger(t *design.Trigger) {
	id := idOf(Trigger, t.Name)
	b.thing(Trigger, t.Name, t.Pos)
	if t.Collection != nil {
		b.feed(collectionID(t.Collection), id)
	}
	if t.Pair != nil {
		b.feed(pairID(t.Pair), id)
	}
	for _, rule := range t.Sees() {
		b.reads(&design.Rule{That: rule}, id)
	}
	for _, s := range t.Steps {
		switch {
		case s.Do == design.DoEdit && t.Collection != nil:
			for _, f := range t.Collection.Fields {
				if s.Fields[f.Name] != nil {
					b.feed(id, fieldID(t.Collection, f.Name))
				}
			}
		case s.Collection != nil:
			b.feed(id, collectionID(s.Collection))
		case s.Pair != nil:
			b.feed(id, pairID(s.Pair))
		}
	}
}

func (b *builder) screen(s *design.Screen) {
	id := idOf(Screen, s.Name)
	b.thing(Screen, s.Name, s.Pos)
	for _, p := range s.Parts {
		switch {
		case p.Timeline != nil:
			b.feed(idOf(Timeline, p.Timeline.Name), id)
		case p.List != nil:
			b.feed(idOf(List, p.List.Name), id)
		case p.Leads != "":
			b.leads(p, s.Of, id)
		default:
			b.feed(collectionID(p.Shows), id)
		}
		for _, name := range b.shown(p) {
			b.member(p.Shows, name, id)
		}
		marks := b.d.MarkNames(p.Shows)
		for _, name := range p.Marks {
			if pair := marks[name]; pair != nil {
				b.feed(pairID(pair), id)
			}
		}
		for _, ref := range p.With {
			b.feed(fieldID(p.Shows, ref.Name), id)
			b.feed(collectionID(ref.To), id)
		}
	}
}

// leads feeds from what a name of a document leads through.
func (b *builder) leads(p *design.ScreenPart, of *design.Collection, id string) {
	if p.For == design.Mine {
		of = b.d.Accounts
	}
	b.feed(collectionID(p.Shows), id)
	switch led := b.d.Leads(of)[p.Leads]; {
	case led.Pair != nil:
		b.feed(pairID(led.Pair), id)
	case led.By != nil:
		b.feed(fieldID(led.To, led.By.Name), id)
	}
}

// shown are the values that a part shows: what it names, else what its timeline carries, else all.
func (b *builder) shown(p *design.ScreenPart) []string {
	if names := p.Fields(); len(names) > 0 {
		return names
	}
	if p.Timeline != nil && len(p.Timeline.Carry) > 0 {
		fields, kept := design.Names(p.Timeline.Carry)
		return append(fields, kept...)
	}
	return p.Shows.Names()
}
