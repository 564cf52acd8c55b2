package store

import "yalvo/internal/plan"

// Relation is an owner and an author whose pair was set or unset.
type Relation struct {
	Owner  int64
	Author int64
	Many   int // how many entries a follow would bring in
}

// relationRows is the FROM item for relations, for the columns r.
const relationRows = `unnest(?::bigint[], ?::bigint[]) AS r (owner, author)`

func relationArgs(relations []Relation) []any {
	owners, authors := make(bigints, len(relations)), make(bigints, len(relations))
	for i, r := range relations {
		owners[i], authors[i] = r.Owner, r.Author
	}
	return []any{owners, authors}
}

// Weigh counts the entries that each relation would bring in. Key: posted.
func (tx *Tx) Weigh(t *plan.Timeline, relations []Relation) error {
	authors := map[int64]int{}
	var distinct bigints
	for _, r := range relations {
		if _, seen := authors[r.Author]; !seen {
			authors[r.Author] = 0
			distinct = append(distinct, r.Author)
		}
	}
	var rows []struct {
		Author int64
		Many   int
	}
	err := tx.db.Raw(`
		SELECT w.author, n.many
		FROM unnest(?::bigint[]) AS w (author)
		CROSS JOIN LATERAL (SELECT count(*) AS many FROM (SELECT 1 FROM posted WHERE timeline = ? AND author = w.author LIMIT ?) p) n`,
		distinct, t.Number, t.Length).Scan(&rows).Error
	for _, r := range rows {
		authors[r.Author] = r.Many
	}
	for i := range relations {
		relations[i].Many = authors[relations[i].Author]
	}
	return err
}

// LockFloors keeps the cuts of owners' timelines as they are until the
// transaction ends.
func (tx *Tx) LockFloors(timeline plan.Number, relations []Relation) error {
	return tx.db.Exec(`
		SELECT 1 FROM floors f
		WHERE f.timeline = ? AND f.owner = ANY(?::bigint[])
		ORDER BY f.owner
		FOR UPDATE`, timeline, relationArgs(relations)[0]).Error
}

// TakeOut removes the authors' entries from the timelines of owners who, as
// the facts stand, have no pair with them. An owner's entries are few, so they
// are all looked at: that finds entries of posts that are gone as well.
// Key: entries (timeline, owner, ...).
func (tx *Tx) TakeOut(t *plan.Timeline, relations []Relation) (int64, []Shortened, error) {
	args := append(relationArgs(relations), t.Number, t.Through.Number, t.Own)
	return tx.remove(`
		DELETE FROM entries e
		USING `+relationRows+`
		WHERE e.timeline = ? AND e.owner = r.owner AND e.author = r.author
		  AND NOT EXISTS (SELECT 1 FROM pairs p WHERE p.kind = ? AND p.b = r.author AND p.a = r.owner)
		  AND NOT (? AND r.owner = r.author)`, args...)
}

// BringIn adds the authors' newest entries to the timelines of owners who, as
// the facts stand, have a pair with them; in a timeline that was cut, only
// those above the cut. The floors must be locked.
// Keys: pairs (kind, b, a), posted.
func (tx *Tx) BringIn(t *plan.Timeline, relations []Relation) (int64, error) {
	insert := `
		INSERT INTO entries (timeline, owner, rank, doc, author)
		SELECT ?::smallint, r.owner, x.rank, x.doc, r.author
		FROM ` + relationRows + `
		JOIN pairs p ON p.kind = ? AND p.b = r.author AND p.a = r.owner
		CROSS JOIN LATERAL (
			SELECT rank, doc FROM posted
			WHERE timeline = ? AND author = r.author
			ORDER BY rank DESC, doc DESC
			LIMIT ?
		) x
		LEFT JOIN floors f ON f.timeline = ? AND f.owner = r.owner
		WHERE f.owner IS NULL OR (x.rank, x.doc) > (f.rank, f.doc)`
	args := append([]any{t.Number}, relationArgs(relations)...)
	args = append(args, t.Through.Number, t.Number, t.Length, t.Number)
	return tx.insertPlainly(insert, insert+" ON CONFLICT DO NOTHING", args...)
}

// CutAtLength raises the floors of owners whose new author has posted more
// than the timeline holds: what lies below was not brought in.
func (tx *Tx) CutAtLength(t *plan.Timeline, relations []Relation) error {
	args := append([]any{t.Number}, relationArgs(relations)...)
	args = append(args, t.Through.Number, t.Number, t.Length)
	return tx.db.Exec(`
		INSERT INTO floors (timeline, owner, rank, doc, spare)
		SELECT DISTINCT ON (r.owner) ?::smallint, r.owner, x.rank, x.doc, 0
		FROM `+relationRows+`
		JOIN pairs p ON p.kind = ? AND p.b = r.author AND p.a = r.owner
		CROSS JOIN LATERAL (
			SELECT rank, doc FROM posted
			WHERE timeline = ? AND author = r.author
			ORDER BY rank DESC, doc DESC
			OFFSET ? LIMIT 1
		) x
		ORDER BY r.owner, x.rank DESC, x.doc DESC
		ON CONFLICT (timeline, owner) DO UPDATE SET rank = excluded.rank, doc = excluded.doc, spare = 0
		WHERE (excluded.rank, excluded.doc) > (floors.rank, floors.doc)`, args...).Error
}
