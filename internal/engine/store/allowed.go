package store

import "yalvo/internal/design/plan"

// Allowed tells of documents of a collection, by their keys, which a filter lets through: one statement,
// however many they are. Those that are not there are not let through. Key: documents (collection, key).
func (tx *Tx) Allowed(c *plan.Collection, keys []string, filter Filter) (map[string]bool, error) {
	only := filter.clauses()
	rows, err := tx.db.Raw(only.with.sql+`
		SELECT d.key
		FROM unnest(?::text[]) AS e (key) JOIN documents d ON d.collection = ? AND d.key = e.key`+only.joins+`
		WHERE `+only.is.sql, only.args([]any{texts(keys), c.Number}, nil)...).Rows()
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
