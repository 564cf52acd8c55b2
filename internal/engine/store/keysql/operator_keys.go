package keysql

import (
	"context"
	"time"

	"yalvo/internal/engine/store"
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
func AddOperatorKey(ctx context.Context, s *store.Store, k OperatorKey, most int) (fits bool, err error) {
	err = s.Write(ctx, func(tx *store.Tx) error {
		if err := tx.DB.Exec("LOCK TABLE operator_keys IN SHARE ROW EXCLUSIVE MODE").Error; err != nil {
			return err
		}
		added := tx.DB.Exec(`
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
func OperatorKeys(ctx context.Context, s *store.Store, revoked int) ([]OperatorKey, error) {
	var all []OperatorKey
	err := s.DB.WithContext(ctx).Raw(`
		SELECT id, name, scope, hash, made, used, revoked FROM operator_keys WHERE revoked IS NULL
		UNION ALL
		(SELECT id, name, scope, hash, made, used, revoked FROM operator_keys WHERE revoked IS NOT NULL
			ORDER BY revoked DESC LIMIT ?)
		ORDER BY made DESC, id`, revoked).Scan(&all).Error
	return all, err
}

// RevokeOperatorKey ends a key and the sessions that stand for it, false if there is none.
func RevokeOperatorKey(ctx context.Context, s *store.Store, id string) (found bool, err error) {
	err = s.Write(ctx, func(tx *store.Tx) error {
		ended := tx.DB.Exec("UPDATE operator_keys SET revoked = coalesce(revoked, now()) WHERE id = ?", id)
		if found = ended.RowsAffected > 0; ended.Error != nil {
			return ended.Error
		}
		return tx.DB.Exec("DELETE FROM key_sessions WHERE key = ?", id).Error
	})
	return found, err
}

// NoteKeyUse notes that a key has been used. When precisely is nothing to wait for the disk for.
func NoteKeyUse(ctx context.Context, s *store.Store, id string) error {
	return s.UpkeepDB.WithContext(ctx).Exec("UPDATE operator_keys SET used = date_trunc('minute', now()) WHERE id = ?",
		id).Error
}

// AddKeySession keeps what stands for a key until it expires: a session, or a link that
// begins one once. What has expired goes.
func AddKeySession(ctx context.Context, s *store.Store, hash []byte, key string, once bool, lasts time.Duration) error {
	return s.DB.WithContext(ctx).Exec(`
		WITH old AS (DELETE FROM key_sessions WHERE expires < now())
		INSERT INTO key_sessions (key, hash, once, expires)
		VALUES (?, ?, ?, now() + ?::interval)`, key, hash, once, store.Interval(lasts)).Error
}

// KeySession is the key that a session stands for, empty if there is none. Key:
// key_sessions (hash).
func KeySession(ctx context.Context, s *store.Store, hash []byte) (string, error) {
	var key string
	err := s.DB.WithContext(ctx).Raw("SELECT key FROM key_sessions WHERE hash = ? AND NOT once AND expires > now()",
		hash).Scan(&key).Error
	return key, err
}

// TakeLink is the key that a link stands for, empty if there is none. It stands for it no more.
func TakeLink(ctx context.Context, s *store.Store, hash []byte) (string, error) {
	var key string
	err := s.DB.WithContext(ctx).Raw(
		"DELETE FROM key_sessions WHERE hash = ? AND once AND expires > now() RETURNING key", hash).Scan(&key).Error
	return key, err
}

// EndKeySession ends a session.
func EndKeySession(ctx context.Context, s *store.Store, hash []byte) error {
	return s.DB.WithContext(ctx).Exec("DELETE FROM key_sessions WHERE hash = ?", hash).Error
}
