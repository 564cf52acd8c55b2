package store

import "yalvo/internal/plan"

// Partners asks with whom somebody is in pairs of a kind.
type Partners struct {
	Pair *plan.Pair
	From bool // they are its from end
}

// PartnersOf are the keys of those with whom somebody is in pairs of some kinds: nil if there are more than so many.
// There tells whether they are there themselves. Keys: documents (collection, key), pairs (kind, b, a), pairs_from.
func (tx *Tx) PartnersOf(who Address, asks []Partners, most int) (found [][]string, there bool, err error) {
	b := &builder{}
	b.add("WITH one AS MATERIALIZED (SELECT n FROM documents WHERE collection = ",
		b.arg(int64(who.Collection), "smallint"), " AND key = ", b.arg(who.Key, "text"), ")\nSELECT 0, '' FROM one")
	limit := b.arg(most+1, "int")
	for i, ask := range asks {
		near, far, only := "b", "a", ""
		if ask.From {
			near, far, only = "a", "b", " AND "+walked("p.")
		}
		b.add("\nUNION ALL (SELECT ", number(int64(i+1)), ", d.key FROM one JOIN pairs p ON p.kind = ",
			number(int64(ask.Pair.Number)), " AND p.", near, " = one.n", only, " JOIN documents d ON d.n = p.", far,
			" LIMIT ", limit, ")")
	}
	rows, err := tx.db.Statement.ConnPool.QueryContext(tx.Context(), b.text.String(), b.args...)
	if err != nil {
		return nil, false, err
	}
	defer rows.Close()
	found = make([][]string, len(asks))
	for i := range found {
		found[i] = []string{}
	}
	for rows.Next() {
		var nth int
		var key string
		if err := rows.Scan(&nth, &key); err != nil {
			return nil, false, err
		}
		if there = true; nth > 0 {
			found[nth-1] = append(found[nth-1], key)
		}
	}
	for i := range found {
		if len(found[i]) > most {
			found[i] = nil
		}
	}
	return found, there, rows.Err()
}
