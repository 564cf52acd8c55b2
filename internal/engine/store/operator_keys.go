package store

import (
	"context"
	"time"
)

// OperatorKey is a key of an operator, without its secret.
type OperatorKey struct {
	ID      string
	Name    string
	Scope   string
	Hash    []byte // SHA-256 of the secret
	Made    time.Time
	Used    *time.Time // the minute in which it was used last
	Revoked *time.Time
}

// AddOperatorKey keeps a new key, unless there are as many that hold as there may be.
// Services that make keys together wait for one another.
func (s *Store) AddOperatorKey(ctx context.Context, k OperatorKey, most int) (fits bool, err error) {
	err = s.Write(ctx, func(tx *Tx) error {
		if err := tx.db.Exec("LOCK TABLE operator_keys IN SHARE ROW EXCLUSIVE MODE").Error; err != nil {
			return err
		}
		added := tx.db.Exec(`
			INSERT INTO operator_keys (id, name, scope, hash)
			SELECT ?, ?, ?, ?
			WHERE (SELECT count(*) FROM operator_keys WHERE revoked IS NULL) < ?`, k.ID, k.Name, k.Scope, k.Hash, most)
		fits = added.RowsAffected > 0
		return added.Error
	})
	return fits, err
}

// OperatorKeys are all keys, the newest first: those that hold, and as many as given of those
// that were revoked lately.
func (s *Store) OperatorKeys(ctx context.Context, revoked int) ([]OperatorKey, error) {
	var all []OperatorKey
	err := s.db.WithContext(ctx).Raw(`
		SELECT id, name, scope, hash, made, used, revoked FROM operator_keys WHERE revoked IS NULL
		UNION ALL
		(SELECT id, name, scope, hash, made, used, revoked FROM operator_keys WHERE revoked IS NOT NULL
			ORDER BY revoked DESC LIMIT ?)
		ORDER BY made DESC, id`, revoked).Scan(&all).Error
	return all, err
}

// RevokeOperatorKey ends a key and the sessions that stand for it, false if there is none.
func (s *Store) RevokeOperatorKey(ctx context.Context, id string) (found bool, err error) {
	err = s.Write(ctx, func(tx *Tx) error {
		ended := tx.db.Exec("UPDATE operator_keys SET revoked = coalesce(revoked, now()) WHERE id = ?", id)
		if found = ended.RowsAffected > 0; ended.Error != nil {
			return ended.Error
		}
		return tx.db.Exec("DELETE FROM key_sessions WHERE key = ?", id).Error
	})
	return found, err
}

// NoteKeyUse notes that a key has been used. When precisely is nothing to wait for the disk for.
func (s *Store) NoteKeyUse(ctx context.Context, id string) error {
	return s.upkeep.WithContext(ctx).Exec(
		"UPDATE operator_keys SET used = date_trunc('minute', now()) WHERE id = ?", id).Error
}

// AddKeySession keeps what stands for a key until it expires: a session, or a link that
// begins one once. What has expired goes.
func (s *Store) AddKeySession(ctx context.Context, hash []byte, key string, once bool, lasts time.Duration) error {
	return s.db.WithContext(ctx).Exec(`
		WITH old AS (DELETE FROM key_sessions WHERE expires < now())
		INSERT INTO key_sessions (key, hash, once, expires)
		VALUES (?, ?, ?, now() + ?::interval)`, key, hash, once, interval(lasts)).Error
}

// KeySession is the key that a session stands for, empty if there is none. Key:
// key_sessions (hash).
func (s *Store) KeySession(ctx context.Context, hash []byte) (string, error) {
	var key string
	err := s.db.WithContext(ctx).Raw(
		"SELECT key FROM key_sessions WHERE hash = ? AND NOT once AND expires > now()", hash).Scan(&key).Error
	return key, err
}

// TakeLink is the key that a link stands for, empty if there is none. It stands for it no more.
func (s *Store) TakeLink(ctx context.Context, hash []byte) (string, error) {
	var key string
	err := s.db.WithContext(ctx).Raw(
		"DELETE FROM key_sessions WHERE hash = ? AND once AND expires > now() RETURNING key", hash).Scan(&key).Error
	return key, err
}

// EndKeySession ends a session.
func (s *Store) EndKeySession(ctx context.Context, hash []byte) error {
	return s.db.WithContext(ctx).Exec("DELETE FROM key_sessions WHERE hash = ?", hash).Error
}
