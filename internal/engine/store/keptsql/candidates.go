package keptsql

import (
	"encoding/json"

	"yalvo/internal/design/plan"
	"yalvo/internal/engine/store"
)

// Candidate is a source of a latest or a gather, with all that a rule may ask of it.
type Candidate struct {
	store.Document
	Target     int64
	PairFields json.RawMessage // of pairs: their own
	To         int64           // the row that a reference leads to, 0: nowhere
	ToKey      string
}

// Candidates are the newest sources of a latest or a gather of some documents, newest first, after having
// passed over some, with where a reference of theirs leads, 0: none is asked for. Keys: contributions_to,
// documents (n), kept (doc), pairs (kind, b, a), refs (source, reference).
func Candidates(tx *store.Tx, s *plan.Summary, by plan.Number, targets []int64, skip, many int) ([]Candidate, error) {
	fields, join, args := "NULL::jsonb", "", []any{}
	if s.Pair != nil {
		a, b := "x.source", "t.target"
		if s.Side == "from" {
			a, b = b, a
		}
		fields, join = store.StoredFields(s.Pair), "JOIN pairs p ON p.kind = ? AND p.b = "+b+" AND p.a = "+a
		args = append(args, s.Pair.Number)
	}
	var found []Candidate
	err := tx.DB.Raw(`
		SELECT t.target, `+fields+` AS pair_fields, coalesce(led.n, 0) AS "to",
			coalesce(led.key, '') AS to_key, `+store.DocumentColumns+`
		FROM unnest(?::bigint[]) AS t (target)
		CROSS JOIN LATERAL (
			SELECT source, value FROM contributions
			WHERE summary = ? AND target = t.target
			ORDER BY value DESC, source DESC
			OFFSET ? LIMIT ?
		) x
		JOIN documents d ON d.n = x.source
		LEFT JOIN kept k ON k.doc = x.source
		LEFT JOIN refs r ON r.source = x.source AND r.reference = ?
		LEFT JOIN documents led ON led.n = r.target `+join+`
		ORDER BY t.target, x.value DESC, x.source DESC`,
		append([]any{store.Bigints(targets), s.Number, skip, many, by}, args...)...).Scan(&found).Error
	for i := range found {
		found[i].Upcast(s.Sources)
		if s.Pair != nil {
			found[i].PairFields = store.UpcastFields(s.Pair, found[i].PairFields)
		}
	}
	return found, err
}
