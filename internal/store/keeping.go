package store

import (
	"encoding/json"
	"slices"

	"yalvo/internal/plan"
)

// AddCounts adds deltas to kept counts: per document, per count. Documents
// that are gone are passed over. The rows are locked in ascending order first,
// so that two workers never wait for each other in a circle. Key: kept (doc).
func (tx *Tx) AddCounts(deltas map[int64]map[string]int64) error {
	var docs bigints
	for doc := range deltas {
		docs = append(docs, doc)
	}
	slices.Sort(docs)
	amounts := make(texts, len(docs))
	for i, doc := range docs {
		text, err := json.Marshal(deltas[doc])
		if err != nil {
			return err
		}
		amounts[i] = string(text)
	}
	if err := tx.lockKept(docs); err != nil {
		return err
	}
	return tx.db.Exec(`
		UPDATE kept k SET "values" = k.values || (
			SELECT jsonb_object_agg(n.name, coalesce((k.values ->> n.name)::bigint, 0) + n.amount::bigint)
			FROM jsonb_each_text(d.amounts) AS n (name, amount))
		FROM unnest(?::bigint[], ?::jsonb[]) AS d (doc, amounts)
		WHERE k.doc = d.doc`, docs, amounts).Error
}

// Recopy brings the fields of the documents that sources now point at into
// their kept copies. The kept rows are locked before the facts are looked at:
// whoever writes a copy last has seen the newest facts.
// Keys: kept (doc), refs (source, reference), documents (n).
func (tx *Tx) Recopy(c *plan.Copy, sources []int64) (int64, error) {
	if err := tx.lockKept(sources); err != nil {
		return 0, err
	}
	got := tx.db.Exec(`
		UPDATE kept k SET "values" = jsonb_set(k.values, ARRAY[?::text], card.fields)
		FROM (
			SELECT s.source, coalesce((
				SELECT jsonb_object_agg(f.key, f.value)
				FROM refs r JOIN documents d ON d.n = r.target CROSS JOIN LATERAL jsonb_each(d.fields) f
				WHERE r.source = s.source AND r.reference = ? AND f.key = ANY(?::text[])
			), CASE WHEN EXISTS (
				SELECT 1 FROM refs r JOIN documents d ON d.n = r.target WHERE r.source = s.source AND r.reference = ?
			) THEN '{}' ELSE 'null' END::jsonb) AS fields
			FROM unnest(?::bigint[]) AS s (source)
		) card
		WHERE k.doc = card.source AND k.values -> ?::text IS DISTINCT FROM card.fields`,
		c.Name, c.Via.Number, texts(c.Copied()), c.Via.Number, bigints(sources), c.Name)
	return got.RowsAffected, got.Error
}

func (tx *Tx) lockKept(docs bigints) error {
	return tx.db.Exec("SELECT 1 FROM kept WHERE doc = ANY(?::bigint[]) ORDER BY doc FOR UPDATE", docs).Error
}
