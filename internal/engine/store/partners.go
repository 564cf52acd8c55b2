package store

import "yalvo/internal/design/plan"

// Partners asks with whom somebody is in pairs of a kind.
type Partners struct {
	Pair *plan.Pair
	From bool // they are its from end
}

// PartnersFound is with whom somebody is in pairs.
type PartnersFound struct {
	There bool       // they are there themselves
	With  [][]string // the keys of the others, for each kind that was asked for; nil: there are too many
}

// PartnersOf are those with whom some documents of a collection are in pairs of some kinds, as far as there are at
// most so many. Keys: documents (collection, key), (n), pairs (kind, b, a), pairs_from.
func (tx *Tx) PartnersOf(of *plan.Collection, keys []string, asks []Partners, most int) ([]PartnersFound, error) {
	b := &builder{}
	b.add("WITH one AS MATERIALIZED (SELECT d.n, w.nth FROM unnest(", b.arg(texts(keys).text(), "text[]"),
		") WITH ORDINALITY AS w (key, nth)\n\t\tJOIN documents d ON d.collection = ", number(int64(of.Number)),
		" AND d.key = w.key)\nSELECT nth, 0, '' FROM one")
	for i, ask := range asks {
		near, far, only := "b", "a", ""
		if ask.From {
			near, far, only = "a", "b", " AND "+walked("p.")
		}
		b.add("\nUNION ALL SELECT one.nth, ", number(int64(i+1)), ", x.key FROM one CROSS JOIN LATERAL (\n\t\t",
			"SELECT d.key FROM pairs p JOIN documents d ON d.n = p.", far, "\n\t\tWHERE p.kind = ",
			number(int64(ask.Pair.Number)), " AND p.", near, " = one.n", only, " LIMIT ", number(int64(most+1)), ") x")
	}
	rows, err := tx.db.Statement.ConnPool.QueryContext(tx.Context(), b.text.String(), b.args...)
	if err != nil {
		return nil, err
	}
	defer rows.Close()
	found := make([]PartnersFound, len(keys))
	for i := range found {
		found[i].With = make([][]string, len(asks))
		for k := range asks {
			found[i].With[k] = []string{}
		}
	}
	for rows.Next() {
		var who, nth int
		var key string
		if err := rows.Scan(&who, &nth, &key); err != nil {
			return nil, err
		}
		one := &found[who-1]
		if one.There = true; nth > 0 {
			one.With[nth-1] = append(one.With[nth-1], key)
		}
	}
	for _, one := range found {
		for k, with := range one.With {
			if len(with) > most {
				one.With[k] = nil
			}
		}
	}
	return found, rows.Err()
}
