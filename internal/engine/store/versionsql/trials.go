package versionsql

import (
	"yalvo/internal/design/plan"
	"yalvo/internal/engine/store"
)

// ReadSpan reads the documents of a collection in a span as they are stored.
func ReadSpan(tx *store.Tx, c *plan.Collection, s store.Span) ([]store.Document, error) {
	var found []store.Document
	err := tx.DB.Raw("SELECT n, key, created, fields FROM documents WHERE n > ? AND n <= ? AND collection = ?", s.After,
		s.UpTo, c.Number).Scan(&found).Error
	return found, err
}

// NamedPair is a pair as it is stored, with the keys of its ends.
type NamedPair struct {
	PairRow
	AKey, BKey string
}

// ReadPairs reads the next pairs of a kind after one. Key: pairs (kind, b, a).
func ReadPairs(tx *store.Tx, p *plan.Pair, b, a int64, limit int) ([]NamedPair, error) {
	var found []NamedPair
	err := tx.DB.Raw(`
		SELECT p.b, p.a, p.at, coalesce(p.fields, '{}') AS fields, coalesce(f.key, '') AS a_key,
			coalesce(t.key, '') AS b_key
		FROM (SELECT * FROM pairs WHERE kind = ? AND (b, a) > (?::bigint, ?::bigint) ORDER BY b, a LIMIT ?) p
		LEFT JOIN documents f ON f.n = p.a LEFT JOIN documents t ON t.n = p.b
		ORDER BY p.b, p.a`, p.Number, b, a, limit).Scan(&found).Error
	return found, err
}

// PairedAlone are the keys of documents that are paired with themselves, up to limit,
// and how many there are. Key: pairs (kind, b, a).
func PairedAlone(tx *store.Tx, p *plan.Pair, limit int) ([]string, int64, error) {
	var many int64
	if err := tx.DB.Raw("SELECT count(*) FROM pairs WHERE kind = ? AND a = b", p.Number).Scan(&many).Error; err != nil {
		return nil, 0, err
	}
	var keys []string
	err := tx.DB.Raw(`
		SELECT d.key FROM pairs p JOIN documents d ON d.n = p.b
		WHERE p.kind = ? AND p.a = p.b ORDER BY p.b LIMIT ?`, p.Number, limit).Scan(&keys).Error
	return keys, many, err
}

// EstimateEntries is about how many entries a kind of timeline would have: as many
// as there are follows, each with what an author has posted on average, and no more
// than the owners' timelines hold.
func EstimateEntries(tx *store.Tx, through, entries, owner plan.Number, length int) (int64, error) {
	var many int64
	err := tx.DB.Raw(`
		SELECT least(f.many * p.many / greatest(o.many, 1), o.many * ?::bigint)
		FROM (SELECT count(*) AS many FROM pairs WHERE kind = ?) f,
		     (SELECT count(*) AS many FROM documents WHERE collection = ?) p,
		     (SELECT count(*) AS many FROM documents WHERE collection = ?) o`, length, through, entries,
		owner).Scan(&many).Error
	return many, err
}

// TryEntries writes entries of no timeline, to be undone: to see how long it takes.
func TryEntries(tx *store.Tx, many int) error {
	return tx.DB.Exec(`
		INSERT INTO entries (timeline, owner, rank, doc, author)
		SELECT ?::smallint, i / 50, i, i, i % 300 FROM generate_series(1, ?::int) i
		ORDER BY 2, 3`, store.FirstOfNothing, many).Error
}
