package store

import "context"

// Unsettled tells whether work is due that follows from one of the changes, or
// from any up to a position (0: none), and whether work of the changes that are
// named is parked. Trimming and what is sent elsewhere (lanes 5 and 7) are not
// waited for. Indexes: due_change, parked_change.
func (s *Store) Unsettled(ctx context.Context, changes []int64, upTo int64) (due, parked bool, err error) {
	var got struct{ Due, Parked bool }
	err = s.db.WithContext(ctx).Raw(`
		SELECT EXISTS (SELECT FROM due WHERE change = ANY(?::bigint[]) AND lane NOT IN (5, 7))
		    OR EXISTS (SELECT FROM due WHERE change <= ? AND lane NOT IN (5, 7)) AS due,
		       EXISTS (SELECT FROM parked WHERE change = ANY(?::bigint[]) AND lane NOT IN (5, 7)) AS parked`,
		bigints(changes), upTo, bigints(changes)).Scan(&got).Error
	return got.Due, got.Parked, err
}
