package forecast

import (
	"slices"
	"strings"

	"yalvo/internal/design"
	"yalvo/internal/design/plan"
)

// Counted is what a running service has counted of one thing: see package metering.
type Counted struct {
	Kind, Name string

	Times, Unchanged, Documents, Pairs, Entries, Kept, Sent, Bytes float64
}

// Compared is one figure of a forecast beside what was counted.
type Compared struct {
	Kind     string  `json:"kind"`
	Name     string  `json:"name"`
	What     string  `json:"what"`
	Forecast float64 `json:"forecast"`
	Counted  float64 `json:"counted"`
	Times    float64 `json:"times"` // it was counted by so many of them
}

// Error is by how much of what was counted the forecast is above it; there is none if nothing was counted.
func (c Compared) Error() (share float64, is bool) {
	return c.Forecast/c.Counted - 1, c.Counted > 0
}

// What is compared.
const (
	PerDay     = "a day"             // how often it is done
	Documents  = "documents each"    // a look at a screen reads, or an action writes
	Pairs      = "pairs each"        // an action writes
	AnswerSize = "bytes each"        // of an answer
	Rewritten  = "rewritten"         // of a kept value in all, by what was done
	Entries    = "entries"           // of a timeline in all, by what was done
	AlongAll   = "facts that follow" // in all, by what was done
)

// Against sets a forecast beside what was counted in so many days. How often things are done is compared with what the
// workload says; what they cost is not touched by that: what follows is forecast from what was really done.
func (m *Model) Against(counted []Counted, days float64) []Compared {
	c := m.costing(1)
	a := against{costing: c, days: days, counted: map[Part]Counted{}, done: map[Part]Written{}}
	for _, one := range counted {
		a.counted[Part{one.Kind, one.Name}] = one
	}
	a.screens()
	a.actions()
	a.upkeep()
	return a.all
}

type against struct {
	*costing
	days    float64
	counted map[Part]Counted
	done    map[Part]Written // what follows from what was done
	all     []Compared
}

func (a *against) add(kind, name, what string, forecast, counted, times float64) {
	if forecast != 0 || counted != 0 {
		a.all = append(a.all, Compared{kind, name, what, forecast, counted, times})
	}
}

func (a *against) screens() {
	for _, s := range a.d.Screens {
		is, forecast := a.counted[Part{ScreenPart, s.Name}], a.screen(s)
		a.add(ScreenPart, s.Name, PerDay, forecast.PerDay, is.Times/a.days, is.Times)
		if is.Times == 0 {
			continue
		}
		a.add(ScreenPart, s.Name, Documents, forecast.Reads[Mean].Documents, is.Documents/is.Times, is.Times)
		a.add(ScreenPart, s.Name, AnswerSize, forecast.Reads[Mean].Bytes, is.Bytes/is.Times, is.Times)
	}
}

func (a *against) actions() {
	often := map[string]float64{}
	a.eachAction(func(name string, times float64, _ plan.Change) {
		often[name] = times * a.w.Accounts
		if _, is := a.counted[Part{ActionPart, name}]; !is {
			a.add(ActionPart, name, PerDay, often[name], 0, 0)
		}
	})
	for _, name := range a.names(ActionPart) {
		is := a.counted[Part{ActionPart, name}]
		a.add(ActionPart, name, PerDay, often[name], is.Times/a.days, is.Times)
		change, known := a.changeNamed(name)
		if !known {
			continue // an edit of several fields at once, or of another design
		}
		does := a.action(name, 0, change)
		a.add(ActionPart, name, Documents, does.Direct.Documents, is.Documents/is.Times, is.Times)
		a.add(ActionPart, name, Pairs, does.Direct.Pairs, is.Pairs/is.Times, is.Times)
		for part, w := range does.Parts {
			a.done[part] = a.done[part].plus(w.times(is.Times))
		}
		for _, t := range atOnce(change) {
			part := Part{TimelinePart, t.Name}
			a.done[part] = a.done[part].plus(Written{Entries: is.Times})
		}
	}
}

// upkeep is what followed.
func (a *against) upkeep() {
	a.foldOwn()
	for _, kind := range []string{KeptPart, TimelinePart, AlongPart} {
		for _, name := range a.names(kind) {
			part := Part{kind, name}
			is, w := a.counted[part], a.done[part]
			switch kind {
			case KeptPart: // several at once are written once, and each is counted
				a.add(kind, name, Rewritten, w.Kept, is.Times, is.Times)
			case TimelinePart:
				a.add(kind, name, Entries, w.Entries, is.Entries, is.Times)
			default:
				a.add(kind, name, AlongAll, w.Documents+w.Pairs+w.Sent, is.Documents+is.Pairs+is.Sent, is.Times)
			}
		}
	}
}

// foldOwn counts the entries that a creation writes at once with those of their timeline: if there is one such
// timeline, they are its.
func (a *against) foldOwn() {
	for part, is := range a.counted {
		does, of, _ := strings.Cut(part.Name, " ")
		if part.Kind != ActionPart || does != "create" || is.Entries == 0 || a.p.Collection(of) == nil {
			continue
		}
		own := atOnce(created(a.p.Collection(of)))
		for _, t := range own {
			to := Part{TimelinePart, t.Name}
			sum := a.counted[to]
			sum.Kind, sum.Name = to.Kind, to.Name
			sum.Entries += is.Entries / float64(len(own))
			a.counted[to] = sum
		}
	}
}

// atOnce are the timelines of which a write itself makes an entry: its author's own.
func atOnce(change plan.Change) (own []*plan.Timeline) {
	if change.Kind != plan.Created {
		return nil
	}
	for _, t := range change.Collection.EntersInto {
		if t.Own && t.Deliver != design.Pull {
			own = append(own, t)
		}
	}
	return own
}

// names are the names of a kind that were counted or follow from what was, in order.
func (a *against) names(kind string) []string {
	var all []string
	for part := range a.counted {
		if part.Kind == kind {
			all = append(all, part.Name)
		}
	}
	for part := range a.done {
		if part.Kind == kind {
			all = append(all, part.Name)
		}
	}
	slices.Sort(all)
	return slices.Compact(all)
}
