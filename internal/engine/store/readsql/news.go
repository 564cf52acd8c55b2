package readsql

import (
	"context"
	"slices"
	"time"

	"yalvo/internal/engine/store"
	"yalvo/internal/engine/store/rulesql"

	"github.com/jackc/pgx/v5"
	"github.com/jackc/pgx/v5/pgtype"
)

// Since is a moment in the order of transactions: all with lower numbers had ended. The zero
// one is no moment, since which anything may have been written.
type Since struct {
	Xid   int64
	Epoch int64 // numbers count within one alone: see the table rewritten_since
}

// Covers tells whether all that had ended before a moment had before this one too.
func (s Since) Covers(t Since) bool { return s.Epoch != 0 && s.Epoch == t.Epoch && s.Xid >= t.Xid }

// Before tells whether a transaction may not have ended before this moment.
func (s Since) Before(xid int64) bool { return s.Xid <= xid }

// Rewritten are the documents of which something was written since a moment: their rows, or
// those of their kept values, by whatever statement.
type Rewritten struct {
	Next Since // what has been written before it is seen here
	All  bool  // all that was written is known, else anything may have been
	Docs []int64
	Xids []int64 // the last transaction that wrote each
}

// Args are those of the table of what was written lately: see [rulesql.Lookups].
func (s Since) Args() []any { return []any{s.Xid, s.Epoch, s.Xid} }

// Few tells whether so little was written that pages can be asked which of it is theirs.
func (r Rewritten) Few() bool { return r.All && len(r.Docs) <= rulesql.FewRewritten }

// RewrittenSince tells what was written since a moment. Index: rewritten_by.
func RewrittenSince(ctx context.Context, s *store.Store, since Since) (Rewritten, error) {
	var out Rewritten
	var known bool
	var notes int64
	query := store.SQL(`
		SELECT `+store.ThisMoment+`, coalesce(r.epoch, 0), r.known,
			coalesce(w.notes, 0), w.docs, w.xids
		FROM (SELECT 1) x LEFT JOIN (
			SELECT `+store.EpochNow+` AS epoch, xid <= ?::bigint AND `+store.EpochNow+` = ?::bigint AS known
			FROM rewritten_since) r ON true
		LEFT JOIN LATERAL (
			SELECT sum(notes)::bigint AS notes, array_agg(doc) AS docs, array_agg(last) AS xids
			FROM (
				SELECT doc, max(xid) AS last, count(*) AS notes
				FROM (SELECT doc, xid FROM rewritten WHERE xid >= ?::bigint LIMIT ?) n
				GROUP BY doc) w) w ON r.known`, since.Xid, since.Epoch, since.Xid, mostRewritten+1)
	err := s.Visit(ctx, query, func(row pgx.Rows) error {
		var is pgtype.Bool
		err := row.Scan(&out.Next.Xid, &out.Next.Epoch, &is, &notes, &out.Docs, &out.Xids)
		known = is.Bool
		return err
	})
	if err == nil && out.Next.Epoch == 0 {
		return Rewritten{}, s.DB.WithContext(ctx).Exec(beginRewritten).Error
	}
	out.All = known && notes <= mostRewritten && !slices.Contains(out.Docs, 0)
	return out, err
}

// beginRewritten begins an epoch, if there is none.
const beginRewritten = `
	INSERT INTO rewritten_since (epoch, xid, next)
	SELECT (extract(epoch FROM clock_timestamp()) * 1000000)::bigint, x.now, x.now
	FROM (SELECT ` + store.ThisMoment + ` AS now) x
	ON CONFLICT DO NOTHING`

// BeginRewritten begins another epoch: nothing that is remembered holds any more. So what was written while no
// trigger saw it is seen after an audit.
func BeginRewritten(tx *store.Tx) error {
	return tx.DB.Exec(`UPDATE rewritten_since
		SET epoch = greatest(epoch + 1, (extract(epoch FROM clock_timestamp()) * 1000000)::bigint)`).Error
}

// DropRewritten forgets what was written longer ago than twice a time. Index: rewritten_by.
func DropRewritten(tx *store.Tx, age time.Duration) error {
	if err := tx.DB.Exec(beginRewritten).Error; err != nil {
		return err
	}
	return tx.DB.Exec(`
		WITH turn AS (SELECT one FROM rewritten_since WHERE at < now() - ?::interval FOR UPDATE SKIP LOCKED),
		since AS (
			UPDATE rewritten_since r SET xid = least(r.next, x.now), next = x.now, at = now()
			FROM turn, (SELECT `+store.ThisMoment+` AS now) x
			RETURNING r.xid)
		DELETE FROM rewritten USING since WHERE rewritten.xid < since.xid`, store.Interval(age)).Error
}

// mostRewritten is how many notes are looked through. Beside a transaction that has been open for long there
// may be millions.
const mostRewritten = 10_000
