// Package scratch gives tests databases: a PostgreSQL for each test binary, which ends with it, and an empty, a
// prepared or a filled database for each test. It knows no service, so that what a service is built on is tested
// without one being built.
package scratch

import (
	"context"
	"errors"
	"fmt"
	"io"
	"log/slog"
	"os"
	"path/filepath"
	"runtime/debug"
	"sync"
	"sync/atomic"
	"testing"

	"github.com/jackc/pgx/v5"

	"yalvo/internal/engine/store"
	"yalvo/internal/machine/postgres"
)

// Main runs a package's tests, ends what they shared, with their PostgreSQL, and removes their folders.
func Main(m *testing.M, ends ...func()) {
	code := 1
	if dir, err := Folder(); err != nil {
		fmt.Fprintln(os.Stderr, err)
	} else if err := os.Setenv("XDG_CONFIG_HOME", dir); err != nil { // keys are remembered there
		fmt.Fprintln(os.Stderr, err)
	} else {
		// Collecting garbage is a sixth of what tests do under the race detector; with so much
		// memory they may leave it for later.
		debug.SetGCPercent(400)
		debug.SetMemoryLimit(6 << 30)
		code = m.Run()
	}
	for _, end := range ends {
		end()
	}
	if shared.server != nil {
		if err := shared.server.Stop(); err != nil {
			fmt.Fprintln(os.Stderr, err)
			code = 1
		}
	}
	if err := removeFolders(); err != nil {
		fmt.Fprintln(os.Stderr, err)
		code = 1
	}
	os.Exit(code)
}

var shared = struct {
	once   sync.Once
	server *postgres.Server
	err    error
	count  atomic.Int64

	mu     sync.Mutex
	filled map[string]func() error
}{filled: map[string]func() error{}}

// Database makes an empty database and returns its URL.
func Database(t testing.TB) string {
	t.Helper()
	return create(t, "template1")
}

// Prepared makes a database that has its tables, as a service would make them in an empty one,
// and returns its URL. Making them each time would be a good part of what tests take.
func Prepared(t testing.TB) string {
	t.Helper()
	return create(t, "prepared")
}

// Filled makes a copy of a database that is filled once for all tests, and returns its URL.
func Filled(t testing.TB, name string, fill func(url string) error) string {
	t.Helper()
	shared.mu.Lock()
	filled := shared.filled[name]
	if filled == nil {
		filled = sync.OnceValue(func() error {
			if err := copied(t.Context(), name, "prepared"); err != nil {
				return err
			}
			return fill(shared.server.AddressOf(name))
		})
		shared.filled[name] = filled
	}
	shared.mu.Unlock()
	server(t)
	if err := filled(); err != nil {
		t.Fatal(err)
	}
	return create(t, name)
}

// server is the PostgreSQL that all tests share.
func server(t testing.TB) *postgres.Server {
	t.Helper()
	shared.once.Do(func() { shared.server, shared.err = begin() })
	if shared.err != nil {
		t.Fatalf("starting PostgreSQL: %v", shared.err)
	}
	return shared.server
}

// copied makes a database. Its files are copied, which takes a tenth of writing them into the log.
func copied(ctx context.Context, name, template string) error {
	return execute(ctx, shared.server, "CREATE DATABASE "+name+" TEMPLATE "+template+" STRATEGY file_copy")
}

// create makes a database that is dropped again: PostgreSQL looks after each one that there is.
func create(t testing.TB, template string) string {
	t.Helper()
	server(t)
	name := fmt.Sprintf("test%d", shared.count.Add(1))
	if err := copied(t.Context(), name, template); err != nil {
		t.Fatal(err)
	}
	t.Cleanup(func() {
		if err := execute(context.WithoutCancel(t.Context()), shared.server, "DROP DATABASE "+name+
			" WITH (FORCE)"); err != nil {
			t.Error(err)
		}
	})
	return shared.server.AddressOf(name)
}

// begin starts a PostgreSQL, with a database that has its tables.
func begin() (*postgres.Server, error) {
	ctx := context.Background()
	dir, err := Folder()
	if err != nil {
		return nil, err
	}
	server, err := postgres.Start(ctx, postgres.Options{Dir: dir, Scratch: true, Log: Log()})
	if err != nil {
		return nil, err
	}
	// Working out a password for each of thousands of connections takes a race detector long.
	if err := os.WriteFile(filepath.Join(dir, "postgres", "pg_hba.conf"), []byte("host all all 127.0.0.1/32 trust\n"),
		0o600); err != nil {
		return server, err
	}
	if err := execute(ctx, server, "SELECT pg_reload_conf()"); err != nil {
		return server, err
	}
	if err := execute(ctx, server, "CREATE DATABASE prepared"); err != nil {
		return server, err
	}
	s, err := store.Open(ctx, server.AddressOf("prepared"), 2)
	if err == nil {
		err = s.Close()
	}
	return server, err
}

func execute(ctx context.Context, on *postgres.Server, sql string) error {
	conn, err := pgx.Connect(ctx, on.Address())
	if err != nil {
		return err
	}
	_, err = conn.Exec(ctx, sql)
	return errors.Join(err, conn.Close(context.WithoutCancel(ctx)))
}

// Log is where services under test write: nowhere, unless YALVO_TEST_LOG is set.
func Log() *slog.Logger {
	if os.Getenv("YALVO_TEST_LOG") != "" {
		return slog.New(slog.NewTextHandler(os.Stderr, nil))
	}
	return slog.New(slog.NewTextHandler(io.Discard, nil))
}
