package rulesql

import (
	"yalvo/internal/design/plan"
	"yalvo/internal/engine/store"
)

// Allowed tells of documents of a collection, by their keys, which a filter lets through: one statement,
// however many they are. Those that are not there are not let through. Key: documents (collection, key).
func Allowed(tx *store.Tx, c *plan.Collection, keys []string, filter Filter) (map[string]bool, error) {
	only := filter.Clauses()
	rows, err := tx.DB.Raw(only.With.SQL+`
		SELECT d.key
		FROM unnest(?::text[]) AS e (key) JOIN documents d ON d.collection = ? AND d.key = e.key`+only.Joins+`
		WHERE `+only.Is.SQL, only.Args([]any{store.Texts(keys), c.Number}, nil)...).Rows()
	if err != nil {
		return nil, err
	}
	defer rows.Close()
	allowed := make(map[string]bool, len(keys))
	var key string
	for rows.Next() {
		if err := rows.Scan(&key); err != nil {
			return nil, err
		}
		allowed[key] = true
	}
	return allowed, rows.Err()
}
