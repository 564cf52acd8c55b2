package timelinesql

import (
	"context"
	"errors"
	"time"

	"yalvo/internal/design/plan"
	"yalvo/internal/engine/store"
	"yalvo/internal/engine/store/factsql"
	"yalvo/internal/engine/store/readsql"

	"github.com/jackc/pgx/v5"
)

// Entry is what an entry shows: its document as it is now.
type Entry struct {
	Doc int64
	readsql.Versions
	Seen    readsql.Since // all that was written before it is in here
	Key     string
	Version int64
	Created time.Time
	Updated time.Time
	Shape   int // the form of the fields
	Fields  []byte
	Kept    []byte
	Quiet   store.Quiet
}

// Stored is the document that the entry shows.
func (e Entry) Stored() store.Document {
	return store.Document{
		N:       e.Doc,
		Key:     e.Key,
		Version: e.Version,
		Created: e.Created,
		Updated: e.Updated,
		Shape:   e.Shape,
		Fields:  e.Fields,
		Kept:    e.Kept,
		Quiet:   e.Quiet,
	}
}

// Shown are the documents of entries, as far as they exist, in the order they are
// asked for: up to [store.PageBytes] of them; all tells whether that was all.
// Keys: documents (n), kept (doc).
func Shown(ctx context.Context, s *store.Store, docs []int64) (found []Entry, all bool, err error) {
	query := store.SQL(`
		SELECT (SELECT `+store.ThisMoment+`), coalesce((SELECT `+store.EpochNow+` FROM rewritten_since), 0),
			d.n, d.xmin, k.xmin,
			d.key, d.version, d.created, d.updated, coalesce(d.shape, 0), d.fields, coalesce(k.values, '{}'),
			d.quiet
		FROM unnest(?::bigint[]) WITH ORDINALITY AS e (doc, nth)
		JOIN documents d ON d.n = e.doc LEFT JOIN kept k ON k.doc = d.n
		ORDER BY e.nth`, store.Bigints(docs).Text())
	found = make([]Entry, 0, len(docs))
	bytes := 0
	err = s.Visit(ctx, query, func(row pgx.Rows) error {
		if bytes >= store.PageBytes {
			return store.ErrEnough
		}
		var e Entry
		err := row.Scan(&e.Seen.Xid, &e.Seen.Epoch, &e.Doc, &e.Document, &e.Versions.Kept,
			&e.Key, &e.Version, &e.Created, &e.Updated, &e.Shape,
			&e.Fields, &e.Kept, &e.Quiet)
		found = append(found, e)
		bytes += len(e.Fields) + len(e.Kept)
		return err
	})
	if errors.Is(err, store.ErrEnough) {
		return found, false, nil
	}
	return found, true, err
}

// page is the FROM item for a page of an owner's timeline: what is stored and,
// unless everything is pushed, what is collected from authors at this moment.
// An entry that is both counts once.
// Keys: entries, delivery_modes, pairs, pairs_from, posted.
func page(t *plan.Timeline, owner factsql.Owner, after store.Boundary, limit int) store.Statement {
	stored := store.SQL(`
		(SELECT rank, doc, author FROM `+owner.Entries()+`
		WHERE timeline = ? AND owner = ? AND (rank, doc) < (?::bigint, ?::bigint)
		ORDER BY rank DESC, doc DESC
		LIMIT ?)`, t.Number, owner.N, after.Rank, after.N, limit)
	if t.Deliver == "push" {
		return stored
	}
	if t.Deliver == "pull" { // nothing is stored; if something is, an audit finds it
		stored = store.SQL("(SELECT 0::bigint AS rank, 0::bigint AS doc, 0::bigint AS author WHERE false)")
	}
	from := collectedFrom(t, owner.N)
	return store.SQL(`
		(WITH author AS (`+from.SQL+`)
		`+stored.SQL+`
		UNION
		(SELECT x.rank, x.doc, author.n
		FROM author CROSS JOIN LATERAL (
			SELECT rank, doc FROM posted
			WHERE timeline = ? AND posted.author = author.n AND (rank, doc) < (?::bigint, ?::bigint)
			ORDER BY rank DESC, doc DESC
			LIMIT ?
		) x
		ORDER BY x.rank DESC, x.doc DESC
		LIMIT ?)
		ORDER BY rank DESC, doc DESC
		LIMIT ?)`, append(append(from.Args, stored.Args...), t.Number, after.Rank, after.N, limit, limit, limit)...)
}

// collectedFrom are the authors whose entries an owner's timeline collects when it is read.
func collectedFrom(t *plan.Timeline, owner int64) store.Statement {
	may := related(t, "who.owner", "who.author")
	if t.Deliver == "pull" {
		args := append([]any{t.Through.Number, owner}, may.Args...)
		return store.SQL(`
			SELECT who.author AS n FROM (SELECT a AS owner, b AS author FROM pairs
					WHERE kind = ? AND a = ? AND `+store.Walked("")+`) who
				WHERE `+may.SQL+`
			UNION
			SELECT w.n FROM (SELECT ?::bigint AS n) w WHERE ?`, append(args, owner, t.Own)...)
	}
	return store.SQL(`
		SELECT who.author AS n FROM (SELECT ?::bigint AS owner, author FROM delivery_modes WHERE timeline = ?) who
			WHERE `+may.SQL, append([]any{owner, t.Number}, may.Args...)...)
}
