package timelinesql

import (
	"context"

	"yalvo/internal/design/plan"
	"yalvo/internal/engine/store"
	"yalvo/internal/engine/store/factsql"
)

// Watched is a page that somebody looks at all the time.
type Watched struct {
	Timeline *plan.Timeline
	Owner    factsql.Owner
	After    store.Boundary
	Limit    int
}

// Moment stands for what has been committed: as long as it is the same, nothing
// was.
func Moment(ctx context.Context, s *store.Store) (string, error) {
	var moment string
	err := s.UpkeepDB.WithContext(ctx).Raw("SELECT pg_current_snapshot()::text").Scan(&moment).Error
	return moment, err
}

// signature is a number that changes with what it is made of: the entries, and
// when the rows of their documents and kept values were last written.
const signature = "coalesce(sum(hashtextextended(e.doc || " + rowsWritten + ", e.rank)), 0)::text"

const rowsWritten = `' ' || coalesce(d.xmin::text, '') || ' ' || coalesce(k.xmin::text, '')`

// Signatures are those of pages of timelines that are pushed. When an entry itself was written
// counts too: one that went and came back is another, as what was read in between may have
// been shown.
// Keys: entries (timeline, owner, rank, doc), documents (n), kept (doc).
func Signatures(ctx context.Context, s *store.Store, pages []Watched) ([]string, error) {
	n := len(pages)
	timelines, owners, ranks, docs, limits := make(store.Bigints, n), make(store.Bigints, n), make(store.Bigints, n),
		make(store.Bigints, n),
		make(store.Bigints, n)
	for i, p := range pages {
		timelines[i], owners[i], limits[i] = int64(p.Timeline.Number), p.Owner.N, int64(p.Limit)
		ranks[i], docs[i] = p.After.Rank, p.After.N
	}
	var all []string
	err := s.UpkeepDB.WithContext(ctx).Raw(`
		SELECT (
			SELECT coalesce(sum(hashtextextended(e.written || ' ' || e.doc || `+rowsWritten+`, e.rank)), 0)::text
			FROM (
				SELECT rank, doc, xmin::text AS written FROM entries
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
// Keys: as of [Places].
func Signature(ctx context.Context, s *store.Store, p Watched) (string, error) {
	from := page(p.Timeline, p.Owner, p.After, p.Limit)
	var one string
	err := s.UpkeepDB.WithContext(ctx).Raw(`
		SELECT `+signature+`
		FROM `+from.SQL+` e
		LEFT JOIN documents d ON d.n = e.doc
		LEFT JOIN kept k ON k.doc = e.doc`, from.Args...).Scan(&one).Error
	return one, err
}

// DocumentSignatures are those of single documents. Keys: documents (collection, key), kept
// (doc).
func DocumentSignatures(ctx context.Context, s *store.Store, at []store.Address) ([]string, error) {
	collections, keys := make(store.Bigints, len(at)), make(store.Texts, len(at))
	for i, a := range at {
		collections[i], keys[i] = int64(a.Collection), a.Key
	}
	var all []string
	err := s.UpkeepDB.WithContext(ctx).Raw(`
		SELECT coalesce(d.n || ' ' || d.xmin || ' ' || coalesce(k.xmin::text, ''), 'gone')
		FROM unnest(?::smallint[], ?::text[]) WITH ORDINALITY AS w (collection, key, nth)
		LEFT JOIN documents d ON d.collection = w.collection AND d.key = w.key
		LEFT JOIN kept k ON k.doc = d.n
		ORDER BY w.nth`, collections, keys).Scan(&all).Error
	return all, err
}

// RowSignatures are those of some documents together, for each of several who are shown
// such. Keys: documents (n), kept (doc).
func RowSignatures(ctx context.Context, s *store.Store, shown [][]int64) ([]string, error) {
	var nth, docs store.Bigints
	for i, rows := range shown {
		for _, n := range rows {
			nth, docs = append(nth, int64(i)), append(docs, n)
		}
	}
	all := make([]string, len(shown))
	var rows []struct {
		Nth       int
		Signature string
	}
	err := s.UpkeepDB.WithContext(ctx).Raw(`
		SELECT w.nth, sum(hashtextextended(coalesce(d.xmin::text, '') || ' ' || coalesce(k.xmin::text, ''), w.n))::text
			AS signature
		FROM unnest(?::bigint[], ?::bigint[]) AS w (nth, n)
		LEFT JOIN documents d ON d.n = w.n
		LEFT JOIN kept k ON k.doc = w.n
		GROUP BY w.nth`, nth, docs).Scan(&rows).Error
	for _, r := range rows {
		all[r.Nth] = r.Signature
	}
	return all, err
}
