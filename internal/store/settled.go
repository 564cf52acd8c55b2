package store

import "context"

// waitedFor are the lanes that readers wait for: not trimming (5), nor what is
// sent elsewhere (7).
const waitedFor = "lane = ANY('{1,2,3,4,6}'::smallint[])"

// Unsettled tells whether work is due that follows from one of the changes, or
// from any up to a position (0: none), and whether work of the changes that are
// named is parked. Key: due (lane, change, seq). Index: parked_change.
func (s *Store) Unsettled(ctx context.Context, changes []int64, upTo int64) (due, parked bool, err error) {
	var got struct{ Due, Parked bool }
	err = s.db.WithContext(ctx).Raw(`
		SELECT EXISTS (SELECT FROM due WHERE `+waitedFor+` AND change = ANY(?::bigint[]))
		    OR EXISTS (SELECT FROM due WHERE `+waitedFor+` AND change BETWEEN 1 AND ?) AS due,
		       EXISTS (SELECT FROM parked WHERE change = ANY(?::bigint[]) AND `+waitedFor+`) AS parked`,
		bigints(changes), upTo, bigints(changes)).Scan(&got).Error
	return got.Due, got.Parked, err
}
