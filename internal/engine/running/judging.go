package running

import (
	"bytes"
	"context"
	"encoding/json"
	"errors"
	"fmt"
	"slices"
	"strings"
	"time"

	"yalvo/internal/design"
	"yalvo/internal/design/access"
	"yalvo/internal/design/expr"
	"yalvo/internal/design/plan"
	"yalvo/internal/engine/store"
)

// Viewer is who asks.
type Viewer struct {
	Me     string // the key of the caller's account, empty if none was given
	Judged bool   // the rules of the design hold for them, as for everybody but operators
}

// Known is what a judge asks about documents and pairs: [store.Tx.Known].
type Known func(docs []store.Address, pairs []store.Between) ([]store.Document, []bool, error)

// Stored is what a judge asks: [store.Tx].
type Stored interface {
	Known(docs []store.Address, pairs []store.Between) ([]store.Document, []bool, error)
	Candidates(s *plan.Summary, targets []int64, skip, many int) ([]store.Candidate, error)
	Allowed(c *plan.Collection, keys []string, filter store.Filter) (map[string]bool, error)
	PartnersOf(of *plan.Collection, keys []string, asks []store.Partners, most int) ([]store.PartnersFound, error)
	Context() context.Context // of the request
}

// Judge decides what a viewer may do, by the rules of a version of the design. It serves
// one moment: what it has been told, it remembers. A nil judge allows everything.
type Judge struct {
	*Version
	who    Viewer
	court  *access.Court
	stores Stored
}

// Judge makes a judge for a viewer, nil if no rules hold for them.
func (v *Version) Judge(who Viewer, stores Stored) *Judge {
	if !who.Judged || !v.Law.Guards() {
		return nil
	}
	return v.judgeFrom(who, source{v, stores.Known}, stores)
}

func (v *Version) judgeFrom(who Viewer, s access.Source, stores Stored) *Judge {
	return &Judge{v, who, v.Law.Court(s, who.Me, time.Now()).Within(access.BudgetOf(stores.Context())), stores}
}

// JudgeNow is [Version.Judge] outside of a transaction.
func (a *App) JudgeNow(ctx context.Context, v *Version, who Viewer) *Judge {
	if !who.Judged {
		return nil
	}
	return v.Judge(who, looked{a.Store.Looking(ctx), a})
}

// Court makes a court that knows what is stored, for what an account has set off.
func (v *Version) Court(account string, known Known) *access.Court {
	return v.Law.Court(source{v, known}, account, time.Now())
}

// Asking is a judge of what belongs to lists for a viewer, whom no rules need hold for.
func (a *App) Asking(ctx context.Context, v *Version, who Viewer) *Judge {
	return v.judgeFrom(who, source{v, a.known(ctx)}, looked{a.Store.Looking(ctx), a})
}

func (a *App) known(ctx context.Context) Known {
	return func(docs []store.Address, pairs []store.Between) ([]store.Document, []bool, error) {
		return a.Store.Known(ctx, docs, pairs)
	}
}

// KnownTo is what the rules of a version can be told of what is stored now.
func (a *App) KnownTo(ctx context.Context, v *Version) access.Source { return source{v, a.known(ctx)} }

// source tells the core what is stored.
type source struct {
	*Version
	known Known
}

// Know is part of [access.Source].
func (s source) Know(docs []access.Address, pairs []access.Ask) (map[access.Address]map[string]any,
	map[access.Ask]bool, error) {
	addresses, asks := make([]store.Address, len(docs)), make([]store.Between, len(pairs))
	for i, d := range docs {
		addresses[i] = Address(s.Plan.Collection(d.Collection), d.Key)
	}
	for i, a := range pairs {
		p := s.Plan.Pair(a.Kind)
		asks[i] = store.Between{Kind: p.Number, From: Address(p.From, a.From), To: Address(p.To, a.To)}
	}
	found, set, err := s.known(addresses, asks)
	if err != nil {
		return nil, nil, err
	}
	values, there := make(map[access.Address]map[string]any, len(docs)), make(map[access.Ask]bool, len(pairs))
	for _, d := range found {
		c := s.Plan.CollectionNumbered(d.Collection)
		if values[access.Address{Collection: c.Name, Key: d.Key}], err = s.RuleValues(c, d); err != nil {
			return nil, nil, err
		}
	}
	for i, a := range pairs {
		there[a] = set[i]
	}
	return values, there, nil
}

// RuleValues are the values of a stored document that the rules of a version name: see
// [design.Collection.ShapeOf].
func (v *Version) RuleValues(c *plan.Collection, d store.Document) (map[string]any, error) {
	seen := See(c, d)
	values := map[string]any{"id": seen.ID, "version": seen.Version,
		"created": design.FormatTime(seen.Created), "updated": design.FormatTime(seen.Updated)}
	read := func(object json.RawMessage, names []string, take func(name string, v any)) error {
		if !slices.ContainsFunc(names, func(name string) bool { return v.Law.Reads(c.Name, name) }) {
			return nil
		}
		var all map[string]json.RawMessage
		if err := json.Unmarshal(object, &all); err != nil {
			return err
		}
		for _, name := range names {
			if raw := all[name]; raw != nil && v.Law.Reads(c.Name, name) {
				x, err := decoded(raw)
				if err != nil {
					return err
				}
				take(name, x)
			}
		}
		return nil
	}
	err := read(seen.Facts, design.FieldNames(c.Fields), func(name string, x any) {
		if x != nil {
			if fits, wrong := c.Collection.Field(name).Accept(x); len(wrong) == 0 {
				values[name] = fits
			}
		}
	})
	if err != nil {
		return nil, err
	}
	kept := design.NamesOf(c.Collection.Kept, func(k *design.Kept) string { return k.Name })
	return values, read(seen.Kept, kept, func(name string, x any) {
		if n := counted(design.Part{Kept: c.KeptValue(name)}.Numeric(), x); n != nil {
			values[name] = n
		}
	})
}

// decoded is a JSON value with its numbers kept exact.
func decoded(raw json.RawMessage) (v any, err error) {
	dec := json.NewDecoder(bytes.NewReader(raw))
	dec.UseNumber()
	err = dec.Decode(&v)
	return v, err
}

// counted is a kept number or time in the type that expressions compute with, nil if it
// is neither.
func counted(t design.Type, v any) any {
	n, isNumber := v.(json.Number)
	switch {
	case t == "" || v == nil:
	case isNumber && t == design.Integer:
		if whole, err := n.Int64(); err == nil {
			return whole
		}
	case isNumber:
		if x, err := n.Float64(); err == nil {
			return x
		}
	case t == design.Timestamp:
		return v
	}
	return nil
}

// document is a stored document as rules see it.
func (j *Judge) document(c *plan.Collection, d store.Document) (*expr.Document, error) {
	values, err := j.RuleValues(c, d)
	return j.Law.Document(c.Collection, d.Key, values), err
}

// Decide tells of each of some requests whether it is allowed.
func (j *Judge) Decide(requests ...[]access.Condition) ([]access.Verdict, error) {
	return j.court.Judge(requests)
}

// DecideNamed is [access.Court.JudgeNamed].
func (j *Judge) DecideNamed(request []access.Condition, named [][]access.Condition) (access.Verdict, []access.Verdict,
	error) {
	return j.court.JudgeNamed(request, named)
}

// IsAbsent has a document be as if it were not there, for what is decided from now on.
func (j *Judge) IsAbsent(doc *expr.Document) { j.court.IsAbsent(doc) }

// AllowWrite refuses a write that is not allowed: see [access.Court.JudgeNamed].
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
	if r, is := err.(*Refusal); is && r.Code == CodeNotFound {
		r.Detail = NotFound(c, key).Detail
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
		late := j.court.Budget().Spend(func() { requests[i], err = conditions(one) })
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
func (j *Judge) Filter(c *plan.Collection) (filter store.Filter, exact bool, err error) {
	filter, exact, _, err = j.FilterBeside(c, nil)
	return filter, exact, err
}

// FilterBeside is [Judge.Filter] in a statement that also asks some questions for pairs: of these
// it returns those whose answer the filter does not know to be no for all that it lets through.
func (j *Judge) FilterBeside(c *plan.Collection, pairs []expr.Filter) (filter store.Filter, exact bool,
	asked []expr.Filter, err error) {
	if c.Lift != nil { // what is stored is not what rules see
		return nil, false, pairs, nil
	}
	f, nobody, who, err := j.court.Filter(c.Collection)
	return store.NewFilter(j.Plan, c, f, nobody, who), f.Exact() && (who == nil || nobody.Exact()),
		slices.DeleteFunc(pairs, f.Denies), err
}

// ListFilter is [Judge.Filter] for what must hold of the entries of a list.
func (j *Judge) ListFilter(l *plan.List, of *expr.Document, params map[string]any) (store.Filter, bool, error) {
	if l.Entries.Lift != nil { // what is stored is not what the condition sees
		return nil, l.Where == nil, nil
	}
	f, err := j.court.ListFilter(l.Listing, of, params)
	if err != nil || l.Where == nil {
		return nil, true, err
	}
	return store.NewFilter(j.Plan, l.Entries, f, expr.Filter{}, nil), f.Exact(), nil
}

// EntryFilter is [Judge.Filter] for the entries of a timeline, false if the database cannot
// tell from what it knows of them.
func (j *Judge) EntryFilter(t *plan.Timeline) (store.Filter, bool, error) {
	if t.Entries.Parent != nil {
		return nil, false, nil
	}
	f, nobody, who, err := j.court.Filter(t.Entries.Collection)
	if err != nil || !f.Exact() || who != nil && !nobody.Exact() || !f.Of(t.By.Name) || !nobody.Of(t.By.Name) {
		return nil, false, err
	}
	return store.NewEntryFilter(j.Plan, t, f, nobody, who), true, nil
}

// IsThere tells the judge that a document is there.
func (j *Judge) IsThere(c *plan.Collection, key string) { j.court.Exists(c.Name, key) }

// Refusal is what a caller is told of a verdict, nil if it allows.
func (j *Judge) Refusal(v access.Verdict) error {
	if v.Allowed {
		return nil
	}
	if doc := v.Hidden(); doc != nil {
		return NotFound(j.Plan.Collection(doc.Collection), doc.Key)
	}
	r := Refuse(CodeNotAllowed, "%s may not do this", j.nameOfCaller())
	switch {
	case len(v.Words) > 0:
		r.Detail = strings.Join(v.Words, "; ")
	case v.Costly:
		r.Detail = fmt.Sprintf("whether %s may do this cannot be worked out: %v", j.nameOfCaller(), expr.ErrSteps)
	}
	if v.Refused.Name == "" {
		return r // it is none
	}
	r.Rule = &RefusedBy{Name: v.Refused.Name, Condition: v.Refused.Rule.Text()}
	if v.Refused.Rule != nil {
		r.Rule.Line = v.Refused.Rule.Pos.Line
	}
	return r
}

// MustBeThere refuses what an account does that is not there: see [access.Court.JudgeNamed].
func (a *App) MustBeThere(ctx context.Context, who Viewer) error {
	v, err := a.IfAny(ctx)
	if err != nil || v == nil || !who.Judged || who.Me == "" || v.Plan.Design.Accounts == nil {
		return err
	}
	n, err := a.Store.Number(ctx, Address(v.Plan.Collection(v.Plan.Design.Accounts.Name), who.Me))
	if err == nil && n == 0 {
		err = Refuse(CodeNotAllowed, "%s", access.NoAccount(who.Me))
	}
	return err
}

func (j *Judge) nameOfCaller() string {
	if j.who.Me == "" {
		return "a stranger"
	}
	return "this account"
}
