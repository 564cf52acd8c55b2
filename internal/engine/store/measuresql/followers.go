package measuresql

import (
	"yalvo/internal/design/plan"
	"yalvo/internal/engine/store"
)

// Contributing is how many sources a summary is made of. Key: contributions (summary, target, source).
func Contributing(tx *store.Tx, s *plan.Summary) (many float64, err error) {
	return many, tx.DB.Raw("SELECT count(*) FROM contributions WHERE summary = ?", s.Number).Scan(&many).Error
}

// Pairs is how many pairs of a kind there are. Key: pairs (kind, b, a).
func Pairs(tx *store.Tx, p *plan.Pair) (many float64, err error) {
	return many, tx.DB.Raw("SELECT count(*) FROM pairs WHERE kind = ?", p.Number).Scan(&many).Error
}

// IDs is how long the ids of a collection are on average, of the newest documents. Key: documents (n).
func IDs(tx *store.Tx, c *plan.Collection) (bytes float64, err error) {
	return bytes, tx.DB.Raw(`
		SELECT coalesce(avg(length(regexp_replace(key, '^.*/', ''))), 0)
		FROM (SELECT key FROM documents WHERE collection = ? ORDER BY n DESC LIMIT ?) newest`, c.Number,
		sampled).Scan(&bytes).Error
}

// Met is how many followers there are: of an author on average, of one met by way of their followers, and of one met by
// way of what they have made.
type Met struct{ Mean, Biased, ByEntries float64 }

// Followers measures how many follow those who make something, of whom there are so many in all.
// Keys: pairs (kind, b, a), refs_pointing.
func Followers(tx *store.Tx, by *plan.Reference, through *plan.Pair, authors float64) (met Met, err error) {
	if authors == 0 {
		return met, nil
	}
	return met, tx.DB.Raw(`
		SELECT coalesce(sum(f), 0) / ?::float8 AS mean,
			coalesce(sum(f * f) / nullif(sum(f), 0), 0)::float8 AS biased,
			coalesce(sum(f * m) / nullif(sum(m), 0), 0)::float8 AS by_entries
		FROM (
			SELECT coalesce(a.many, 0)::float8 AS f, coalesce(e.many, 0)::float8 AS m
			FROM (SELECT b AS author, count(*) AS many FROM pairs WHERE kind = ? GROUP BY b) a
			FULL JOIN (SELECT target AS author, count(*) AS many FROM refs WHERE reference = ? GROUP BY target) e
				USING (author)
		) x`, authors, through.Number, by.Number).Scan(&met).Error
}
