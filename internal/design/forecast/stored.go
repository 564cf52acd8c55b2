package forecast

import (
	"yalvo/internal/design"
)

// Kinds of what is stored.
const (
	Fact      = "fact"
	Duplicate = "duplicate"
	Journal   = "journal"
)

const daysAMonth, daysAYear = 365.25 / 12, 365.25

// stored is what is stored, now and as it grows: what is created less what is removed.
func (c *costing) stored(actions []Action) []Stored {
	var all []Stored
	add := func(name, kind string, rows, each, growth float64) {
		if rows == 0 && growth <= 0 {
			return
		}
		after := func(days float64) float64 { return max(0, rows+growth*days) * each }
		all = append(all, Stored{name, kind, rows, rows * each, after(daysAMonth), after(daysAYear)})
	}
	for _, col := range c.p.Collections {
		rows, growth := c.total(col.Collection), c.growth(col.Name)
		add(col.Name, Fact, rows, DocumentBytes+c.facts(col.Collection, nil)+rowKept, growth)
		for _, ref := range col.References {
			add(col.Name+"."+ref.Name, Fact, rows, ReferenceBytes, growth)
		}
		for _, u := range col.Uniques {
			add(col.Name+"."+u.Name+" (unique)", Fact, rows, rowUnique, growth)
		}
		for _, k := range col.Kept {
			if k == c.without {
				continue
			}
			add(col.Name+"."+k.Name, Duplicate, rows, member(k.Name, c.kept(k)), growth)
		}
		for _, s := range col.Summaries {
			if s.Kept == c.without {
				continue
			}
			rows, growth := c.contributions(s.Kept)
			add(col.Name+"."+s.Name+" (contributions)", Duplicate, rows, rowContribution, growth)
		}
	}
	for _, l := range c.p.Lists {
		if !l.ByPairs() {
			add(l.Name+" (index)", Duplicate, c.total(l.Entries.Collection), IndexBytes, c.growth(l.Entries.Name))
		}
	}
	for _, pair := range c.p.Pairs {
		add(pair.Name, Fact, c.pairs(pair.Name), PairBytes, c.growth(pair.Name))
	}
	for _, t := range c.p.Timelines {
		posts := c.total(t.Entries.Collection)
		add(t.Name+" (posts)", Duplicate, posts, rowPosted, c.growth(t.Entries.Name))
		if t.Deliver != design.Pull {
			// Timelines are full in the end: they grow with those who have one.
			add(t.Name, Duplicate, c.total(t.Owner.Collection)*c.held(t, Mean), rowEntry,
				c.growth(t.Owner.Name)*c.held(t, Mean))
		}
	}
	writes := 0.0
	for _, a := range actions {
		writes += a.PerDay * (1 + a.Upkeep[Mean].Documents + a.Upkeep[Mean].Pairs)
	}
	add("changes", Journal, 0, rowJournal, writes)
	return all
}

// growth is how many more there are of a collection or a pair after a day.
func (c *costing) growth(name string) float64 {
	d := c.w.Done[name]
	return (d.Create + d.Set - d.Remove - d.Unset) * c.w.Accounts * c.scale
}

// pairs is how many pairs of a kind there are.
func (c *costing) pairs(name string) float64 {
	p := c.d.Pair(name)
	return max(c.spread[name+".to"].Mean()*c.total(p.To), c.spread[name+".from"].Mean()*c.total(p.From))
}

// contributions are how many sources a summary has, and how many more after a day.
func (c *costing) contributions(k *design.Kept) (rows, growth float64) {
	if k.Pair != nil {
		return c.pairs(k.Pair.Name), c.growth(k.Pair.Name)
	}
	of := k.Sources()
	return c.total(of), c.growth(of.Name)
}
