package store_test

import (
	"context"
	"fmt"
	"strings"
	"testing"

	"yalvo/internal/engine/store/storetest"

	"github.com/jackc/pgx/v5"

	"yalvo/internal/engine/store"
	"yalvo/tests/scratch"
)

// Whatever a server's defaults are, the service's connections have what it relies on.
func TestWhatTheServiceReliesOnIsNotLeftToTheServer(t *testing.T) {
	t.Parallel()
	address := scratch.Prepared(t)
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
		"DateStyle":                     "'German'", "bytea_output": "escape", "lock_timeout": "1",
		"statement_timeout": "1"} {
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
		got, err := storetest.Configured(t.Context(), s, setting)
		if err != nil || got != is {
			t.Errorf("%s is %q, want %q: %v", setting, got, is, err)
		}
	}
}

// What cannot be said for each connection is looked at when a service starts: it does not start where it could not
// work, and says what is dangerous.
func TestAServerThatIsSetWrongIsToldSo(t *testing.T) {
	t.Parallel()
	address := scratch.Prepared(t)
	config, err := pgx.ParseConfig(address)
	if err != nil {
		t.Fatal(err)
	}
	c, err := pgx.ConnectConfig(t.Context(), config)
	if err != nil {
		t.Fatal(err)
	}
	defer c.Close(context.WithoutCancel(t.Context()))
	do := func(sql string) {
		t.Helper()
		if _, err := c.Exec(t.Context(), sql); err != nil {
			t.Fatal(sql, err)
		}
	}
	at := func(user, password, database string) string {
		return fmt.Sprintf("host=%s port=%d user=%s password=%s dbname=%s sslmode=disable", config.Host,
			config.Port, user,
			password, database)
	}
	own := at(config.User, config.Password, config.Database)
	bytes, empty, nobody := config.Database+"_bytes", config.Database+"_empty", config.Database+"_nobody"
	do("CREATE DATABASE " + bytes + " ENCODING 'SQL_ASCII' LC_COLLATE 'C' LC_CTYPE 'C' TEMPLATE template0")
	do("CREATE DATABASE " + empty)
	do("CREATE ROLE " + nobody + " LOGIN PASSWORD 'x'")
	for says, address := range map[string]string{
		"encoded as SQL_ASCII":                 at(config.User, config.Password, bytes),
		"the role " + nobody + " may not make": at(nobody, "x", empty),
	} {
		if s, err := store.Open(t.Context(), address, 3); err == nil || !strings.Contains(err.Error(), says) {
			t.Errorf("wanted %q, got %v %v", says, s, err)
		}
	}

	do("ALTER DATABASE " + config.Database + " SET log_statement = 'all'")
	do("ALTER TABLE yalvo.documents DISABLE TRIGGER rewritten_changed")
	s, err := store.Open(t.Context(), own, 3)
	if err != nil {
		t.Fatal(err)
	}
	warnings, err := s.CheckServer(t.Context(), 1_000_000)
	said := strings.Join(warnings, "\n")
	for _, says := range []string{"log_statement is \"all\"", "triggers are switched off: documents.rewritten_changed",
		"a service opens 1000000"} {
		if err != nil || !strings.Contains(said, says) {
			t.Errorf("%q is not in: %s %v", says, said, err)
		}
	}
	if strings.Contains(said, "clock") || strings.Contains(said, "encrypted") {
		t.Error("on loopback:", said)
	}
	if err := s.Close(); err != nil {
		t.Error(err)
	}
	do("ALTER DATABASE " + config.Database + " SET session_replication_role = 'replica'")
	if _, err := store.Open(t.Context(), own, 3); err == nil || !strings.Contains(err.Error(), "triggers do not fire") {
		t.Errorf("got %v", err)
	}
}
