package store_test

import (
	"context"
	"fmt"
	"testing"

	"github.com/jackc/pgx/v5"

	"yalvo/internal/harness"
	"yalvo/internal/store"
)

// Whatever a server's defaults are, the service's connections have what it relies on.
func TestWhatTheServiceReliesOnIsNotLeftToTheServer(t *testing.T) {
	t.Parallel()
	address := harness.Prepared(t)
	c, err := pgx.Connect(t.Context(), address)
	if err != nil {
		t.Fatal(err)
	}
	defer c.Close(context.WithoutCancel(t.Context()))
	var name string
	if err := c.QueryRow(t.Context(), "SELECT current_database()").Scan(&name); err != nil {
		t.Fatal(err)
	}
	want := map[string]string{"default_transaction_isolation": "read committed", "jit": "off", "TimeZone": "UTC",
		"search_path": "yalvo", "synchronous_commit": "on", "default_transaction_read_only": "off",
		"DateStyle":    "ISO, MDY",
		"bytea_output": "hex", "lock_timeout": "10s", "idle_in_transaction_session_timeout": "10s",
		"statement_timeout": "0"}
	for setting, wrong := range map[string]string{"default_transaction_isolation": "'repeatable read'", "jit": "on",
		"TimeZone": "'Asia/Tokyo'", "search_path": "public", "synchronous_commit": "off",
		"default_transaction_read_only": "on",
		"DateStyle":                     "'German'", "bytea_output": "escape", "lock_timeout": "1", "statement_timeout": "1"} {
		_, err := c.Exec(t.Context(), fmt.Sprintf(
			"SET default_transaction_read_only = off; ALTER DATABASE %s SET %s = %s",
			name, setting, wrong))
		if err != nil {
			t.Fatal(setting, err)
		}
	}
	s, err := store.Open(t.Context(), address, 3)
	if err != nil {
		t.Fatal(err)
	}
	defer s.Close()
	for setting, is := range want {
		got, err := s.Configured(t.Context(), setting)
		if err != nil || got != is {
			t.Errorf("%s is %q, want %q: %v", setting, got, is, err)
		}
	}
}
