// Package alternatives weighs the choices that a design makes: what each of them costs under its workload, and what the
// other choice would cost. Copy, freeze or look up, count or count when it is read, embed or read a list, an index or
// none, pairs or names in a document, how entries get to those who read them.
//
// In goes a design with a workload; out come alternatives, those first that save most. Both sides are worked out by
// package forecast. Not done here: whether the other choice can be shown by the app's screens.
package alternatives

import (
	"cmp"
	"fmt"
	"math"
	"slices"

	"yalvo/internal/design"
	"yalvo/internal/design/forecast"
	"yalvo/internal/design/plan"
)

// Alternative is another choice in one place. What it saves is less than none where it costs more.
type Alternative struct {
	Place   string `json:"place"`   // as in "posts.byline"
	Is      string `json:"is"`      // what the design says
	Instead string `json:"instead"` // and what it could
	Edits   []Edit `json:"edits"`
	Saves   Saved  `json:"saves"`
	Note    string `json:"note,omitempty"`
	Line    int    `json:"line"`
}

// Edit is a key that is written, with its value; an empty key takes what is at the path away.
type Edit struct {
	Path  []string `json:"path"`
	Key   string   `json:"key"`
	Value string   `json:"value"`
}

// Saved is what another choice saves in a day.
type Saved struct {
	Processor float64 `json:"processor_seconds"`
	Rows      float64 `json:"rows"`      // written by upkeep
	Documents float64 `json:"documents"` // read, or looked up
	Stored    float64 `json:"stored"`    // bytes, now
}

// weighing works out the alternatives of one design.
type weighing struct {
	d     *design.Design
	p     *plan.Plan
	w     *design.Workload
	rates forecast.Rates
	model *forecast.Model
	now   forecast.Forecast
	all   []Alternative
}

// Of are the alternatives of a design and the deliveries of its timelines.
func Of(d *design.Design, w *design.Workload, rates forecast.Rates) ([]Alternative, []forecast.Delivery) {
	x := &weighing{d: d, p: plan.New(d, plan.Counted()), w: w, rates: rates, all: []Alternative{}}
	x.model = forecast.New(x.p, w, rates)
	x.now = x.model.At(1, nil)
	for _, c := range d.Collections {
		for _, k := range c.Kept {
			x.kept(c, k)
		}
		for _, f := range c.Fields {
			x.inside(c, f)
		}
	}
	for _, l := range d.Lists {
		x.index(l)
	}
	for _, p := range d.Pairs {
		x.pair(p)
	}
	deliveries := []forecast.Delivery{}
	for _, t := range x.p.Timelines {
		delivery := forecast.DeliveryOf(x.p, w, rates, t)
		deliveries = append(deliveries, delivery)
		x.deliver(t, delivery)
		x.carried(t.Timeline)
	}
	slices.SortStableFunc(x.all, func(a, b Alternative) int {
		return cmp.Compare(b.Saves.Processor,
			a.Saves.Processor)
	})
	return x.all, deliveries
}

// kept weighs what is kept with working it out whenever it is shown.
func (x *weighing) kept(c *design.Collection, k *design.Kept) {
	less := x.model.At(1, k)
	saves := Saved{Processor: x.done(x.now) - x.done(less), Rows: rows(x.now) - rows(less),
		Stored: stored(x.now) - stored(less)}
	shows := x.shown(c, k.Name) // a day
	a := Alternative{Place: c.Name + "." + k.Name, Is: string(k.Kind), Line: k.Pos.Line,
		Edits: []Edit{{[]string{"collections", c.Name, "kept", k.Name}, "", ""}}}
	each, what := 1.0, x.rates.Document
	if k.Kind == design.Copy {
		x.freeze(c, k, less)
	}
	switch {
	case k.Kind == design.Copy && k.Frozen:
		return // what it was is nowhere else
	case k.Kind == design.Copy:
		a.Instead = fmt.Sprintf("look %s up with each (`with: [%s]`)", k.Via.Name, k.Via.Name)
	case k.Kind == design.Latest || k.Kind == design.Gather:
		a.Instead, each = "list them, as a part of the screen", float64(k.HowMany)
	default:
		a.Instead, what = "count them whenever it is shown", x.rates.Asked
		if k.Kind != design.Count {
			a.Instead = "work it out whenever it is shown"
		}
		each = x.each(k.Relation())
		a.Note = "an order by it, and rules that ask for it, need it kept"
	}
	saves.Documents = -shows * each
	saves.Processor -= shows * each * what / 1e6
	a.Saves = saves
	x.all = append(x.all, a)
}

// shown is how often a value is shown in a day: in how many rows of screens.
func (x *weighing) shown(c *design.Collection, name string) float64 {
	sum := 0.0
	for _, s := range x.d.Screens {
		for _, p := range s.Parts {
			names := p.Fields()
			if p.Shows != c || len(names) > 0 && !slices.Contains(names, name) {
				continue
			}
			if p.Timeline != nil && len(names) == 0 && len(p.Timeline.Carry) > 0 &&
				!slices.ContainsFunc(p.Timeline.Carry, func(carried design.Part) bool {
					return carried.Name() == name
				}) {
				continue
			}
			for _, screen := range x.now.Screens {
				if screen.Name == s.Name {
					sum += screen.PerDay * math.Min(float64(p.Page), screen.Reads[forecast.Mean].Documents)
				}
			}
		}
	}
	return sum
}

// deliver weighs the ways in which entries get to who reads them.
func (x *weighing) deliver(t *plan.Timeline, d forecast.Delivery) {
	most := 0.0
	if len(d.Curve) > 0 {
		most = d.Curve[len(d.Curve)-1].Above
	}
	path := []string{"timelines", t.Name}
	add := func(instead string, cost float64, edits ...Edit) {
		x.all = append(x.all, Alternative{Place: t.Name, Is: string(t.Deliver), Instead: instead, Edits: edits,
			Line:  t.Pos.Line,
			Saves: Saved{Processor: d.Is - cost}})
	}
	if t.Deliver != design.Push {
		add("push: write all entries", at(d, most), Edit{path, "deliver", "push"})
	}
	if t.Deliver != design.Pull {
		add("pull: collect all when they are read", at(d, 0), Edit{path, "deliver", "pull"})
	}
	if best := d.Best; best.Above > 0 && best.Above < most && !(t.Deliver == design.Mixed &&
		float64(t.Above) == best.Above) {
		add(fmt.Sprintf("mixed: collect from those with more than %.0f followers", best.Above), best.Cost(),
			Edit{path, "deliver", "mixed"}, Edit{path, "above", fmt.Sprintf("%.0f", best.Above)})
	}
}

// at is what a threshold costs that is on the curve, or is before it.
func at(d forecast.Delivery, above float64) float64 {
	for _, p := range d.Curve {
		if p.Above >= above {
			return p.Cost()
		}
	}
	return d.Is
}

// done is the processor time of what is done in a day: what screens show stays as it is, wherever it is from.
func (x *weighing) done(f forecast.Forecast) float64 {
	sum := 0.0
	for _, c := range f.Costs(x.rates) {
		if c.Kind == forecast.ActionPart {
			sum += c.Seconds
		}
	}
	return sum
}

func rows(f forecast.Forecast) float64 {
	u := f.Day.Upkeep
	return u.Documents + u.Pairs + u.Entries + u.Kept + u.Notes
}

func stored(f forecast.Forecast) float64 {
	sum := 0.0
	for _, s := range f.Stored {
		sum += s.Bytes
	}
	return sum
}
