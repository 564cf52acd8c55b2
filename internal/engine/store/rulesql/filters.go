package rulesql

import (
	"context"
	"encoding/json"
	"slices"
	"strings"
	"time"

	"yalvo/internal/design"
	"yalvo/internal/design/expr"
	"yalvo/internal/design/plan"
	"yalvo/internal/engine/store"
)

// Filter is part of a statement that reads documents: it leaves out some of them. The zero
// one leaves out none. What it names is bound, nothing is pasted.
type Filter []part

// part is a condition of a filter: what it says, once it is known what else the statement
// looks up.
type part func(*Lookups) store.Statement

// NewFilter is a rule about documents of a collection, as far as it can be worked out from
// what is stored. If who is given, it is for a caller who is there, and nobody is it for
// one who is not. Keys: documents (collection, key), refs (source, reference), pairs (kind,
// b, a), pairs_from.
func NewFilter(p *plan.Plan, c *plan.Collection, f, nobody expr.Filter, who *expr.Document) Filter {
	return Filter{func(l *Lookups) store.Statement { return rendering{p, c, "", l}.choice(f, nobody, who) }}
}

// NewEntryFilter is [NewFilter] for entries e of a timeline, whose rows name their authors:
// what the rule names of their documents must be these alone.
func NewEntryFilter(p *plan.Plan, t *plan.Timeline, f, nobody expr.Filter, who *expr.Document) Filter {
	return Filter{
		func(l *Lookups) store.Statement { return rendering{p, t.Entries, t.By.Name, l}.choice(f, nobody, who) },
	}
}

// NewApart leaves out of a list what its caller is paired with, by questions for pairs with
// an entry or with what it points at. What points at nobody stays.
func NewApart(p *plan.Plan, list *plan.List, pairs []expr.Filter) Filter {
	if len(pairs) == 0 {
		return nil
	}
	return Filter{func(l *Lookups) store.Statement {
		is := rendering{p, list.Entries, "", l}.render(expr.Filter{Kind: expr.AnyOf, Parts: pairs})
		return store.SQL("NOT coalesce("+is.SQL+", false)", is.Args...)
	}}
}

// Both lets through what two filters do.
func Both(f, g Filter) Filter { return slices.Concat(f, g) }

// clauses are a filter as parts of one statement, in which d is the document and k its kept
// values. Its arguments come in this order too.
type clauses struct {
	With  store.Statement // before the statement
	Joins string          // after its other tables
	Is    store.Statement // a condition, true if nothing is left out
}

// Clauses are those of a statement that looks nothing else up.
func (f Filter) Clauses() clauses { return f.ClausesWith(&Lookups{}) }

// ClausesWith are the clauses of a statement that looks up some things of its own.
func (f Filter) ClausesWith(l *Lookups) clauses {
	is := store.SQL("true")
	for i, p := range f {
		one := p(l)
		if i == 0 {
			is = one
			continue
		}
		is = store.SQL(is.SQL+" AND "+one.SQL, append(is.Args, one.Args...)...)
	}
	return clauses{l.With(), l.Joins.String(), is}
}

// Args are the arguments of a statement with a filter: those of what stands before its
// condition, and after it.
func (c clauses) Args(before, after []any) []any {
	return slices.Concat(c.With.Args, before, c.Is.Args, after)
}

// Split is the condition of a filter in two: what it asks of a document whoever reads, and what it
// asks about the reader.
func (f Filter) Split(l *Lookups) (all, own store.Statement) {
	all, own = store.SQL("true"), store.SQL("true")
	for _, p := range f {
		before, of := l.named, &all
		one := p(l)
		if l.named > before {
			of = &own
		}
		*of = store.SQL(of.SQL+" AND "+one.SQL, append(of.Args, one.Args...)...)
	}
	return all, own
}

type rendering struct {
	plan *plan.Plan
	in   *plan.Collection
	by   string // of entries: the reference to their author
	*Lookups
}

// choice is what holds for a caller who is there, or who is not.
func (r rendering) choice(f, nobody expr.Filter, who *expr.Document) store.Statement {
	is := r.render(f)
	if who == nil {
		return is
	}
	there, not := r.end(expr.End{Known: who}), r.render(nobody)
	return store.SQL("CASE WHEN "+there+" IS NOT NULL THEN "+is.SQL+" ELSE "+not.SQL+" END", append(is.Args,
		not.Args...)...)
}

func (r rendering) render(f expr.Filter) store.Statement {
	switch f.Kind {
	case expr.Never:
		return store.SQL("false")
	case expr.AllOf:
		return r.joined(" AND ", f.Parts)
	case expr.AnyOf:
		if len(f.Parts) == 2 && eitherWay(f.Parts[0], f.Parts[1]) {
			return r.paired(f.Parts[0], true)
		}
		return r.joined(" OR ", f.Parts)
	case expr.NotThat:
		inner := r.render(f.Parts[0])
		return store.SQL("NOT ("+inner.SQL+")", inner.Args...)
	case expr.Compare:
		return r.compared(f)
	case expr.Present:
		return store.SQL("coalesce(" + r.values(f.Member) + " -> '" + f.Member + "', 'null') <> 'null'")
	case expr.Points:
		if f.Member == r.by {
			return store.SQL(r.end(expr.End{Reference: r.by}) + " IS NOT DISTINCT FROM " + r.end(f.From))
		}
		return r.whole(f.Member, store.SQL("d.fields ->> '"+f.Member+"' = ?", f.From.Known.Key))
	case expr.Same:
		return store.SQL("d.key = ?", f.From.Known.Key)
	case expr.Paired:
		return r.paired(f, false)
	}
	return store.SQL("true")
}

func (r rendering) joined(by string, parts []expr.Filter) store.Statement {
	var all store.Statement
	var texts []string
	for _, p := range parts {
		one := r.render(p)
		texts, all.Args = append(texts, one.SQL), append(all.Args, one.Args...)
	}
	all.SQL = "(" + strings.Join(texts, by) + ")"
	return all
}

// eitherWay tells whether two filters ask for the same pair, one this way and one the other.
func eitherWay(f, g expr.Filter) bool {
	return f.Kind == expr.Paired && g.Kind == expr.Paired && f.Pair == g.Pair && f.From == g.To && f.To == g.From
}

// paired asks for a pair, both ways if either will do.
func (r rendering) paired(f expr.Filter, either bool) store.Statement {
	if (f.From == expr.End{}) || (f.To == expr.End{}) { // with nobody nobody is paired
		return r.whole(f.To.Reference, r.whole(f.From.Reference, store.SQL("false")))
	}
	kind := r.plan.Pair(f.Pair).Number
	from, to := r.end(f.From), r.end(f.To)
	ways := []string{r.way(kind, f.From, f.To, from, to)}
	if either {
		ways = append(ways, r.way(kind, f.To, f.From, to, from))
	}
	is := store.SQL("coalesce(" + strings.Join(ways, " OR ") + ", false)")
	return r.whole(f.To.Reference, r.whole(f.From.Reference, is))
}

// way asks for a pair from one end to the other.
func (r rendering) way(kind plan.Number, f, t expr.End, from, to string) string {
	// One row at most, and no EXISTS: for that all pairs of one of them might be read.
	pair := "(SELECT true FROM pairs x WHERE x.kind = " + store.Number(kind) + " AND x.b = " + to +
		" AND x.a = " +
		from + ")"
	if (f.Known == nil) == (t.Known == nil) {
		return pair
	}
	known, other := from, to
	if t.Known != nil {
		known, other = to, from
	}
	few, more := r.Partners(kind, f.Known != nil, known)
	switch {
	case few == "":
		return pair
	case more == "":
		return other + " = ANY (" + few + "::bigint[])"
	}
	return "CASE WHEN " + more + " THEN " + pair + " ELSE " + other + " = ANY (" + few + "::bigint[]) END"
}

// whole is what is asked of a reference, if that is one: what is absent or does not fit is
// neither true nor false.
func (r rendering) whole(reference string, is store.Statement) store.Statement {
	if reference == "" || reference == r.by {
		return is
	}
	fits := r.fits(reference)
	if r.has(reference) {
		fits = r.target(reference) + " IS NOT NULL OR " + fits
	}
	return store.SQL("CASE WHEN "+fits+" THEN "+is.SQL+" END", is.Args...)
}

// fits is the condition that a document's value is a key. It is long, and asked for often.
func (r rendering) fits(reference string) string {
	if known := r.formed[reference]; known != "" {
		return known
	}
	if r.formed == nil {
		r.formed = map[string]string{}
	}
	r.formed[reference] = "jsonb_typeof(d.fields -> '" + reference + "') = 'string' AND " +
		isKey("d.fields ->> '"+reference+"'", r.in.Collection.Field(reference).To.Depth())
	return r.formed[reference]
}

// isKey is the condition that a text has the form of a key of so many ids. A pattern that
// counts to 128 would take PostgreSQL ten times as long.
func isKey(text string, depth int) string {
	if depth == 1 {
		return text + " !~ '[^A-Za-z0-9_-]' AND length(" + text + ") BETWEEN 1 AND 128"
	}
	all := []string{text + " !~ '[^A-Za-z0-9_/-]'", "length(" + text + ") - length(replace(" + text + ", '/', '')) = " +
		store.Number(depth-1)}
	for i := 1; i <= depth; i++ {
		all = append(all, "length(split_part("+text+", '/', "+store.Number(i)+")) BETWEEN 1 AND 128")
	}
	return strings.Join(all, " AND ")
}

// values is where a value of the document is stored; empty: in a column of its own.
func (r rendering) values(name string) string {
	switch {
	case r.in.Collection.Field(name) != nil:
		return "d.fields"
	case r.in.KeptValue(name) != nil:
		r.Kept = true
		return "k.values"
	}
	return ""
}

func (r rendering) compared(f expr.Filter) store.Statement {
	op := map[string]string{"==": "=", "!=": "<>"}[f.Op]
	if op == "" {
		op = f.Op
	}
	in := r.values(f.Member)
	if t, is := f.Value.(time.Time); is {
		if in == "" {
			return store.SQL("d."+f.Member+" "+op+" ?::timestamptz", t.UTC())
		}
		return store.SQL(store.StoredTime(in, f.Member)+" "+op+" ?", design.FormatTime(t))
	}
	value, err := json.Marshal(f.Value)
	if err != nil { // it is a text, a truth or a whole number
		return store.SQL("true")
	}
	if field := r.in.Collection.Field(f.Member); field != nil && !field.Indexable() { // it may be long
		return store.SQL("coalesce("+in+" -> '"+f.Member+"', 'null') "+op+" ?::jsonb", string(value))
	}
	return store.SQL(store.StoredValue(in, f.Member)+" "+op+" ?::jsonb", string(value))
}

// end is the row number of a document that a filter names.
func (r rendering) end(e expr.End) string {
	switch {
	case e == expr.End{}:
		return "NULL::bigint"
	case e.Known != nil:
		return r.Known(r.plan.Collection(e.Known.Collection).Number, e.Known.Key)
	case e.Reference != "" && e.Reference == r.by:
		return "e.author"
	case e.Reference != "":
		return r.target(e.Reference)
	}
	return "d.n"
}

// Ties tells whether a pair of an owner and an author is there that meets what a timeline
// asks of it. Key: pairs (kind, b, a).
func Ties(ctx context.Context, s *store.Store, t *plan.Timeline, owner, author int64) (bool, error) {
	var is bool
	err := s.DB.WithContext(ctx).Raw("SELECT EXISTS (SELECT FROM pairs p WHERE p.kind = ? AND p.b = ? AND p.a = ?"+
		store.AndTied(t, "p")+")", t.Through.Number, author, owner).Scan(&is).Error
	return is, err
}
