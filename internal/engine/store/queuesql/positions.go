package queuesql

import (
	"context"

	"yalvo/internal/design/plan"
	"yalvo/internal/engine/store"

	"github.com/jackc/pgx/v5"
)

// waitedFor are the lanes that readers wait for: not trimming, nor what is sent elsewhere.
var waitedFor = "lane = ANY('{" + among([]plan.Lane{plan.Counting, plan.Copying, plan.Delivering, plan.Ending,
	plan.Reacting}) + "}'::smallint[])"

// Wanted is what somebody waits for: changes, all changes up to a position (0: none), and what follows from no change
// of facts but is waited for: from an audit that mends, from a design, from a load (see [Due]).
type Wanted struct {
	Changes []int64
	UpTo    int64
	Asked   bool
}

// Progressing is how far what is wanted has come.
type Progressing struct {
	Due    bool // work is due that follows from it
	Parked bool // work of the changes that are named is parked
}

// Unsettled tells of several who wait how far what they want has come, in one
// look. Key: due (lane, change, seq). Index: parked_change.
func Unsettled(ctx context.Context, s *store.Store, all ...Wanted) ([]Progressing, error) {
	changes, upTo, asked := make(store.Texts, len(all)), make(store.Bigints, len(all)), make([]bool, len(all))
	for i, w := range all {
		changes[i], upTo[i], asked[i] = store.Bigints(w.Changes).Text(), w.UpTo, w.Asked
	}
	found := make([]Progressing, 0, len(all))
	err := s.Visit(ctx, store.SQL(`
		SELECT EXISTS (SELECT FROM due WHERE `+waitedFor+` AND change = ANY(w.changes::bigint[]))
		    OR w.up_to > 0 AND EXISTS (SELECT FROM due WHERE `+waitedFor+` AND change BETWEEN 1 AND w.up_to)
		    OR w.asked AND EXISTS (SELECT FROM due WHERE `+waitedFor+` AND change < 0),
		       EXISTS (SELECT FROM parked WHERE change = ANY(w.changes::bigint[]) AND `+waitedFor+`)
		FROM unnest(?::text[], ?::bigint[], ?::boolean[]) WITH ORDINALITY AS w (changes, up_to, asked, nth)
		ORDER BY w.nth`, changes.Text(), upTo.Text(), asked), func(row pgx.Rows) error {
		var p Progressing
		err := row.Scan(&p.Due, &p.Parked)
		found = append(found, p)
		return err
	})
	return found, err
}

// UnsettledChange is [Unsettled] for one change.
func UnsettledChange(ctx context.Context, s *store.Store, change int64) (Progressing, error) {
	found, err := Unsettled(ctx, s, Wanted{Changes: []int64{change}})
	if err != nil {
		return Progressing{}, err
	}
	return found[0], nil
}
