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
	kinds, from, to := make(bigints, len(pairs)), make([]Address, len(pairs)), make([]Address, len(pairs))
	for i, p := range pairs {
		kinds[i], from[i], to[i] = int64(p.Kind), p.From, p.To
	}
	collections, keys := columnsOfAddresses(docs)
	fromCollections, fromKeys := columnsOfAddresses(from)
	toCollections, toKeys := columnsOfAddresses(to)
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
	err := tx.db.Raw(`
		SELECT 0 AS ask, d.n, d.collection, d.key, d.version, d.created, d.updated, d.fields,
			coalesce(k.values, '{}') AS kept, coalesce(d.shape, 0) AS shape
		FROM unnest(?::smallint[], ?::text[]) AS want (collection, key)
		JOIN documents d ON d.collection = want.collection AND d.key = want.key
		LEFT JOIN kept k ON k.doc = d.n
		UNION ALL
		SELECT ask.nth, 0, 0, '', 0, 'epoch', 'epoch', 'null', 'null', 0
		FROM unnest(?::smallint[], ?::smallint[], ?::text[], ?::smallint[], ?::text[]) WITH ORDINALITY
			AS ask (kind, from_collection, from_key, to_collection, to_key, nth)
		JOIN documents a ON a.collection = ask.from_collection AND a.key = ask.from_key
		JOIN documents b ON b.collection = ask.to_collection AND b.key = ask.to_key
		JOIN pairs p ON p.kind = ask.kind AND p.b = b.n AND p.a = a.n`,
		collections, keys, kinds, fromCollections, fromKeys, toCollections, toKeys).Scan(&rows).Error
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
