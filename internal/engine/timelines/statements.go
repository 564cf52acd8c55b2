package timelines

import (
	"context"
	"errors"
	"slices"

	lru "github.com/hashicorp/golang-lru/v2"

	"yalvo/internal/design/access"
	"yalvo/internal/design/plan"
	"yalvo/internal/engine/judging"
	"yalvo/internal/engine/running"
	"yalvo/internal/engine/store"
	"yalvo/internal/engine/store/factsql"
	"yalvo/internal/engine/store/keptsql"
	"yalvo/internal/engine/store/readsql"
	"yalvo/internal/engine/store/rulesql"
	"yalvo/internal/engine/store/timelinesql"
)

// statements are the statements of pages of timelines that were read lately, of rules that ask the same of
// everybody: to work them out takes as long as all else that is done for a page.
type statements = lru.Cache[statementKey, prepared]

// statementKey is what the statement of a page follows from.
type statementKey struct {
	running.Era
	timeline, marks string
	judged, account bool // whether rules hold for who reads, and they have an account
	many            rulesql.Pairings
}

// prepared is the statement of pages of a timeline.
type prepared struct {
	*timelinesql.PlacesStatement
	exact bool // what the database says of each entry decides
	owner bool // the owner may look at it, whoever that is
}

const statementsKnown = 1000

// statement is that of a page: for whoever reads if that can be, else for this reader.
func (r *Reader) statement(l *looking, many rulesql.Pairings) (*timelinesql.PlacesStatement, error) {
	if !l.alike {
		return timelinesql.TimelinePage{Timeline: l.t, Filter: l.filter, MarksAsked: l.asked, InMany: many}.Statement(),
			nil
	}
	k := statementKey{r.Era(l.version), l.t.Name, "", l.Judge != nil, l.me != "", many}
	for _, m := range l.asked.Marks {
		k.marks += m.Name + " "
	}
	f, known := r.statements.Get(k)
	if !known {
		var err error
		if f, err = r.statementForAny(l, many); err != nil {
			return nil, err
		}
		r.statements.Add(k, f)
	}
	l.exact = f.exact
	l.decided = l.decided || f.owner && l.me == l.owner
	return f.PlacesStatement, nil
}

func (r *Reader) statementForAny(l *looking, many rulesql.Pairings) (f prepared, err error) {
	page := timelinesql.TimelinePage{Timeline: l.t, MarksAsked: l.asked, InMany: many}
	page.Account.Key = timelinesql.AnyReader
	if l.Judge != nil {
		who := running.Viewer{Me: timelinesql.AnyReader, Judged: true}
		if l.me == "" {
			who.Me = ""
		}
		j := judging.Of(l.version, who, asksNothing{})
		if page.Filter, f.exact, err = j.EntryFilter(l.t); err != nil {
			return f, err
		}
		f.exact = f.exact && !l.version.Law.Tells(l.t.Name)
		f.owner = who.Me != "" && ownerMay(j, l)
	}
	f.PlacesStatement = page.Statement()
	return f, nil
}

// errAsks says that something stored would have to be known.
var errAsks = errors.New("it depends on what is stored")

// asksNothing is the source of who may ask for nothing.
type asksNothing struct{}

// Known is part of [judging.Stored].
func (asksNothing) Known([]store.Address, []factsql.Between) ([]store.Document, []bool, error) {
	return nil, nil, errAsks
}

// Context is part of [judging.Stored].
func (asksNothing) Context() context.Context { return context.Background() }

// Allowed is part of [judging.Stored].
func (asksNothing) Allowed(*plan.Collection, []string, rulesql.Filter) (map[string]bool, error) {
	return nil, errAsks
}

// PartnersOf is part of [judging.Stored].
func (asksNothing) PartnersOf(*plan.Collection, []string, []readsql.Partners, int) ([]readsql.PartnersFound, error) {
	return nil, errAsks
}

// Targets is part of [judging.Stored].
func (asksNothing) Targets(plan.Number, plan.Number, []string) ([]readsql.Target, error) {
	return nil, errAsks
}

// Candidates is part of [judging.Stored].
func (asksNothing) Candidates(*plan.Summary, plan.Number, []int64, int, int) ([]keptsql.Candidate, error) {
	return nil, errAsks
}

// ownerMay tells whether any owner may look at their timeline, whatever is stored. If not, each is
// decided about.
func ownerMay(j *judging.Judge, l *looking) bool {
	owners := l.t.Owner.Collection
	if owners != j.Plan.Design.Accounts {
		return false
	}
	j.IsThere(l.t.Owner, timelinesql.AnyReader)
	conditions := j.Law.ReadingTimeline(l.t.Timeline, j.Law.Document(owners, timelinesql.AnyReader, nil))
	if slices.ContainsFunc(conditions, func(c access.Condition) bool { return !access.Alike(c.Rule) }) {
		return false
	}
	verdicts, err := j.Decide(conditions)
	return err == nil && verdicts[0].Allowed
}
