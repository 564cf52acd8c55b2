package rulesql

import (
	"fmt"
	"slices"
	"strings"

	"yalvo/internal/design"
	"yalvo/internal/design/plan"
	"yalvo/internal/engine/store"
)

// Lookups are what the filter of a statement asks for besides: each once, whatever the rules
// name how often. They are tables of one row: ends, partners and news.
type Lookups struct {
	Each  bool // the statement answers several: see [Lookups.Beside]
	named int  // how often they have been named

	ends     []store.Address   // documents that are known, by their keys
	pairings []pairing         // of whom all partners are read
	Targets  []*plan.Reference // of the documents
	Joins    strings.Builder
	Kept     bool              // kept values are named
	formed   map[string]string // see [rendering.fits]

	News bool // what has been written is asked for, with the arguments of a [readsql.Since] after all others

	// Whoever asks knows who is in many pairs, and is told of others: see [InMany].
	Told bool
	Many Pairings
}

// Pairings are some of those who are known with their pairs of a kind, by their places among
// all that a statement names.
type Pairings uint64

// has tells whether one is among them. They hold 63: of any beyond, each pair is looked for.
func (p Pairings) has(i int) bool { return i >= 63 || p&(1<<i) != 0 }

// InMany says that some are in too many pairs of a kind to be read the way they were: they
// are to be told to the next statement.
type InMany struct {
	In     Pairings
	Unseen bool // there were no rows to say who is: it may be nobody
}

func (e *InMany) Error() string { return "somebody is in many pairs of a kind" }

// pairing is one who is known with those at the other end of their pairs of a kind.
type pairing struct {
	kind plan.Number
	from bool   // they are the pairs' from end
	who  string // see [Lookups.Known]
}

// column is how a value that is looked up is named in the statement.
func (l *Lookups) column(table, name string) string {
	l.named++
	if l.Each {
		return table + "." + name
	}
	return "(SELECT " + name + " FROM " + table + ")"
}

// Known is the row of a document of a key, NULL if there is none.
func (l *Lookups) Known(in plan.Number, key string) string {
	at := store.Address{Collection: in, Key: key}
	i := slices.Index(l.ends, at)
	if i < 0 {
		i = len(l.ends)
		l.ends = append(l.ends, at)
	}
	return l.column("ends", "n"+store.Number(i))
}

// FewPairs is how many pairs of a kind somebody may be in for all of these to be read at once.
// Of somebody who is in more, a pair is looked for with each row that is asked for.
const FewPairs = 50

// Partners are rows that one who is known has pairs of a kind with, and whether there are
// more than these. If one of the two is empty, so is the case that it is for. Keys: pairs
// (kind, b, a), pairs_from.
func (l *Lookups) Partners(kind plan.Number, from bool, who string) (few, more string) {
	p := pairing{kind, from, who}
	i := slices.Index(l.pairings, p)
	if i < 0 {
		i = len(l.pairings)
		l.pairings = append(l.pairings, p)
	}
	nth := store.Number(i)
	few, more = l.column("partners", "few"+nth), l.column("partners", "more"+nth)
	switch {
	case !l.Told:
		return few, more
	case l.Many.has(i):
		return "", more
	}
	return few, ""
}

// fewOnes are the places of those whose partners are read.
func (l *Lookups) fewOnes() []int {
	var few []int
	for i := range l.pairings {
		if !l.Told || !l.Many.has(i) {
			few = append(few, i)
		}
	}
	return few
}

// InMany is a column that tells which [Pairings] have turned out to be in many pairs: what
// the statement answers is to be thrown away then.
func (l *Lookups) InMany() string {
	if !l.Told || len(l.fewOnes()) == 0 {
		return "0::bigint"
	}
	return l.column("partners", "more")
}

// TurnedOut is the error that some are in many pairs, nil if none are. Without any rows it is
// not known who is, and all may be.
func (l *Lookups) TurnedOut(in Pairings, rows int) error {
	if rows == 0 {
		for _, i := range l.fewOnes() {
			in |= 1 << i
		}
	}
	if in == 0 {
		return nil
	}
	return &InMany{in, rows == 0}
}

// With is what is looked up once for the whole statement.
func (l *Lookups) With() store.Statement {
	var all store.Statement
	for _, t := range l.tables() {
		begin := map[bool]string{true: "WITH ", false: ", "}[all.SQL == ""]
		all.SQL += begin + t.name + " AS MATERIALIZED (" + t.SQL + ")"
		all.Args = append(all.Args, t.Args...)
	}
	return all
}

// Beside is the same for a statement that answers several: what is looked up for each of them stands among its
// tables.
func (l *Lookups) Beside() string {
	text := ""
	for _, t := range l.tables() {
		text += " CROSS JOIN LATERAL (" + t.SQL + " OFFSET 0) " + t.name
	}
	return text
}

// lookup is a table of one row of what is looked up.
type lookup struct {
	name string
	store.Statement
}

// tables are the documents that are known, whom they are paired with, and what has been written.
func (l *Lookups) tables() []lookup {
	var all []lookup
	if len(l.ends) > 0 {
		all = append(all, lookup{"ends", l.endsTable()})
		if len(l.fewOnes()) > 0 {
			all = append(all, lookup{"partners", store.SQL(l.partnersTable())})
		}
	}
	if l.News {
		all = append(all, lookup{"news", store.SQL(rewrittenTable)})
	}
	return all
}

func (l *Lookups) endsTable() (ends store.Statement) {
	columns := make([]string, len(l.ends))
	for i, at := range l.ends {
		columns[i] = "(SELECT n FROM documents WHERE collection = " + store.Number(at.Collection) +
			" AND key = ?) AS n" + store.Number(i)
		ends.Args = append(ends.Args, at.Key)
	}
	ends.SQL = "SELECT " + strings.Join(columns, ", ")
	return ends
}

func (l *Lookups) partnersTable() string {
	var few, whether, more []string
	for _, i := range l.fewOnes() {
		p, here, there := l.pairings[i], "b", "a"
		if p.from {
			here, there = "a", "b"
		}
		nth := store.Number(i)
		few = append(few, "ARRAY(SELECT x."+there+" FROM pairs x WHERE x.kind = "+store.Number(p.kind)+
			" AND x."+here+" = "+p.who+" AND "+store.Walked("x.")+" LIMIT "+store.Number(FewPairs+1)+") AS few"+nth)
		is := "cardinality(few" + nth + ") > " + store.Number(FewPairs)
		whether = append(whether, "few"+nth+", "+is+" AS more"+nth)
		more = append(more, "CASE WHEN "+is+" THEN "+store.Number(1<<i)+"::bigint ELSE 0 END")
	}
	if l.Told {
		whether = []string{"x.*, " + strings.Join(more, " + ") + " AS more"}
	}
	return "SELECT " + strings.Join(whether, ", ") + " FROM (SELECT " + strings.Join(few, ", ") + " OFFSET 0) x"
}

// has tells whether the row of what a reference leads to stands in refs: not if that may be a
// document which came after the one that it was set to.
func (r rendering) has(reference string) bool {
	ref := r.reference(reference)
	return ref != nil && ref.WhenGone != design.GoneLeave
}

func (r rendering) reference(name string) *plan.Reference {
	at := slices.IndexFunc(r.in.References, func(ref *plan.Reference) bool { return ref.Name == name })
	if at < 0 {
		return nil
	}
	return r.in.References[at]
}

// target is the row of what a reference of the document leads to, NULL if there is none. It
// is looked for by itself for each document: in a plain join all might be read at once, for
// a page of a few. Keys: refs (source, reference), documents (collection, key).
func (r rendering) target(name string) string {
	ref := r.reference(name)
	as := store.TargetOf(ref)
	if !slices.Contains(r.Targets, ref) {
		r.Targets = append(r.Targets, ref)
		row := fmt.Sprintf("CASE WHEN %s THEN (SELECT n FROM documents WHERE collection = %d AND key = %s) END",
			r.fits(name), ref.To.Number, "d.fields ->> '"+name+"'")
		if r.has(name) {
			row = fmt.Sprintf("coalesce((SELECT target FROM refs WHERE source = d.n AND reference = %d), %s)",
				ref.Number, row)
		}
		r.Joins.WriteString("\n\t\tLEFT JOIN LATERAL (SELECT " + row + " AS n OFFSET 0) " + as + " ON true")
	}
	return as + ".n"
}

// FewRewritten is how many documents may have been written for a page to be asked which of
// its own are among them.
const FewRewritten = 100

// RewrittenDocs are the documents that were written since a moment, in a statement that looks
// that up; NULL if it is not known.
func (l *Lookups) RewrittenDocs() string { return l.column("news", "docs") + "::bigint[]" }

// rewrittenTable looks that up. Index: rewritten_by.
var rewrittenTable = `SELECT CASE WHEN EXISTS (SELECT FROM rewritten_since
			WHERE xid <= ?::bigint AND ` + store.EpochNow + ` = ?::bigint)
		THEN (
			SELECT CASE WHEN cardinality(x.docs) <= ` + store.Number(FewRewritten) + ` AND 0 <> ALL (x.docs)
				THEN x.docs END
			FROM (SELECT ARRAY(SELECT doc FROM rewritten WHERE xid >= ?::bigint
				LIMIT ` + store.Number(FewRewritten+1) + `) AS docs OFFSET 0) x) END AS docs`
