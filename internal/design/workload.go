package design

import "slices"

// Workload is how much an app is used: how many there are of each thing, how they are spread, how often each screen is
// opened and each thing done. All of it is what somebody expects or has measured; nothing that is served depends on it.
type Workload struct {
	Pos       Pos
	Accounts  float64            // how many there are now
	Later     float64            // and one day; 0: nobody says
	Documents map[string]float64 // how many there are of each other collection
	Spreads   map[string]Spread  // by relation: see [Design.Relations]
	Opened    map[string]float64 // screens: how often, per account and day
	Done      map[string]Deeds   // by collection or pair
	Busy      map[string]string  // of a collection: the relation whose many ends make more of its documents
	Hours     []float64          // of the day, by their share of it; 24 of them, which come to 1
	Sizes     map[string]float64 // bytes of a field as it is written, by collection.field; of ids, by collection.id
	Present   map[string]float64 // the share of documents that have a field; of sources that a kept value counts
	Unchanged map[string]float64 // screens: the share of times that it has not changed since it was read last
	Prices    Prices
	FanOut    float64 // the most timelines that one write should reach; 0: nobody says
}

// Deeds are how often something is done, per account and day.
type Deeds struct {
	Create, Remove float64
	Edit           map[string]float64 // by field
	Set, Unset     float64            // of pairs
}

// Spread is how many of something one document has: a mean and the most that any has, spread between by a power law;
// or shares of all documents, each with so many.
type Spread struct {
	Pos        Pos
	Mean, Most float64
	Shares     []Share
}

// MeanOf is the mean of a spread.
func (s Spread) MeanOf() float64 {
	if len(s.Shares) == 0 {
		return s.Mean
	}
	mean := 0.0
	for _, share := range s.Shares {
		mean += share.Many * share.Part
	}
	return mean
}

// Share is a part of all documents that have so many.
type Share struct{ Many, Part float64 }

// Prices are what is paid for, in one currency: for a million documents or pairs read, for a million written, and for a
// gigabyte stored for a month.
type Prices struct{ Read, Write, Stored float64 }

// Relation is how many of something a document has: pairs of which it is an end, documents that point at it, or that
// lie under it, as kept values call their sources; or entries of its timeline, by that's name.
type Relation struct {
	Name   string
	Of     *Collection // whose documents have them
	Others *Collection // what they have: documents, or the other ends of pairs
	Pair   *Pair
	Side   Side   // of pairs: the end that has them
	By     *Field // a reference

	Timeline *Timeline // whose entries; what it is made of says how many, if nobody does
}

// Relations are those of a design, by their names: follow.to, posts.author, remarks.
func (d *Design) Relations() map[string]Relation {
	all := map[string]Relation{}
	for _, p := range d.Pairs {
		if p.From != nil && p.To != nil {
			all[p.Name+".from"] = Relation{Name: p.Name + ".from", Of: p.From, Others: p.To, Pair: p, Side: From}
			all[p.Name+".to"] = Relation{Name: p.Name + ".to", Of: p.To, Others: p.From, Pair: p, Side: To}
		}
	}
	for _, c := range d.Collections {
		if c.Under != nil {
			all[c.Name] = Relation{Name: c.Name, Of: c.Under, Others: c}
		}
		for _, f := range c.References() {
			if f.To != nil {
				name := c.Name + "." + f.Name
				all[name] = Relation{Name: name, Of: f.To, Others: c, By: f}
			}
		}
	}
	for _, t := range d.Timelines {
		if _, taken := all[t.Name]; !taken && t.Owner != nil && t.Entries != nil {
			all[t.Name] = Relation{Name: t.Name, Of: t.Owner, Others: t.Entries, Timeline: t}
		}
	}
	return all
}

// Relation is the name of the relation that a summary is made of.
func (k *Kept) Relation() string {
	switch {
	case k.Nested != nil:
		return k.Nested.Name
	case k.Pair != nil:
		return k.Pair.Name + "." + string(k.Side)
	}
	return k.Via.In.Name + "." + k.Via.Name
}

// Share is the share of documents that have a field, or of the sources of a kept value that it is made of: all, if
// nobody says.
func (w *Workload) Share(of *Collection, name string) float64 {
	if share, said := w.Present[of.Name+"."+name]; said {
		return share
	}
	return 1
}

// Total is how many documents of a collection there are, when there are so many times as many accounts.
func (w *Workload) Total(d *Design, c *Collection, scale float64) float64 {
	if c == d.Accounts {
		return w.Accounts * scale
	}
	return w.Documents[c.Name] * scale
}

// HourShare is the share of a day that its busiest hour has.
func (w *Workload) HourShare() float64 {
	if len(w.Hours) == 0 {
		return 1.0 / 24
	}
	return slices.Max(w.Hours)
}
