package store

import (
	"context"
	"crypto/sha256"
	"encoding/hex"

	"gorm.io/gorm"
)

// Setting is a setting of the app, empty if it was never made.
func (s *Store) Setting(ctx context.Context, name string) (string, error) {
	return setting(s.DB.WithContext(ctx), name)
}

// SetSetting makes a setting.
func (s *Store) SetSetting(ctx context.Context, name, value string) error {
	return s.DB.WithContext(ctx).Exec(`
		INSERT INTO settings (name, value) VALUES (?, ?)
		ON CONFLICT (name) DO UPDATE SET value = excluded.value`, name, value).Error
}

// CursorKey is the secret that page cursors are signed with, the same for all
// services on the database.
func (s *Store) CursorKey(ctx context.Context) ([]byte, error) { return s.secret(ctx, "cursor_key") }

// TokenKey is the secret that access tokens of the built-in issuer are signed with, the same
// for all services on the database.
func (s *Store) TokenKey(ctx context.Context) ([]byte, error) { return s.secret(ctx, "token_key") }

// Identity tells the tables of this database from those of others. It says nothing of what
// is secret.
func (s *Store) Identity(ctx context.Context) (string, error) {
	key, err := s.TokenKey(ctx)
	sum := sha256.Sum256(append([]byte("identity "), key...))
	return hex.EncodeToString(sum[:12]), err
}

func (s *Store) secret(ctx context.Context, name string) ([]byte, error) {
	text, err := setting(s.DB.WithContext(ctx), name)
	if err != nil {
		return nil, err
	}
	return hex.DecodeString(text)
}

func setting(db *gorm.DB, name string) (string, error) {
	var value string
	err := db.Raw("SELECT value FROM settings WHERE name = ?", name).Scan(&value).Error
	return value, err
}
