package store

import (
	"context"
	"encoding/json"
	"time"

	"yalvo/internal/plan"
)

// Between is a question for a pair of a kind, by the addresses of its ends.
type Between struct {
	Kind     plan.Number
	From, To Address
}

// Known reads documents by their addresses, in any order and without those that are not
// there, and tells of pairs whether they are: one statement, however many they are.
// Keys: documents (collection, key), pairs (kind, b, a).
func (tx *Tx) Known(docs []Address, pairs []Between) ([]Document, []bool, error) {
	there := make([]bool, len(pairs))
	// Every end is found once, however many pairs it is asked for: most are between the
	// caller and somebody.
	nth := map[Address]int64{}
	var ends []Address
	end := func(a Address) int64 {
		if nth[a] == 0 {
			ends = append(ends, a)
			nth[a] = int64(len(ends))
		}
		return nth[a]
	}
	kinds, from, to := make(bigints, len(pairs)), make(bigints, len(pairs)), make(bigints, len(pairs))
	for i, p := range pairs {
		kinds[i], from[i], to[i] = int64(p.Kind), end(p.From), end(p.To)
	}
	collections, keys := columnsOfAddresses(docs)
	endCollections, endKeys := columnsOfAddresses(ends)
	var rows []struct {
		Ask        int // 0: a document
		N          int64
		Collection plan.Number
		Key        string
		Version    int64
		Created    time.Time
		Updated    time.Time
		Fields     json.RawMessage
		Kept       json.RawMessage
		Shape      int
	}
	// A pair is looked for by both ends: by one alone it would be looked for among all of
	// its kind that that one is in.
	err := tx.db.Raw(`
		WITH ends AS MATERIALIZED (
			SELECT array_agg(d.n ORDER BY e.nth) AS n
			FROM unnest(?::smallint[], ?::text[]) WITH ORDINALITY AS e (collection, key, nth)
			LEFT JOIN documents d ON d.collection = e.collection AND d.key = e.key
		)
		SELECT 0 AS ask, d.n, d.collection, d.key, d.version, d.created, d.updated, d.fields,
			coalesce(k.values, '{}') AS kept, coalesce(d.shape, 0) AS shape
		FROM unnest(?::smallint[], ?::text[]) AS want (collection, key)
		JOIN documents d ON d.collection = want.collection AND d.key = want.key
		LEFT JOIN kept k ON k.doc = d.n
		UNION ALL
		SELECT ask.nth, 0, 0, '', 0, 'epoch', 'epoch', 'null', 'null', 0
		FROM ends, unnest(?::smallint[], ?::bigint[], ?::bigint[]) WITH ORDINALITY AS ask (kind, a, b, nth)
		WHERE EXISTS (SELECT FROM pairs p WHERE p.kind = ask.kind AND p.b = ends.n[ask.b] AND p.a = ends.n[ask.a])`,
		endCollections, endKeys, collections, keys, kinds, from, to).Scan(&rows).Error
	var found []Document
	for _, r := range rows {
		if r.Ask > 0 {
			there[r.Ask-1] = true
			continue
		}
		found = append(found, Document{N: r.N, Collection: r.Collection, Key: r.Key, Version: r.Version,
			Created: r.Created, Updated: r.Updated, Fields: r.Fields, Kept: r.Kept, Shape: r.Shape})
	}
	return found, there, err
}

func columnsOfAddresses(all []Address) (collections bigints, keys texts) {
	collections, keys = make(bigints, len(all)), make(texts, len(all))
	for i, a := range all {
		collections[i], keys[i] = int64(a.Collection), a.Key
	}
	return collections, keys
}

// Known is [Tx.Known] outside of a transaction.
func (s *Store) Known(ctx context.Context, docs []Address, pairs []Between) ([]Document, []bool, error) {
	return s.now(ctx).Known(docs, pairs)
}
