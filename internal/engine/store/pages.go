package store

import (
	"context"
	"encoding/json"
	"errors"
	"math"
	"time"

	"yalvo/internal/design/plan"

	"github.com/jackc/pgx/v5"
	"gorm.io/gorm"
)

// Boundary is where a page begins: just after an element of the one before it.
// Which members count depends on the page's order.
type Boundary struct {
	Key    string // pages by key
	Rank   int64  // pages newest first: microseconds since 1970
	Values string // lists: what they are ordered by, see [Listed]
	N      int64  // among equals
}

// FromTheTop is the place before everything else in a page that is newest first.
var FromTheTop = Boundary{Rank: math.MaxInt64, N: math.MaxInt64}

// Documents is a page of a collection by key, at a parent if it is nested
// (0: under any), of the keys that begin with a prefix.
// Indexes: documents (collection, key), documents_nested.
func (s *Store) Documents(ctx context.Context, collection plan.Number, parent int64, prefix, after string,
	filter Filter, limit int) ([]Document, error) {
	where, args := "d.collection = ? AND d.key > ? AND d.key >= ? AND d.key < ?",
		[]any{collection, after, prefix, prefix + "\x7f"}
	if parent != 0 {
		where, args = "d.parent = ? AND "+where, append([]any{parent}, args...)
	}
	only := filter.clauses()
	return rowsOf(s.db.WithContext(ctx).Raw(only.with.sql+`
		SELECT `+documentColumns+`
		FROM documents d LEFT JOIN kept k ON k.doc = d.n`+only.joins+`
		WHERE `+where+" AND "+only.is.sql+`
		ORDER BY d.key
		LIMIT ?`, only.args(args, []any{limit})...), Document.size)
}

// PageBytes is about how much a page holds at most: one that has come to as much
// ends there, however many elements were asked for. It has one at least.
const PageBytes = 1 << 20

func (d Document) size() int { return len(d.Fields) + len(d.Kept) }

func (l Linked) size() int { return l.Document.size() }

// rowsOf reads the rows of a query until they come to [PageBytes].
func rowsOf[T any](query *gorm.DB, size func(T) int) ([]T, error) {
	rows, err := query.Rows()
	if err != nil {
		return nil, err
	}
	defer rows.Close()
	var all []T
	for bytes := 0; bytes < PageBytes && rows.Next(); {
		var row T
		if err := query.ScanRows(rows, &row); err != nil {
			return nil, err
		}
		all = append(all, row)
		bytes += size(row)
	}
	return all, rows.Err()
}

// eachRow hands over the rows of a query one by one, however many there are.
func eachRow[T any](tx *Tx, query *gorm.DB, each func(T) error) error {
	rows, err := query.Rows()
	if err != nil {
		return err
	}
	defer rows.Close()
	for rows.Next() {
		var row T
		if err := tx.db.ScanRows(rows, &row); err != nil {
			return err
		}
		if err := each(row); err != nil {
			return err
		}
	}
	return rows.Err()
}

// Linked is a document met through a pair or a reference.
type Linked struct {
	Document
	At         time.Time       // when the pair was made; the document's creation for references
	PairFields json.RawMessage // of pairs: their own
}

// Others is a page of the documents that one is paired with, newest pair first.
// fromSide: the document is the pair's from end. Indexes: pairs_from, pairs_to.
func (s *Store) Others(ctx context.Context, pair *plan.Pair, doc int64, fromSide bool, after Boundary,
	filter Filter, limit int) ([]Linked, error) {
	here, there := "b", "a"
	if fromSide {
		here, there = "a", "b"
	}
	only := filter.clauses()
	rows, err := rowsOf(s.db.WithContext(ctx).Raw(only.with.sql+`
		SELECT `+documentColumns+`, p.at, `+storedFields(pair)+` AS pair_fields
		FROM pairs p JOIN documents d ON d.n = p.`+there+` LEFT JOIN kept k ON k.doc = d.n`+only.joins+`
		WHERE p.kind = ? AND p.`+here+` = ? AND (p.at, p.`+there+`) < (?::timestamptz, ?::bigint)
			AND `+walked("p.")+" AND "+only.is.sql+`
		ORDER BY p.at DESC, p.`+there+` DESC
		LIMIT ?`, only.args([]any{pair.Number, doc, timeOf(after.Rank), after.N}, []any{limit})...), Linked.size)
	for i := range rows {
		rows[i].PairFields = liftFields(pair, rows[i].PairFields)
	}
	return rows, err
}

// Pointing is a page of the documents that point at one through a reference,
// newest first. Documents are numbered in the order of their creation.
// Index: refs_pointing (reference, target, source).
func (s *Store) Pointing(ctx context.Context, reference plan.Number, target int64, after Boundary, filter Filter,
	limit int) ([]Linked, error) {
	only := filter.clauses()
	return rowsOf(s.db.WithContext(ctx).Raw(only.with.sql+`
		SELECT `+documentColumns+`, d.created AS at
		FROM refs r JOIN documents d ON d.n = r.source LEFT JOIN kept k ON k.doc = d.n`+only.joins+`
		WHERE r.reference = ? AND r.target = ? AND r.source < ? AND `+only.is.sql+`
		ORDER BY r.source DESC
		LIMIT ?`, only.args([]any{reference, target, after.N}, []any{limit})...), Linked.size)
}

// timeOf is the time of a rank; the top of a page lies after every time.
func timeOf(rank int64) any {
	if rank == math.MaxInt64 {
		return "infinity"
	}
	return time.UnixMicro(rank)
}

// Entry is what an entry shows: its document as it is now.
type Entry struct {
	Doc int64
	Versions
	Seen    Since // all that was written before it is in here
	Key     string
	Version int64
	Created time.Time
	Updated time.Time
	Shape   int // the form of the fields
	Fields  []byte
	Kept    []byte
	Quiet   Quiet
}

// Stored is the document that the entry shows.
func (e Entry) Stored() Document {
	return Document{N: e.Doc, Key: e.Key, Version: e.Version, Created: e.Created, Updated: e.Updated, Shape: e.Shape,
		Fields: e.Fields, Kept: e.Kept, Quiet: e.Quiet}
}

// Shown are the documents of entries, as far as they exist, in the order they are
// asked for: up to [PageBytes] of them; all tells whether that was all.
// Keys: documents (n), kept (doc).
func (s *Store) Shown(ctx context.Context, docs []int64) (found []Entry, all bool, err error) {
	query := statement{`
		SELECT (SELECT ` + thisMoment + `), coalesce((SELECT ` + epochNow + ` FROM rewritten_since), 0),
			d.n, d.xmin, k.xmin,
			d.key, d.version, d.created, d.updated, coalesce(d.shape, 0), d.fields, coalesce(k.values, '{}'),
			d.quiet
		FROM unnest(?::bigint[]) WITH ORDINALITY AS e (doc, nth)
		JOIN documents d ON d.n = e.doc LEFT JOIN kept k ON k.doc = d.n
		ORDER BY e.nth`, []any{bigints(docs).text()}}
	found = make([]Entry, 0, len(docs))
	bytes := 0
	err = s.visit(ctx, query, func(row pgx.Rows) error {
		if bytes >= PageBytes {
			return errEnough
		}
		var e Entry
		err := row.Scan(&e.Seen.Xid, &e.Seen.epoch, &e.Doc, &e.Document, &e.Versions.Kept,
			&e.Key, &e.Version, &e.Created, &e.Updated, &e.Shape,
			&e.Fields, &e.Kept, &e.Quiet)
		found = append(found, e)
		bytes += len(e.Fields) + len(e.Kept)
		return err
	})
	if errors.Is(err, errEnough) {
		return found, false, nil
	}
	return found, true, err
}

// errEnough ends a query whose other rows are not wanted.
var errEnough = errors.New("enough")

// page is the FROM item for a page of an owner's timeline: what is stored and,
// unless everything is pushed, what is collected from authors at this moment.
// An entry that is both counts once.
// Keys: entries, delivery_modes, pairs, pairs_from, posted.
func page(t *plan.Timeline, owner Owner, after Boundary, limit int) statement {
	stored := statement{`
		(SELECT rank, doc, author FROM ` + owner.entries() + `
		WHERE timeline = ? AND owner = ? AND (rank, doc) < (?::bigint, ?::bigint)
		ORDER BY rank DESC, doc DESC
		LIMIT ?)`, []any{t.Number, owner.N, after.Rank, after.N, limit}}
	if t.Deliver == "push" {
		return stored
	}
	if t.Deliver == "pull" { // nothing is stored; if something is, an audit finds it
		stored = statement{"(SELECT 0::bigint AS rank, 0::bigint AS doc, 0::bigint AS author WHERE false)", nil}
	}
	from := collectedFrom(t, owner.N)
	return statement{`
		(WITH author AS (` + from.sql + `)
		` + stored.sql + `
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
		LIMIT ?)`,
		append(append(from.args, stored.args...), t.Number, after.Rank, after.N, limit, limit, limit)}
}

// collectedFrom are the authors whose entries an owner's timeline collects when it is read.
func collectedFrom(t *plan.Timeline, owner int64) statement {
	may := related(t, "who.owner", "who.author")
	if t.Deliver == "pull" {
		args := append([]any{t.Through.Number, owner}, may.args...)
		return statement{`
			SELECT who.author AS n FROM (SELECT a AS owner, b AS author FROM pairs
					WHERE kind = ? AND a = ? AND ` + walked("") + `) who
				WHERE ` + may.sql + `
			UNION
			SELECT w.n FROM (SELECT ?::bigint AS n) w WHERE ?`, append(args, owner, t.Own)}
	}
	return statement{`
		SELECT who.author AS n FROM (SELECT ?::bigint AS owner, author FROM delivery_modes WHERE timeline = ?) who
			WHERE ` + may.sql,
		append([]any{owner, t.Number}, may.args...)}
}
