package keptsql

import (
	"encoding/json"
	"slices"

	"yalvo/internal/design/plan"
	"yalvo/internal/engine/store"
)

// Delta is what is done with a kept number.
type Delta struct {
	How string      // one of those below
	By  json.Number // decimal
}

// Ways to change a kept number.
const (
	Add     = "add"     // the amount is added
	AtLeast = "atleast" // the number becomes the greater of the two
	AtMost  = "atmost"  // the number becomes the lesser of the two
)

// MarshalJSON writes how and how much, for the statement.
func (d Delta) MarshalJSON() ([]byte, error) { return json.Marshal([]any{d.How, d.By}) }

// Deltas are what is done with kept numbers, by document and name.
type Deltas map[int64]map[string]Delta

// ApplyDeltas changes kept numbers and returns the documents that were there;
// those that are gone are passed over. The rows are locked in ascending order
// first, so that two workers never wait for each other in a circle.
// Key: kept (doc).
func ApplyDeltas(tx *store.Tx, deltas Deltas) ([]int64, error) {
	if len(deltas) == 0 {
		return nil, nil
	}
	var docs store.Bigints
	for doc := range deltas {
		docs = append(docs, doc)
	}
	slices.Sort(docs)
	given := make(store.Texts, len(docs))
	for i, doc := range docs {
		text, err := json.Marshal(deltas[doc])
		if err != nil {
			return nil, err
		}
		given[i] = string(text)
	}
	if err := LockKept(tx, docs); err != nil {
		return nil, err
	}
	var there []int64
	err := tx.DB.Raw(`
		UPDATE kept k SET "values" = k.values || (
			SELECT jsonb_object_agg(n.name, trim_scale(CASE n.delta ->> 0
				WHEN 'atleast' THEN greatest((k.values ->> n.name)::numeric, (n.delta ->> 1)::numeric)
				WHEN 'atmost' THEN least((k.values ->> n.name)::numeric, (n.delta ->> 1)::numeric)
				ELSE coalesce((k.values ->> n.name)::numeric, 0) + (n.delta ->> 1)::numeric END))
			FROM jsonb_each(d.deltas) AS n (name, delta))
		FROM unnest(?::bigint[], ?::jsonb[]) AS d (doc, deltas)
		WHERE k.doc = d.doc
		RETURNING k.doc`, docs, given).Scan(&there).Error
	return there, err
}

// Recopy brings the values of the documents that sources now point at into
// their kept copies and returns the sources whose copy differed. The kept rows
// must be locked, so that whoever writes a copy last has seen the newest facts.
func Recopy(tx *store.Tx, c *plan.Copy, sources []int64) ([]int64, error) {
	card := CardStatement(c, "s.source")
	args := append([]any{c.Name}, card.Args...)
	var differed []int64
	err := tx.DB.Raw(`
		UPDATE kept k SET "values" = jsonb_set(k.values, ARRAY[?::text], card.value)
		FROM (
			SELECT s.source, `+card.SQL+` AS value
			FROM unnest(?::bigint[]) AS s (source)
		) card
		WHERE k.doc = card.source AND k.values -> ?::text IS DISTINCT FROM card.value
		RETURNING k.doc`, append(args, store.Bigints(sources), c.Name)...).Scan(&differed).Error
	return differed, err
}

// SetKept writes one kept value of several documents, whose rows are locked,
// and returns those in which it differed. Key: kept (doc).
func SetKept(tx *store.Tx, name string, values map[int64]json.RawMessage) ([]int64, error) {
	var docs store.Bigints
	for doc := range values {
		docs = append(docs, doc)
	}
	slices.Sort(docs)
	given := make(store.Texts, len(docs))
	for i, doc := range docs {
		given[i] = string(values[doc])
	}
	var differed []int64
	err := tx.DB.Raw(`
		UPDATE kept k SET "values" = jsonb_set(k.values, ARRAY[?::text], new.value)
		FROM unnest(?::bigint[], ?::jsonb[]) AS new (doc, value)
		WHERE k.doc = new.doc AND k.values -> ?::text IS DISTINCT FROM new.value
		RETURNING k.doc`, name, docs, given, name).Scan(&differed).Error
	return differed, err
}

// LockKept keeps the kept values of documents as they are until the
// transaction ends, in ascending order.
func LockKept(tx *store.Tx, docs []int64) error {
	return tx.DB.Exec("SELECT 1 FROM kept WHERE doc = ANY(?::bigint[]) ORDER BY doc FOR UPDATE",
		store.Bigints(docs)).Error
}
