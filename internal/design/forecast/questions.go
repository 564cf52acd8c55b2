package forecast

import (
	"regexp"
	"slices"
	"time"

	"yalvo/internal/design"
	"yalvo/internal/design/plan"
)

// Questions are what a service puts to PostgreSQL to answer a request: each is a way there and back, and costs more
// than what most of them read. They are counted as a service goes about it with nothing in its memory but documents and
// accounts: one for a page, for a document by its id, for the marks of a document, and for what a rule looks up, of as
// many entries as there are.

// screenQuestions are those of a look at a screen, but for its parts.
func (c *costing) screenQuestions(s *design.Screen) float64 {
	n := 0.0
	if s.Of != nil {
		n += 1 + c.judged(s.Of, design.OpRead)
	}
	if len(s.Parts) > 1 {
		n++ // that all are of one moment
	}
	return n
}

// partQuestions are those of a part.
func (c *costing) partQuestions(p *design.ScreenPart) float64 {
	n := 1.0
	switch {
	case p.Document:
		n += c.judged(p.Shows, design.OpRead)
		if len(p.Marks) > 0 {
			n++
		}
	case p.List != nil && p.List.Owner() != nil:
		n += 1 + c.judged(p.List.Owner(), design.OpRead)
	case p.Leads != "":
		n += 1 + c.judged(c.owner(p), design.OpRead)
	}
	return n
}

// judged is one question if a rule of a collection looks anything up.
func (c *costing) judged(of *design.Collection, op design.Op) float64 {
	if of == nil || asks(of.Access.Of(op)) == 0 {
		return 0
	}
	return 1
}

// changeQuestions are those that are put before something is written: whether a rule lets it, and whether what it names
// may be read.
func (c *costing) changeQuestions(change plan.Change) float64 {
	op := map[plan.Kind]design.Op{plan.Created: design.OpCreate, plan.Changed: design.OpEdit,
		plan.Removed: design.OpRemove, plan.Set: design.OpSet, plan.Unset: design.OpUnset}[change.Kind]
	if p := change.Pair; p != nil {
		n := c.judged(p.From.Collection, design.OpRead) + c.judged(p.To.Collection, design.OpRead)
		if asks(p.Access.Of(op)) > 0 {
			n++
		}
		return n
	}
	of := change.Collection.Collection
	n := c.judged(of, op)
	if change.Kind == plan.Created {
		for _, ref := range of.References() {
			n += c.judged(ref.To, design.OpRead)
		}
		return n
	}
	return n + c.judged(of, design.OpRead)
}

// usualShare is the share of all texts that have a word somebody looks for, if nobody says.
const usualShare = 0.1

// passed is how many documents are gone through for a page of a list that no index has in its order.
func (c *costing) passed(l *design.Listing) float64 {
	if l == nil || !l.Serving().None && !l.Sorted() && len(l.Words) == 0 {
		return 0
	}
	all := c.total(l.Entries)
	if owner := l.Owner(); owner != nil {
		all = c.many(listRelation(l), Mean, same)
	}
	switch {
	case len(l.Words) > 0:
		return all * usualShare
	case l.Since() != "":
		if days := daysOf(l.Where.That.Text); days > 0 {
			return min(all, days*c.w.Done[l.Entries.Name].Create*c.w.Accounts*c.scale)
		}
	}
	return all
}

// durations are those that a condition names.
var durations = regexp.MustCompile(`duration\(\s*['"]([^'"]+)['"]\s*\)`)

// daysOf is the longest duration in a condition, in days; 0 if it names none.
func daysOf(condition string) (days float64) {
	for _, found := range durations.FindAllStringSubmatch(condition, -1) {
		if d, err := time.ParseDuration(found[1]); err == nil {
			days = max(days, d.Hours()/24)
		}
	}
	return days
}

// lookedFor says what is assumed of the words that somebody looks for.
func (c *costing) lookedFor() []string {
	looks := slices.ContainsFunc(c.d.Screens, func(s *design.Screen) bool {
		return slices.ContainsFunc(s.Parts, func(p *design.ScreenPart) bool {
			return p.List != nil && len(p.List.Words) > 0
		})
	})
	if !looks {
		return nil
	}
	return []string{"a tenth of all texts have the words that somebody looks for"}
}
