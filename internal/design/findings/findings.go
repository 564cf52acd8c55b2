package findings

import (
	"cmp"
	"fmt"
	"hash/fnv"
	"math"
	"slices"
	"strings"

	"yalvo/internal/design"
	"yalvo/internal/design/expr"
	"yalvo/internal/design/forecast"
	"yalvo/internal/design/plan"
)

// Finding is something that will hurt.
type Finding struct {
	Code     string     `json:"code"`
	Severity Severity   `json:"severity"`
	Place    string     `json:"place"` // what it is about, as in "posts.text"
	Line     int        `json:"line"`
	Reason   string     `json:"reason"`
	Cure     string     `json:"cure"`
	Ground   string     `json:"ground"`             // stands for what it rests on: another when that changes
	Accepted string     `json:"accepted,omitempty"` // why it is taken as it is, if the design says so
	Edit     *Edit      `json:"edit,omitempty"`     // that cures it, where that is mechanical
	Pos      design.Pos `json:"-"`
}

// Edit is a key that is written, with its value, where the design has something; an empty value takes what is at the
// path away.
type Edit struct {
	Path  []string `json:"path"` // as in collections, posts, fields, text
	Key   string   `json:"key"`
	Value string   `json:"value"`
}

// Severity is how much a finding hurts.
type Severity string

// The severities: something will be wrong, it will cost, or it is worth a thought.
const (
	Wrong  Severity = "wrong"
	Costly Severity = "costly"
	Doubt  Severity = "doubt"
)

// review is one look at a design.
type review struct {
	d    *design.Design
	w    *design.Workload // nil if nobody says
	now  forecast.Forecast
	p    *plan.Plan
	all  []Finding
	used map[string]bool // "posts.byline": values that something shows or reads
}

// Of are the findings of a design, the worst first. Those that the design accepts, on the ground that they still rest
// on, say why.
func Of(d *design.Design) []Finding {
	r := &review{d: d, w: d.Workload, p: plan.New(d, plan.Counted())}
	if r.w != nil {
		r.now = forecast.Make(r.p, r.w, forecast.Shipped, 1)
	}
	r.used = r.uses()
	for _, look := range []func(){r.fields, r.references, r.duplicates, r.lists, r.screens, r.timelines, r.rules,
		r.reach,
		r.triggers} {
		look()
	}
	slices.SortStableFunc(r.all, func(a, b Finding) int {
		return cmp.Or(cmp.Compare(rank(a.Severity), rank(b.Severity)), cmp.Compare(a.Pos.Line, b.Pos.Line),
			cmp.Compare(a.Pos.Column, b.Pos.Column))
	})
	for i := range r.all {
		r.accept(&r.all[i])
	}
	return r.all
}

// Open are those that the design does not accept.
func Open(all []Finding) []Finding {
	return slices.DeleteFunc(slices.Clone(all), func(f Finding) bool { return f.Accepted != "" })
}

func rank(s Severity) int { return slices.Index([]Severity{Wrong, Costly, Doubt}, s) }

// accept notes whether the design accepts a finding: by its code, its place and its ground.
func (r *review) accept(f *Finding) {
	for _, a := range r.d.Accepted {
		if a.Finding == f.Code && a.At == f.Place && (a.Ground == f.Ground || a.Ground == "") {
			f.Accepted = a.Because
		}
	}
}

// found is what one look has found. The ground is made of what it rests on.
type found struct {
	code     string
	severity Severity
	place    string
	at       design.Pos
	reason   string
	cure     string
	ground   []any
	edit     *Edit
}

func (r *review) add(f found) {
	h := fnv.New32a()
	fmt.Fprint(h, f.code, f.place, f.ground) // never fails
	r.all = append(r.all, Finding{Code: f.code, Severity: f.severity, Place: f.place, Line: f.at.Line, Reason: f.reason,
		Cure: f.cure, Ground: fmt.Sprintf("%08x", h.Sum32()), Edit: f.edit, Pos: f.at})
}

// spread is how many of a relation one has, if the workload says; of the mean and the most.
func (r *review) spread(relation string) (mean, most float64, said bool) {
	if r.w == nil {
		return 0, 0, false
	}
	s, is := r.w.Spreads[relation]
	return s.MeanOf(), s.Most, is
}

// size is a number as a ground has it: by its power of ten, so that it changes when the number has become another.
func size(x float64) int {
	if x <= 0 {
		return 0
	}
	return int(math.Round(math.Log10(x)))
}

// number writes a number as people read it.
func number(x float64) string {
	switch {
	case x >= 1e6:
		return fmt.Sprintf("%.3g million", x/1e6)
	case x >= 1000:
		s := fmt.Sprintf("%.0f", x)
		return s[:len(s)-3] + "," + s[len(s)-3:]
	}
	return fmt.Sprintf("%.3g", x)
}

// uses are the values of documents that something shows, orders by, or reads: screens, timelines, lists, kept values,
// rules, checks and triggers. A screen that does not say what it shows uses all.
func (r *review) uses() map[string]bool {
	used := map[string]bool{}
	use := func(c *design.Collection, names ...string) {
		for _, name := range names {
			used[c.Name+"."+name] = true
		}
	}
	rule := func(e *expr.Rule) {
		if e != nil {
			for _, m := range e.Reads {
				used[m.Collection+"."+m.Name] = true
			}
		}
	}
	for _, s := range r.d.Screens {
		for _, p := range s.Parts {
			names := p.Fields()
			if len(names) == 0 {
				names = p.Shows.Names()
				if p.Timeline != nil && len(p.Timeline.Carry) > 0 {
					fields, kept := design.Names(p.Timeline.Carry)
					names = slices.Concat(fields, kept)
				}
			}
			use(p.Shows, names...)
			for _, f := range p.With {
				use(f.To, f.To.Names()...)
			}
		}
	}
	for _, t := range r.d.Timelines {
		fields, kept := design.Names(t.Carry)
		use(t.Entries, slices.Concat(fields, kept)...)
		if t.Deliver == design.Mixed { // by the number of followers
			for _, k := range t.Through.To.Kept {
				if k.Kind == design.Count && k.Pair == t.Through {
					use(t.Through.To, k.Name)
				}
			}
		}
	}
	for _, l := range r.d.Lists {
		for _, o := range l.Order {
			if o.System == "" {
				use(l.Entries, o.Name())
			}
		}
		if l.Where != nil {
			rule(l.Where.That)
		}
	}
	for _, c := range r.d.Collections {
		for _, k := range c.Kept {
			if k.Kind == design.Copy || len(k.Parts) > 0 {
				fields, kept := design.Names(k.Parts)
				use(k.Shown(), slices.Concat(fields, kept)...)
			}
			if name := k.Of.Kept; name != nil {
				use(k.Sources(), name.Name)
			}
		}
	}
	for _, a := range r.d.AccessRules() {
		rule(a.That)
	}
	for _, t := range r.d.Triggers {
		for _, e := range t.Sees() {
			rule(e)
		}
		if t.Collection != nil { // what it sends is not looked through
			use(t.Collection, t.Collection.Names()...)
		}
	}
	return used
}

// screenful tells whether the design says what its screens show: else nobody knows what is not shown.
func (r *review) screenful() bool { return len(r.d.Screens) > 0 }

func quoted(names []string) string { return strings.Join(names, ", ") }
