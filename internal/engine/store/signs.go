package store

import "context"

// signs is the class of the advisory locks that services sign with, and loads that of
// those by which they show that they know of a load.
const (
	signs = 7480
	loads = 7481
)

// Sign shows that a service works by a version of the design, 0 for none, and whether
// it knows that a load is under way, for as long as its connection for looking for work
// lasts: who dies takes it along.
func (s *Store) Sign(ctx context.Context, service string, version int, loading bool) error {
	return s.LookingDB.WithContext(ctx).Exec(`
		SELECT set_config('application_name', ?, false), pg_advisory_unlock_all(), pg_advisory_lock_shared(?, ?),
			CASE WHEN ? THEN pg_advisory_lock_shared(?, 0) END`,
		service, signs, version, loading, loads).Error
}

// NotLoading are the services that do not know of a load.
func (s *Store) NotLoading(ctx context.Context) ([]string, error) {
	var names []string
	err := s.DB.WithContext(ctx).Raw(`
		SELECT DISTINCT a.application_name
		FROM pg_locks l JOIN pg_stat_activity a USING (pid)
		WHERE l.locktype = 'advisory' AND l.classid = ? AND l.objsubid = 2
		  AND l.database = (SELECT oid FROM pg_database WHERE datname = current_database())
		  AND NOT EXISTS (SELECT FROM pg_locks k
			WHERE k.pid = l.pid AND k.locktype = 'advisory' AND k.classid = ? AND k.objsubid = 2)
		ORDER BY a.application_name`, signs, loads).Scan(&names).Error
	return names, err
}

// Lagging are the services that work by an earlier version of the design.
func (s *Store) Lagging(ctx context.Context, version int) ([]string, error) {
	var names []string
	err := s.DB.WithContext(ctx).Raw(`
		SELECT DISTINCT a.application_name
		FROM pg_locks l JOIN pg_stat_activity a USING (pid)
		WHERE l.locktype = 'advisory' AND l.classid = ? AND l.objsubid = 2 AND l.objid::bigint < ?
		  AND l.database = (SELECT oid FROM pg_database WHERE datname = current_database())
		ORDER BY a.application_name`, signs, version).Scan(&names).Error
	return names, err
}
