package judging

import (
	"context"
	"errors"
	"fmt"
	"slices"
	"strings"
	"time"

	lru "github.com/hashicorp/golang-lru/v2"

	"yalvo/internal/design/access"
	"yalvo/internal/design/expr"
	"yalvo/internal/design/plan"
	"yalvo/internal/engine/running"
	"yalvo/internal/engine/store"
	"yalvo/internal/engine/store/factsql"
	"yalvo/internal/engine/store/keptsql"
	"yalvo/internal/engine/store/readsql"
	"yalvo/internal/engine/store/rulesql"
)

// Stored is what a judge asks: see [Within].
type Stored interface {
	Known(docs []store.Address, pairs []factsql.Between) ([]store.Document, []bool, error)
	Candidates(s *plan.Summary, by plan.Number, targets []int64, skip, many int) ([]keptsql.Candidate, error)
	Targets(in, reference plan.Number, keys []string) ([]readsql.Target, error)
	Allowed(c *plan.Collection, keys []string, filter rulesql.Filter) (map[string]bool, error)
	PartnersOf(of *plan.Collection, keys []string, asks []readsql.Partners, most int) ([]readsql.PartnersFound, error)
	Context() context.Context // of the request
}

// Judges makes judges, and remembers for them what does not depend on who asks.
type Judges struct {
	*running.App
	memory *memory
	parts  *lru.Cache[partsKey, apart]              // see [obeying.takenApart]
	fixed  *lru.Cache[*plan.Collection, *fixedRule] // see [Judge.fixedRuleOf]
	asking asking
}

// New makes them for an app.
func New(app *running.App) (*Judges, error) {
	js := &Judges{App: app}
	var errs [3]error
	js.memory, errs[0] = lru.New[memoryKey, remembered](app.Remember("recalled", mostRemembered))
	js.parts, errs[1] = lru.New[partsKey, apart](app.Remember("parts", partsKnown))
	js.fixed, errs[2] = lru.New[*plan.Collection, *fixedRule](app.Remember("fixed", fixedKnown))
	if err := errors.Join(errs[:]...); err != nil {
		return nil, err
	}
	js.asking.partners.Log, js.asking.further.Log = app.Log, app.Log
	return js, nil
}

// Judge decides what a viewer may do, by the rules of a version of the design. It serves
// one moment: what it has been told, it remembers. A nil judge allows everything.
type Judge struct {
	*running.Version
	who       running.Viewer
	evaluator *access.Evaluator
	stores    Stored
	of        *Judges   // nil: nothing is remembered
	began     time.Time // when rules are about now
	reader    *partners // the reader's own pairs; nil: not known
}

// Of is a judge for a viewer, nil if no rules hold for them.
func Of(v *running.Version, who running.Viewer, stores Stored) *Judge {
	if !who.Judged || !v.Law.Guards() {
		return nil
	}
	return from(v, who, v.Sourced(stores.Known), stores)
}

func from(v *running.Version, who running.Viewer, s access.Source, stores Stored) *Judge {
	now := time.Now()
	evaluator := v.Law.Evaluator(s, who.Me, now).Within(access.BudgetOf(stores.Context()))
	return &Judge{Version: v, who: who, evaluator: evaluator, stores: stores, began: now}
}

// Judge is [Of] with what is remembered.
func (js *Judges) Judge(v *running.Version, who running.Viewer, stores Stored) *Judge {
	j := Of(v, who, stores)
	if j != nil {
		j.of = js
	}
	return j
}

// JudgeNow is [Judges.Judge] outside of a transaction.
func (js *Judges) JudgeNow(ctx context.Context, v *running.Version, who running.Viewer) *Judge {
	if !who.Judged {
		return nil
	}
	return js.Judge(v, who, looked{within{js.Store.Looking(ctx)}, js})
}

// Asking is a judge of what belongs to lists for a viewer, whom no rules need hold for.
func (js *Judges) Asking(ctx context.Context, v *running.Version, who running.Viewer) *Judge {
	return from(v, who, js.KnownTo(ctx, v), looked{within{js.Store.Looking(ctx)}, js})
}

// document is a stored document as rules see it.
func (j *Judge) document(c *plan.Collection, d store.Document) (*expr.Document, error) {
	values, err := j.RuleValues(c, d)
	return j.Law.Document(c.Collection, d.Key, values), err
}

// Decide tells of each of some requests whether it is allowed.
func (j *Judge) Decide(requests ...[]access.Condition) ([]access.Verdict, error) {
	return j.evaluator.Judge(requests)
}

// DecideNamed is [access.Evaluator.JudgeNamed].
func (j *Judge) DecideNamed(request []access.Condition, named [][]access.Condition) (access.Verdict, []access.Verdict,
	error) {
	return j.evaluator.JudgeNamed(request, named)
}

// IsAbsent has a document be as if it were not there, for what is decided from now on.
func (j *Judge) IsAbsent(doc *expr.Document) { j.evaluator.IsAbsent(doc) }

// AllowWrite refuses a write that is not allowed: see [access.Evaluator.JudgeNamed].
func (j *Judge) AllowWrite(conditions []access.Condition) error {
	v, _, err := j.DecideNamed(conditions, nil)
	if err != nil {
		return err
	}
	return j.Refusal(v)
}

// Allow refuses a request that is not allowed.
func (j *Judge) Allow(conditions []access.Condition) error {
	verdicts, err := j.Decide(conditions)
	if err != nil {
		return err
	}
	return j.Refusal(verdicts[0])
}

// MayRead refuses to show a stored document to who may not read it, as if it were not
// there.
func (j *Judge) MayRead(c *plan.Collection, d store.Document) error {
	if j == nil {
		return nil
	}
	doc, err := j.document(c, d)
	if err != nil {
		return err
	}
	return j.asMissing(c, d.Key, j.Allow(j.Law.Reading(c.Collection, doc)))
}

// asMissing says of what may not be read what is said of what is not there. What a
// document lies under is not told apart from the document.
func (j *Judge) asMissing(c *plan.Collection, key string, err error) error {
	if r, is := err.(*running.Refusal); is && r.Code == running.CodeNotFound {
		r.Detail = running.NotFound(c, key).Detail
	}
	return err
}

// Readable tells of each of some stored documents of a collection whether the viewer may
// read it.
func (j *Judge) Readable(c *plan.Collection, docs []store.Document) ([]bool, error) {
	return Allowed(j, docs, func(d store.Document) ([]access.Condition, error) {
		doc, err := j.document(c, d)
		return j.Law.Reading(c.Collection, doc), err
	})
}

// Allowed tells of each of some things whether the viewer may do what the conditions
// stand before.
func Allowed[T any](j *Judge, all []T, conditions func(T) ([]access.Condition, error)) ([]bool, error) {
	requests := make([][]access.Condition, len(all))
	for i, one := range all {
		var err error
		late := j.evaluator.Budget().Spend(func() { requests[i], err = conditions(one) })
		if err = errors.Join(late, err); err != nil {
			return nil, err
		}
	}
	verdicts, err := j.Decide(requests...)
	allowed := make([]bool, len(verdicts))
	for i, v := range verdicts {
		allowed[i] = v.Allowed
	}
	return allowed, err
}

// Filter leaves out of a collection's documents what the viewer may not read, as far as
// the database can tell; exact tells whether that is all of it. Of nested ones it says
// nothing about what they lie under.
func (j *Judge) Filter(c *plan.Collection) (filter rulesql.Filter, exact bool, err error) {
	filter, exact, _, err = j.FilterBeside(c, nil)
	return filter, exact, err
}

// FilterBeside is [Judge.Filter] in a statement that also asks some questions for pairs: of these
// it returns those whose answer the filter does not know to be no for all that it lets through.
func (j *Judge) FilterBeside(c *plan.Collection, pairs []expr.Filter) (filter rulesql.Filter, exact bool,
	asked []expr.Filter, err error) {
	if c.Upcast != nil { // what is stored is not what rules see
		return nil, false, pairs, nil
	}
	f, nobody, who, err := j.evaluator.Filter(c.Collection)
	return rulesql.NewFilter(j.Plan, c, f, nobody, who), f.Exact() && (who == nil || nobody.Exact()),
		slices.DeleteFunc(pairs, f.Denies), err
}

// ListFilter is [Judge.Filter] for what must hold of the entries of a list.
func (j *Judge) ListFilter(l *plan.List, of *expr.Document, params map[string]any) (rulesql.Filter, bool, error) {
	if l.Entries.Upcast != nil { // what is stored is not what the condition sees
		return nil, l.Where == nil, nil
	}
	f, err := j.evaluator.ListFilter(l.Listing, of, params)
	if err != nil || l.Where == nil {
		return nil, true, err
	}
	return rulesql.NewFilter(j.Plan, l.Entries, f, expr.Filter{}, nil), f.Exact(), nil
}

// EntryFilter is [Judge.Filter] for the entries of a timeline, false if the database cannot
// tell from what it knows of them.
func (j *Judge) EntryFilter(t *plan.Timeline) (rulesql.Filter, bool, error) {
	if t.Entries.Parent != nil {
		return nil, false, nil
	}
	f, nobody, who, err := j.evaluator.Filter(t.Entries.Collection)
	if err != nil || !f.Exact() || who != nil && !nobody.Exact() || !f.Of(t.By.Name) || !nobody.Of(t.By.Name) {
		return nil, false, err
	}
	return rulesql.NewEntryFilter(j.Plan, t, f, nobody, who), true, nil
}

// IsThere tells the judge that a document is there.
func (j *Judge) IsThere(c *plan.Collection, key string) { j.evaluator.Exists(c.Name, key) }

// Refusal is what a caller is told of a verdict, nil if it allows.
func (j *Judge) Refusal(v access.Verdict) error {
	if v.Allowed {
		return nil
	}
	if doc := v.Hidden(); doc != nil {
		return running.NotFound(j.Plan.Collection(doc.Collection), doc.Key)
	}
	r := running.Refuse(running.CodeNotAllowed, "%s may not do this", j.nameOfCaller())
	switch {
	case len(v.Words) > 0:
		r.Detail = strings.Join(v.Words, "; ")
	case v.Costly:
		r.Detail = fmt.Sprintf("whether %s may do this cannot be worked out: %v", j.nameOfCaller(), expr.ErrSteps)
	}
	if v.Refused.Name == "" {
		return r // it is none
	}
	r.Rule = &running.RefusedBy{Name: v.Refused.Name, Condition: v.Refused.Rule.Text()}
	if v.Refused.Rule != nil {
		r.Rule.Line = v.Refused.Rule.Pos.Line
	}
	return r
}

func (j *Judge) nameOfCaller() string {
	if j.who.Me == "" {
		return "a stranger"
	}
	return "this account"
}
