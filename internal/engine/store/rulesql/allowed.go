package rulesql

import (
	"yalvo/internal/design/plan"
	"yalvo/internal/engine/store"
)

// Allowed tells of documents of a collection, by their keys, which a filter lets through: one statement,
// however many they are. Those that are not there are not let through. Key: documents (collection, key).
func Allowed(tx *store.Tx, c *plan.Collection, keys []string, filter Filter) (map[string]bool, error) {
	only := filter.Clauses()
	var found []string
	err := tx.DB.Raw(only.With.SQL+`
		SELECT d.key
		FROM unnest(?::text[]) AS e (key) JOIN documents d ON d.collection = ? AND d.key = e.key`+only.Joins+`
		WHERE `+only.Is.SQL, only.Args([]any{store.Texts(keys), c.Number}, nil)...).Scan(&found).Error
	allowed := make(map[string]bool, len(found))
	for _, key := range found {
		allowed[key] = true
	}
	return allowed, err
}
