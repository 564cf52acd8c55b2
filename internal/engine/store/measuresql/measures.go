package measuresql

import (
	"time"

	"yalvo/internal/design/plan"
	"yalvo/internal/engine/store"
)

// Many is how many have so many of something.
type Many struct {
	Each  int64 // so many
	Count int64 // have them
}

// Documents is how many documents of a collection there are. Key: documents (collection, key).
func Documents(tx *store.Tx, c *plan.Collection) (many int64, err error) {
	return many, tx.DB.Raw("SELECT count(*) FROM documents WHERE collection = ?", c.Number).Scan(&many).Error
}

// OfPairs is how many pairs of a kind those have that have any, at their from end or at their to end.
// Keys: pairs (kind, b, a), pairs_from.
func OfPairs(tx *store.Tx, p *plan.Pair, from bool) (all []Many, err error) {
	end := "b"
	if from {
		end = "a"
	}
	return all, tx.DB.Raw(`
		SELECT each, count(*) AS count
		FROM (SELECT count(*) AS each FROM pairs WHERE kind = ? GROUP BY `+end+`) x
		GROUP BY each ORDER BY each`, p.Number).Scan(&all).Error
}

// OfReference is how many documents point by a reference at those at which any do. Key: refs_pointing.
func OfReference(tx *store.Tx, r *plan.Reference) (all []Many, err error) {
	return all, tx.DB.Raw(`
		SELECT each, count(*) AS count
		FROM (SELECT count(*) AS each FROM refs WHERE reference = ? GROUP BY target) x
		GROUP BY each ORDER BY each`, r.Number).Scan(&all).Error
}

// OfTimeline is how many entries those have written out who have any. Key: entries (timeline, owner, ...).
func OfTimeline(tx *store.Tx, t *plan.Timeline) (all []Many, err error) {
	return all, tx.DB.Raw(`
		SELECT each, count(*) AS count
		FROM (SELECT count(*) AS each FROM entries WHERE timeline = ? GROUP BY owner) x
		GROUP BY each ORDER BY each`, t.Number).Scan(&all).Error
}

// OfNested is how many documents of a collection lie under those under which any do. Key: documents_nested.
func OfNested(tx *store.Tx, c *plan.Collection) (all []Many, err error) {
	return all, tx.DB.Raw(`
		SELECT each, count(*) AS count
		FROM (SELECT count(*) AS each FROM documents WHERE collection = ? AND parent IS NOT NULL GROUP BY parent) x
		GROUP BY each ORDER BY each`, c.Number).Scan(&all).Error
}

// Done is how often a kind of change was asked for: of a collection or a pair; of edits by what they changed.
type Done struct {
	Kind, Of, Fields string
	Times            int64
}

// DoneSince is what was done since a moment, and when the journal begins if that is later. What upkeep and triggers did
// is not among it. It reads the journal from its end.
func DoneSince(tx *store.Tx, since time.Time) (all []Done, from time.Time, err error) {
	err = tx.DB.Raw("SELECT greatest(coalesce(min(at), now()), ?::timestamptz) FROM journal", since).Scan(&from).Error
	if err != nil {
		return nil, from, err
	}
	return all, from, tx.DB.Raw(`
		SELECT kind, coalesce((regexp_match(subject, '([^/]+)/[^/]+$'))[1], subject) AS of,
			CASE WHEN kind = 'changed' THEN detail ELSE '' END AS fields, count(*) AS times
		FROM journal WHERE at >= ? AND cause IS NULL
		GROUP BY 1, 2, 3 ORDER BY 1, 2, 3`, from).Scan(&all).Error
}

// Hours is how often something was asked for in each hour of the day since a moment, in UTC.
func Hours(tx *store.Tx, since time.Time) (hours [24]float64, err error) {
	var rows []struct {
		Hour  int
		Times float64
	}
	err = tx.DB.Raw(`
		SELECT extract(hour FROM at AT TIME ZONE 'UTC')::int AS hour, count(*) AS times
		FROM journal WHERE at >= ? AND cause IS NULL GROUP BY 1`, since).Scan(&rows).Error
	for _, r := range rows {
		hours[r.Hour] = r.Times
	}
	return hours, err
}

// Size is how many bytes a value takes on average where it is, and the part of documents that have it.
type Size struct {
	Name  string
	Bytes float64
	Part  float64
}

// sampled is how many documents of a collection are looked at for sizes.
const sampled = 5000

// Sizes are those of the facts of a collection, of the newest documents. Key: documents (n).
func Sizes(tx *store.Tx, c *plan.Collection) (all []Size, err error) {
	return all, tx.DB.Raw(`
		WITH newest AS (SELECT fields FROM documents WHERE collection = ? ORDER BY n DESC LIMIT ?)
		SELECT f.key AS name, avg(octet_length(f.value::text)) AS bytes,
			count(*)::float / (SELECT count(*) FROM newest) AS part
		FROM newest CROSS JOIN LATERAL jsonb_each(fields) f
		GROUP BY 1 ORDER BY 1`, c.Number, sampled).Scan(&all).Error
}
