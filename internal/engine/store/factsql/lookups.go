package factsql

import (
	"database/sql"

	"github.com/jackc/pgx/v5/pgtype"

	"yalvo/internal/design/plan"
	"yalvo/internal/engine/store"
)

// Between is a question for a pair of a kind, by the addresses of its ends.
type Between struct {
	Kind     plan.Number
	From, To store.Address
}

// Known reads documents by their addresses, in any order and without those that are not
// there, and tells of pairs whether they are: one statement, however many they are.
// Keys: documents (collection, key), pairs (kind, b, a).
func Known(tx *store.Tx, docs []store.Address, pairs []Between) ([]store.Document, []bool, error) {
	there := make([]bool, len(pairs))
	// Every end is found once, however many pairs it is asked for: most are between the
	// caller and somebody.
	nth := map[store.Address]int64{}
	var ends []store.Address
	end := func(a store.Address) int64 {
		if nth[a] == 0 {
			ends = append(ends, a)
			nth[a] = int64(len(ends))
		}
		return nth[a]
	}
	kinds, from, to := make(store.Bigints, len(pairs)), make(store.Bigints, len(pairs)), make(store.Bigints, len(pairs))
	for i, p := range pairs {
		kinds[i], from[i], to[i] = int64(p.Kind), end(p.From), end(p.To)
	}
	collections, keys := store.ColumnsOfAddresses(docs)
	endCollections, endKeys := store.ColumnsOfAddresses(ends)
	query, args := `
		SELECT 0, d.n, d.collection, d.key, d.version, d.created, d.updated, d.fields, coalesce(k.values, '{}'),
			coalesce(d.shape, 0), d.quiet, d.xmin
		FROM unnest($1::smallint[], $2::text[]) AS want (collection, key)
		JOIN documents d ON d.collection = want.collection AND d.key = want.key
		LEFT JOIN kept k ON k.doc = d.n`, []any{collections.Text(), keys.Text()}
	if len(pairs) > 0 {
		// A pair is looked for by both ends: by one alone it would be looked for among all of
		// its kind that that one is in.
		query = `
		WITH ends AS MATERIALIZED (
			SELECT array_agg(d.n ORDER BY e.nth) AS n
			FROM unnest($3::smallint[], $4::text[]) WITH ORDINALITY AS e (collection, key, nth)
			LEFT JOIN documents d ON d.collection = e.collection AND d.key = e.key
		)` + query + `
		UNION ALL
		SELECT ask.nth, 0, 0, '', 0, 'epoch', 'epoch', 'null', 'null', 0, NULL, NULL
		FROM ends, unnest($5::smallint[], $6::bigint[], $7::bigint[]) WITH ORDINALITY AS ask (kind, a, b, nth)
		WHERE EXISTS (SELECT FROM pairs p WHERE p.kind = ask.kind AND p.b = ends.n[ask.b] AND p.a = ends.n[ask.a])`
		args = append(args, endCollections.Text(), endKeys.Text(), kinds.Text(), from.Text(), to.Text())
	}
	var found []store.Document
	err := tx.Rows(query, args, func(row *sql.Rows) error {
		var ask int
		var d store.Document
		var version pgtype.Uint32
		err := row.Scan(&ask, &d.N, &d.Collection, &d.Key, &d.Version, &d.Created, &d.Updated, (*[]byte)(&d.Fields),
			(*[]byte)(&d.Kept), &d.Shape, &d.Quiet, &version)
		if ask > 0 {
			there[ask-1] = true
			return err
		}
		d.Row = version.Uint32
		found = append(found, d)
		return err
	})
	return found, there, err
}
