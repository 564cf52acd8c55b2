package forecast

import (
	"yalvo/internal/design"
)

// hot is how many bytes of what is stored are touched in a day: what screens show, the pairs that marks look up, and
// what is written. So much should find room in memory; the rest is read from the disk once in a while. Each look is
// taken to show any of what there is, so it is rather too much: most look at what is new.
func (c *costing) hot(f Forecast) float64 {
	h := touched{rows: map[*design.Collection]float64{}, entries: map[*design.Timeline]float64{},
		pairs: map[*design.Pair]float64{}}
	for i, s := range c.d.Screens {
		for _, p := range s.Parts {
			h.show(c, p, f.Screens[i].PerDay)
		}
	}
	sum := f.Day.Direct.Bytes + f.Day.Upkeep.Bytes
	for of, rows := range h.rows {
		sum += distinct(rows, c.total(of)) * c.row(of)
	}
	for t, entries := range h.entries {
		sum += distinct(entries, c.total(t.Owner)*c.held(c.p.Timeline(t.Name), Mean)) * rowEntry
	}
	for p, pairs := range h.pairs {
		sum += distinct(pairs, c.pairs(p.Name)) * PairBytes
	}
	return min(sum, standing(f))
}

// touched is how often rows are read in a day.
type touched struct {
	rows    map[*design.Collection]float64
	entries map[*design.Timeline]float64
	pairs   map[*design.Pair]float64
}

// show adds what a part of a screen reads, so many times a day.
func (h touched) show(c *costing, p *design.ScreenPart, perDay float64) {
	items := c.shown(p, Mean) * perDay
	h.rows[p.Shows] += items
	if p.Timeline != nil && p.Timeline.Deliver != design.Pull {
		h.entries[p.Timeline] += items
	}
	if p.List != nil && p.List.Through != nil {
		h.pairs[p.List.Through] += items
	}
	for _, f := range p.With {
		h.rows[f.To] += items
	}
	for _, mark := range p.Marks {
		if led, is := c.d.Leads(c.d.Accounts)[mark]; is && led.Pair != nil {
			h.pairs[led.Pair] += items
		}
	}
}

// standing is what is stored, but for the journal, which is hardly read.
func standing(f Forecast) float64 {
	sum := 0.0
	for _, s := range f.Stored {
		if s.Kind != Journal {
			sum += s.Bytes
		}
	}
	return sum
}
