package readsql

import (
	"database/sql"

	"yalvo/internal/design/plan"
	"yalvo/internal/engine/store"
	"yalvo/internal/engine/store/rulesql"
)

// Partners asks with whom somebody is in pairs of a kind.
type Partners struct {
	Pair *plan.Pair
	From bool // they are its from end
}

// PartnersFound is with whom somebody is in pairs.
type PartnersFound struct {
	N    int64     // their own row, 0 if they are not there
	With [][]int64 // the rows of the others, for each kind that was asked for; nil: there are too many
}

// PartnersOf are those with whom some documents of a collection are in pairs of some kinds, as far as there are at
// most so many. Keys: documents (collection, key), pairs (kind, b, a), pairs_from.
func PartnersOf(tx *store.Tx, of *plan.Collection, keys []string, asks []Partners, most int) ([]PartnersFound, error) {
	b := &store.Builder{}
	b.Add("WITH one AS MATERIALIZED (SELECT d.n, w.nth FROM unnest(", b.Arg(store.Texts(keys).Text(), "text[]"),
		") WITH ORDINALITY AS w (key, nth)\n\t\tJOIN documents d ON d.collection = ", store.Number(of.Number),
		" AND d.key = w.key)\nSELECT nth, 0, n FROM one")
	for i, ask := range asks {
		near, far, only := "b", "a", ""
		if ask.From {
			near, far, only = "a", "b", " AND "+store.Walked("p.")
		}
		b.Add("\nUNION ALL SELECT one.nth, ", store.Number(i+1), ", x.n FROM one CROSS JOIN LATERAL (\n\t\t",
			"SELECT p.", far, " AS n FROM pairs p WHERE p.kind = ", store.Number(ask.Pair.Number), " AND p.",
			near, " = one.n", only, " LIMIT ", store.Number(most+1), ") x")
	}
	found := make([]PartnersFound, len(keys))
	for i := range found {
		found[i].With = make([][]int64, len(asks))
		for k := range asks {
			found[i].With[k] = []int64{}
		}
	}
	err := tx.Rows(b.Text.String(), b.Args, func(row *sql.Rows) error {
		var who, nth int
		var n int64
		if err := row.Scan(&who, &nth, &n); err != nil {
			return err
		}
		one := &found[who-1]
		if nth == 0 {
			one.N = n
			return nil
		}
		one.With[nth-1] = append(one.With[nth-1], n)
		return nil
	})
	for _, one := range found {
		for k, with := range one.With {
			if len(with) > most {
				one.With[k] = nil
			}
		}
	}
	return found, err
}

// Target is where a reference of a document leads.
type Target struct {
	Key       string // of the document
	Target    int64
	TargetKey string
}

// Targets are where a reference of some documents of a collection leads, of those that are there and of which it leads
// somewhere. Keys: documents (collection, key), (n), refs (source, reference).
func Targets(tx *store.Tx, in, reference plan.Number, keys []string) ([]Target, error) {
	var found []Target
	err := tx.DB.Raw(`
		SELECT d.key, t.n AS target, t.key AS target_key
		FROM documents d
		JOIN refs r ON r.source = d.n AND r.reference = ?
		JOIN documents t ON t.n = r.target
		WHERE d.collection = ? AND d.key = ANY(?::text[])`, reference, in, store.Texts(keys)).Scan(&found).Error
	return found, err
}

// Reading asks for the partners of who reads a page, in the statement that reads it.
type Reading struct {
	Reader   store.Address
	Partners []Partners
}

// Column is what a statement tells of the reader, for one that asks for anything: an array of their row, of how many
// partners of each kind there are, -1 for too many, and of the partners' rows, one kind after the other. It stands in
// the first row alone: all tell the same.
func (r Reading) Column(l *rulesql.Lookups) string {
	if len(r.Partners) == 0 {
		return ""
	}
	me := l.Known(r.Reader.Collection, r.Reader.Key)
	head, all := "coalesce("+me+", 0)", ""
	for _, ask := range r.Partners {
		few, _ := l.Partners(ask.Pair.Number, ask.From, me)
		if few == "" {
			head += ", -1"
			continue
		}
		head += ", cardinality(" + few + ")"
		all += " || " + few
	}
	return "CASE WHEN row_number() OVER () = 1 THEN ARRAY[" + head + "]::bigint[]" + all + " END"
}

// ReaderRow is where that goes.
type ReaderRow struct{ told []int64 }

// Columns are where the column is scanned to, if it is asked for.
func (r *ReaderRow) Columns(of Reading) []any {
	if len(of.Partners) == 0 {
		return nil
	}
	return []any{&r.told}
}

// Found is what a row tells, nil if it is not the first.
func (r ReaderRow) Found(of Reading) *PartnersFound {
	if len(r.told) == 0 {
		return nil
	}
	many, rows := r.told[1:1+len(of.Partners)], r.told[1+len(of.Partners):]
	found := &PartnersFound{N: r.told[0], With: make([][]int64, len(many))}
	for i, n := range many {
		if n >= 0 {
			found.With[i], rows = rows[:n:n], rows[n:]
		}
	}
	return found
}
