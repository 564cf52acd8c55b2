package forecast

import (
	"maps"
	"slices"
	"strings"

	"yalvo/internal/design"
	"yalvo/internal/design/expr"
	"yalvo/internal/design/plan"
)

// deepest is how far what follows from something is followed: removals may lead to removals.
const deepest = 8

// creates begins the names of creations.
const creates = "create "

// actions are all things that are done, in the order of the design.
func (c *costing) actions() []Action {
	var all []Action
	c.eachAction(func(name string, often float64, change plan.Change) {
		if often > 0 {
			all = append(all, c.action(name, often*c.w.Accounts*c.scale, change))
		}
	})
	return all
}

// eachAction names each thing that the workload says anything of, how often an account does it a day, and what that
// changes.
func (c *costing) eachAction(add func(name string, often float64, change plan.Change)) {
	for _, col := range c.p.Collections {
		deeds := c.w.Done[col.Name]
		add(creates+col.Name, deeds.Create, created(col))
		for _, f := range slices.Sorted(maps.Keys(deeds.Edit)) {
			add("edit "+col.Name+"."+f, deeds.Edit[f], edited(col, f))
		}
		add("remove "+col.Name, deeds.Remove, removed(col))
	}
	for _, pair := range c.p.Pairs {
		deeds := c.w.Done[pair.Name]
		add("set "+pair.Name, deeds.Set, plan.Change{Kind: plan.Set, Pair: pair, From: 1, To: 2})
		add("unset "+pair.Name, deeds.Unset, plan.Change{Kind: plan.Unset, Pair: pair, From: 1, To: 2})
	}
}

// changeNamed is what an action of a name changes, false for a name that no action has.
func (c *costing) changeNamed(name string) (plan.Change, bool) {
	does, of, _ := strings.Cut(name, " ")
	of, field, isEdit := strings.Cut(of, ".")
	if pair := c.p.Pair(of); pair != nil {
		kind := map[string]plan.Kind{"set": plan.Set, "unset": plan.Unset}[does]
		return plan.Change{Kind: kind, Pair: pair, From: 1, To: 2}, kind != ""
	}
	col := c.p.Collection(of)
	switch {
	case col == nil:
		return plan.Change{}, false
	case does == "create":
		return created(col), true
	case does == "remove":
		return removed(col), true
	}
	return edited(col, field), does == "edit" && isEdit && col.Collection.Field(field) != nil
}

// created, edited and removed are changes as upkeep plans them: a document that points at one by each of its
// references, and stands in each timeline that it can.
func created(of *plan.Collection) plan.Change {
	c := plan.Change{Kind: plan.Created, Collection: of, Doc: 1, Parent: 2, Before: plan.Targets{},
		After:   plan.Targets{},
		Touched: design.FieldNames(of.Collection.Fields)}
	for _, ref := range of.References {
		c.After[ref] = 3
	}
	for range of.EntersInto {
		c.RankBefore, c.RankAfter = append(c.RankBefore, plan.NoRank), append(c.RankAfter, 1)
	}
	return c
}

func edited(of *plan.Collection, field string) plan.Change {
	c := plan.Change{Kind: plan.Changed, Collection: of, Doc: 1, Parent: 2, Before: plan.Targets{},
		After:   plan.Targets{},
		Touched: []string{field}}
	for _, ref := range of.References {
		c.Before[ref], c.After[ref] = 3, 3
		if ref.Name == field {
			c.After[ref] = 4
		}
	}
	for _, t := range of.EntersInto {
		rank := int64(1)
		switch {
		case t.Order != nil && t.Order.Name == field:
			rank = 2
		case t.Where != nil && t.Where.That != nil && slices.Contains(t.Where.That.Reads,
			expr.Member{Collection: of.Name, Name: field}):
			rank = plan.NoRank // it may not belong there any more
		}
		c.RankBefore, c.RankAfter = append(c.RankBefore, 1), append(c.RankAfter, rank)
	}
	return c
}

func removed(of *plan.Collection) plan.Change {
	c := created(of)
	c.Kind, c.Before, c.After = plan.Removed, c.After, plan.Targets{}
	c.RankBefore, c.RankAfter = c.RankAfter, c.RankBefore
	return c
}

// action is what one thing costs: in its own write, and by what upkeep has to do for each level of whoever does it.
func (c *costing) action(name string, perDay float64, change plan.Change) Action {
	a := Action{Name: name, PerDay: perDay, Questions: c.changeQuestions(change), Direct: c.direct(change),
		Upkeep: map[Level]Written{},
		Last:   map[Level]float64{}}
	for _, level := range Levels {
		c.level, c.up, c.made = level, Written{}, map[Part]Written{}
		c.follow(change, 1, 0)
		a.Upkeep[level], a.Last[level] = c.up, c.rates.last(c.up)
		if level == Mean {
			a.Parts = c.made
		}
	}
	return a
}

// direct is what the write itself writes.
func (c *costing) direct(change plan.Change) Written {
	w := Written{Notes: 1, Bytes: rowJournal}
	note := func(bytes float64) { w.Notes, w.Bytes = w.Notes+1, w.Bytes+bytes }
	if change.Pair != nil {
		w.Pairs, w.Bytes = 1, w.Bytes+PairBytes
		return w
	}
	w.Documents = 1
	switch change.Kind {
	case plan.Removed:
		return w
	case plan.Changed:
		w.Bytes += c.row(change.Collection.Collection)
		return w
	}
	w.Bytes += c.row(change.Collection.Collection)
	for range change.Collection.References {
		note(ReferenceBytes)
	}
	for range change.Collection.Uniques {
		note(rowUnique)
	}
	for _, t := range change.Collection.EntersInto {
		note(rowPosted)
		if t.Own && t.Deliver != design.Pull {
			w.Entries, w.Bytes = w.Entries+1, w.Bytes+rowEntry
		}
	}
	return w
}

// follow adds what follows from a change that happens so many times: the work that upkeep plans for it, and triggers.
func (c *costing) follow(change plan.Change, times float64, depth int) {
	if times == 0 || depth > deepest {
		return
	}
	for _, w := range c.p.Due(change) {
		c.work(w, change, times, depth)
	}
	on := map[plan.Kind]design.Event{plan.Created: design.OnCreated, plan.Changed: design.OnChanged,
		plan.Removed: design.OnRemoved, plan.Set: design.OnSet, plan.Unset: design.OnUnset}[change.Kind]
	for _, t := range c.p.TriggersOn(on, change.Collection, change.Pair) {
		c.trigger(t, times)
	}
}

func (c *costing) trigger(t *plan.Trigger, times float64) {
	c.up.Notes += times
	for _, s := range t.Steps {
		switch s.Do {
		case design.DoSend:
			c.add(AlongPart, "trigger "+t.Name, Written{Sent: times})
		case design.DoPair:
			c.add(AlongPart, "set "+s.Pair.Name, Written{Pairs: times, Bytes: times * (PairBytes + rowJournal)})
		case design.DoUnpair:
			c.add(AlongPart, "unset "+s.Pair.Name, Written{Pairs: times, Bytes: times * (PairBytes + rowJournal)})
		case design.DoEdit:
			c.add(AlongPart, "edit "+t.Collection.Name, Written{Documents: times, Bytes: times * rowJournal})
		default:
			c.add(AlongPart, string(s.Do)+" "+s.Collection.Name, Written{Documents: times, Bytes: times * rowJournal})
		}
	}
}

// add adds what is written of one thing.
func (c *costing) add(kind, name string, w Written) {
	c.up = c.up.plus(w)
	c.made[Part{kind, name}] = c.made[Part{kind, name}].plus(w)
}

// at is the level at a depth: what one account causes at once depends on that account; what follows from that is of
// others.
func (c *costing) at(depth int) Level {
	if depth == 0 {
		return c.level
	}
	return Mean
}

// work adds what a piece of work writes, so many times, and what follows from that.
func (c *costing) work(w plan.Work, change plan.Change, times float64, depth int) {
	if times == 0 || depth > deepest {
		return
	}
	switch w.Step {
	case plan.Add:
		count := c.p.CountNumbered(w.Subject)
		c.rewritten(count.In, count.Name, times, depth)
	case plan.Recopy:
		if w.Key != 0 {
			return // it was copied in the write: this sees that it still is so
		}
		kept := c.p.CopyNumbered(w.Subject)
		many := c.many(relationOf(kept.Via.Field), c.at(depth), same)
		c.rewritten(kept.In, kept.Name, times*many, depth+1)
	case plan.Contribute:
		s := c.p.SummaryNumbered(w.Subject)
		if s.Kept == c.without {
			return
		}
		times *= c.contributing(s)
		c.up.Notes, c.up.Bytes = c.up.Notes+times, c.up.Bytes+times*rowContribution
		c.rewritten(s.In, s.Name, times, depth)
	case plan.Choose:
		s := c.p.SummaryNumbered(w.Subject)
		c.rewritten(s.In, s.Name, times, depth)
	case plan.Refresh:
		s, many := c.p.SummaryNumbered(w.Subject), 1.0
		if s.Pair != nil {
			many = c.many(s.Pair.Name+"."+other(s.Side), c.at(depth), same)
		}
		c.rewritten(s.In, s.Name, times*many, depth+1)
	case plan.Deliver, plan.Withdraw:
		t := c.p.TimelineNumbered(w.Subject)
		c.entries(t, times*c.reached(t, c.at(depth)))
	case plan.Subscribe:
		t := c.p.TimelineNumbered(w.Subject)
		c.entries(t, times*c.many(relationOf(t.By.Field), c.at(depth), atMost(float64(t.Length))))
	default:
		c.ending(w, change, times, depth)
	}
}

// contributing is the share of the sources of a summary that it is made of: those that have what it is of, and meet its
// condition.
func (c *costing) contributing(s *plan.Summary) float64 {
	if s.Of.Kept != nil {
		return 1 // what changes most times is in many
	}
	if share, said := c.w.Present[s.In.Name+"."+s.Name]; said {
		return share
	}
	if s.Of.Field != nil && s.Sources != nil {
		return c.w.Share(s.Sources.Collection, s.Of.Field.Name)
	}
	return 1
}

func other(side design.Side) string {
	if side == design.From {
		return string(design.To)
	}
	return string(design.From)
}

// reached is how many timelines an entry is written into.
func (c *costing) reached(t *plan.Timeline, level Level) float64 {
	followers := t.Through.Name + ".to"
	if level == Mean && c.w.Busy[t.Entries.Name] == followers {
		return c.spread[followers].BiasedOf(pushed(t.Timeline))
	}
	return c.many(followers, level, pushed(t.Timeline))
}

func (c *costing) entries(t *plan.Timeline, many float64) {
	c.add(TimelinePart, t.Name, Written{Entries: many, Bytes: many * rowEntry})
}

// rewritten adds documents in which a kept value changes, and what is built on that.
func (c *costing) rewritten(in *plan.Collection, name string, times float64, depth int) {
	if c.without != nil && in.KeptValue(name) == c.without {
		return
	}
	c.add(KeptPart, in.Name+"."+name, Written{Kept: times, Bytes: times * (rowKept + c.values(in.Collection, nil))})
	for _, w := range in.KeptChanged(name, 1) {
		c.work(w, plan.Change{}, times, depth+1)
	}
}

// ending adds what hung on a document that is gone.
func (c *costing) ending(w plan.Work, change plan.Change, times float64, depth int) {
	of := change.Collection
	if of == nil {
		return
	}
	level := c.at(depth)
	switch w.Step {
	case plan.EndReference:
		ref := c.p.ReferenceNumbered(w.Subject)
		many := times * c.many(relationOf(ref.Field), level, same)
		does := "edit " + ref.In.Name + "." + ref.Name
		if ref.WhenGone == design.GoneRemove {
			does = "remove " + ref.In.Name
		}
		c.add(AlongPart, does, Written{Documents: many, Bytes: many * rowJournal})
		if ref.WhenGone == design.GoneRemove {
			c.follow(removed(ref.In), many, depth+1)
			return
		}
		cleared := edited(ref.In, ref.Name)
		cleared.After[ref] = 0
		c.follow(cleared, many, depth+1)
	case plan.EndFrom, plan.EndTo:
		side := string(design.From)
		if w.Step == plan.EndTo {
			side = string(design.To)
		}
		pair := c.p.PairNumbered(w.Subject)
		many := times * c.many(pair.Name+"."+side, level, same)
		c.add(AlongPart, "unset "+pair.Name, Written{Pairs: many, Bytes: many * rowJournal})
		c.follow(plan.Change{Kind: plan.Unset, Pair: pair, From: 1, To: 2}, many, depth+1)
	case plan.EndNested:
		for _, nested := range of.Nested {
			if nested.Number == w.Subject {
				many := times * c.many(nested.Name, level, same)
				c.add(AlongPart, "remove "+nested.Name, Written{Documents: many, Bytes: many * rowJournal})
				c.follow(removed(nested), many, depth+1)
			}
		}
	case plan.EndTimeline:
		if t := c.p.TimelineNumbered(w.Subject); t.Deliver != design.Pull {
			c.entries(t, times*c.held(t, level))
		}
	}
}

// held is how many entries an owner's timeline has written out.
func (c *costing) held(t *plan.Timeline, level Level) float64 {
	if _, said := c.spread[t.Name]; said {
		return c.many(t.Name, level, atMost(float64(t.Length)*1.1))
	}
	written := 1.0 // of those who are followed, the part whose entries are written
	if followers := c.spread[t.Through.Name+".to"]; followers.Mean() > 0 {
		written = followers.MeanOf(pushed(t.Timeline)) / followers.Mean()
	}
	each := c.postsEach(t.Timeline)
	return c.many(t.Through.Name+".from", level, func(followed float64) float64 {
		return min(float64(t.Length)*1.1, written*followed*each+own(t.Timeline,
			c.spread[relationOf(t.By.Field)].Mean()))
	})
}
