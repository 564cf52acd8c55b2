package factsql

import (
	"context"

	"yalvo/internal/design/plan"
	"yalvo/internal/engine/store"
)

// Hanging is how much would go along with a document.
type Hanging struct {
	Kind plan.Number // the collection, or the kind of pair
	Pair bool
	Many int64
}

// FindHanging counts the documents that would go along with a document, itself left
// out, and the pairs that would end with them. It looks at a number of documents
// at most. Documents go along that lie under one that goes, or point at it by one
// of some references. Indexes: documents_nested, refs_pointing, pairs (kind, b, a),
// pairs_from.
func FindHanging(ctx context.Context, s *store.Store, doc int64, removing, pairs []plan.Number, most int) ([]Hanging,
	error) {
	var found []Hanging
	err := s.DB.WithContext(ctx).Raw(`
		WITH RECURSIVE going (n) AS (
			SELECT ?::bigint
			UNION
			SELECT x.n FROM going g CROSS JOIN LATERAL (
				SELECT d.n FROM documents d WHERE d.parent = g.n
				UNION ALL
				SELECT r.source FROM refs r WHERE r.reference = ANY(?::smallint[]) AND r.target = g.n
			) x
		),
		those AS MATERIALIZED (SELECT n FROM going LIMIT ?),
		ended AS (
			SELECT p.kind, count(*) AS many FROM those s CROSS JOIN unnest(?::smallint[]) AS k (kind)
			JOIN pairs p ON p.kind = k.kind AND p.b = s.n GROUP BY p.kind
			UNION ALL
			SELECT p.kind, count(*) FROM those s CROSS JOIN unnest(?::smallint[]) AS k (kind)
			JOIN pairs p ON p.kind = k.kind AND p.a = s.n AND `+store.Walked("p.")+` GROUP BY p.kind
		)
		SELECT d.collection AS kind, false AS pair, count(*) AS many
		FROM those JOIN documents d USING (n) WHERE d.n <> ? GROUP BY d.collection
		UNION ALL
		SELECT kind, true, sum(many) FROM ended GROUP BY kind`,
		doc, store.NumberArgs(removing), most, store.NumberArgs(pairs), store.NumberArgs(pairs), doc).Scan(&found).Error
	return found, err
}
