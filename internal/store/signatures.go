package store

import (
	"context"

	"yalvo/internal/plan"
)

// Watched is a page that somebody looks at all the time.
type Watched struct {
	Timeline *plan.Timeline
	Owner    Owner
	After    Boundary
	Limit    int
}

// Moment stands for what has been committed: as long as it is the same, nothing
// was.
func (s *Store) Moment(ctx context.Context) (string, error) {
	var moment string
	err := s.upkeep.WithContext(ctx).Raw("SELECT pg_current_snapshot()::text").Scan(&moment).Error
	return moment, err
}

// signature is a number that changes with what it is made of: the entries, and
// when the rows of their documents and kept values were last written.
const signature = `coalesce(sum(hashtextextended(e.doc || ' ' || coalesce(d.xmin::text,
	'') || ' ' || coalesce(k.xmin::text, ''), e.rank)), 0)::text`

// Signatures are those of pages of timelines that are pushed.
// Keys: entries (timeline, owner, rank, doc), documents (n), kept (doc).
func (s *Store) Signatures(ctx context.Context, pages []Watched) ([]string, error) {
	n := len(pages)
	timelines, owners, ranks, docs, limits := make(bigints, n), make(bigints, n), make(bigints, n), make(bigints, n),
		make(bigints, n)
	for i, p := range pages {
		timelines[i], owners[i], limits[i] = int64(p.Timeline.Number), p.Owner.N, int64(p.Limit)
		ranks[i], docs[i] = p.After.Rank, p.After.N
	}
	var all []string
	err := s.upkeep.WithContext(ctx).Raw(`
		SELECT (
			SELECT `+signature+`
			FROM (
				SELECT rank, doc FROM entries
				WHERE timeline = w.timeline AND owner = w.owner AND (rank, doc) < (w.rank, w.doc)
				ORDER BY rank DESC, doc DESC
				LIMIT w.many
			) e
			LEFT JOIN documents d ON d.n = e.doc
			LEFT JOIN kept k ON k.doc = e.doc
		)
		FROM unnest(?::smallint[], ?::bigint[], ?::bigint[], ?::bigint[], ?::bigint[])
			WITH ORDINALITY AS w (timeline, owner, rank, doc, many, nth)
		ORDER BY w.nth`, timelines, owners, ranks, docs, limits).Scan(&all).Error
	return all, err
}

// Signature is that of one page, of a timeline that is delivered in any way.
// Keys: as of [Store.Entries].
func (s *Store) Signature(ctx context.Context, p Watched) (string, error) {
	from := page(p.Timeline, p.Owner, p.After, p.Limit)
	var one string
	err := s.upkeep.WithContext(ctx).Raw(`
		SELECT `+signature+`
		FROM `+from.sql+` e
		LEFT JOIN documents d ON d.n = e.doc
		LEFT JOIN kept k ON k.doc = e.doc`, from.args...).Scan(&one).Error
	return one, err
}
