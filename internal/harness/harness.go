// Package harness starts real services for tests: a PostgreSQL for each test
// binary, a database and a service on loopback for each test. Answers that
// come through its client are checked against the service's OpenAPI document.
package harness

import (
	"context"
	"errors"
	"fmt"
	"io"
	"log/slog"
	"net/http"
	"net/netip"
	"os"
	"path/filepath"
	"runtime/debug"
	"strings"
	"sync"
	"sync/atomic"
	"syscall"
	"testing"
	"time"

	"github.com/jackc/pgx/v5"
	"github.com/jackc/pgx/v5/pgxpool"

	"yalvo/client"
	"yalvo/internal/keyring"
	"yalvo/internal/postgres"
	"yalvo/internal/service"
	"yalvo/internal/store"
	"yalvo/internal/upkeep"
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
	for _, dir := range folders.made {
		if err := os.RemoveAll(dir); err != nil {
			fmt.Fprintln(os.Stderr, err)
			code = 1
		}
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

var folders struct {
	mu   sync.Mutex
	made []string
}

// Folder makes a folder that PostgreSQL's unprivileged user may enter. Main
// removes it when all tests have run.
func Folder() (string, error) {
	dir, err := os.MkdirTemp(memory(), "yalvo-test-")
	if err != nil {
		return "", err
	}
	folders.mu.Lock()
	folders.made = append(folders.made, dir)
	folders.mu.Unlock()
	return dir, os.Chmod(dir, 0o755)
}

// memory is a folder that lies in memory, if there is one with room for all that tests make:
// hundreds of databases, of which nothing has to outlive them. Empty: there is none.
func memory() string {
	const folder, enough = "/dev/shm", 8 << 30
	var fs syscall.Statfs_t
	if err := syscall.Statfs(folder, &fs); err != nil || fs.Bavail*uint64(fs.Bsize) < enough {
		return ""
	}
	return folder
}

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

// App is a service under test.
type App struct {
	*client.Client
	URL      string
	Key      string       // of an operator who may do everything
	HTTP     *http.Client // checks every answer against the OpenAPI document, as Client does
	Database string
	T        testing.TB
	Evolving atomic.Bool // the design changes: answers are not checked, they may be of one or the other
	db       *pgxpool.Pool
}

// Start starts a service on a database of its own and applies a design to it.
// What is not as tests usually have it can be changed.
func Start(t testing.TB, design string, change ...func(*service.Options)) *App {
	t.Helper()
	return StartOn(t, Prepared(t), design, change...)
}

// StartOn is Start on a given database, which other services may share.
func StartOn(t testing.TB, database, design string, change ...func(*service.Options)) *App {
	t.Helper()
	options := service.Options{Listen: "127.0.0.1:0", Database: database, Log: Log(),
		Pictures:   t.TempDir(),
		Patience:   upkeep.Patience{Answer: 2 * time.Second, Pause: 20 * time.Millisecond},
		SendWithin: []netip.Prefix{netip.MustParsePrefix("127.0.0.0/8")}}
	for _, c := range change {
		c(&options)
	}
	s, err := service.Start(t.Context(), options)
	if err != nil {
		t.Fatal(err)
	}
	t.Cleanup(func() {
		if err := s.Stop(); err != nil {
			t.Error(err)
		}
	})
	SignIn(t, s)
	return Connect(t, s.Address, database, design)
}

// SignIn makes a key for the tests of a service, and remembers it as `yalvo up` does.
func SignIn(t testing.TB, s *service.Service) {
	t.Helper()
	key, err := s.MakeKey(t.Context(), "tests")
	if err == nil {
		err = keyring.Remember(s.Address, key)
	}
	if err != nil {
		t.Fatal(err)
	}
}

// Client is a client of a service, with the key that is remembered for it.
func Client(t testing.TB, url string) *client.Client {
	t.Helper()
	return client.New(url).With(Key(t, url))
}

// Key is the key that is remembered for a service.
func Key(t testing.TB, url string) string {
	t.Helper()
	key, err := keyring.Of(url)
	if err != nil || key == "" {
		t.Fatalf("no key is remembered for %s: %v", url, err)
	}
	return key
}

// Connect is an app on a service that runs already.
func Connect(t testing.TB, url, database, design string) *App {
	t.Helper()
	a := &App{Client: Client(t, url), URL: url, Key: Key(t, url), HTTP: http.DefaultClient, Database: database, T: t}
	if design != "" {
		if _, err := a.Apply(t.Context(), "test.yaml", []byte(design)); err != nil {
			t.Fatal(err)
		}
		a.HTTP = &http.Client{Transport: a.checked()}
		a.Client = a.Client.Using(a.HTTP)
	}
	return a
}

// Request is a request with the app's key.
func (a *App) Request(method, path, body string) *http.Request {
	a.T.Helper()
	req, err := http.NewRequestWithContext(a.T.Context(), method, a.URL+path, strings.NewReader(body))
	if err != nil {
		a.T.Fatal(err)
	}
	req.Header.Set("Authorization", "Bearer "+a.Key)
	return req
}

// SQL runs a statement on the app's database, behind the service's back.
func (a *App) SQL(sql string, args ...any) {
	a.T.Helper()
	if _, err := a.pool().Exec(a.T.Context(), sql, args...); err != nil {
		a.T.Fatalf("%v in %s", err, sql)
	}
}

// Number asks the app's database for a number.
func (a *App) Number(sql string, args ...any) int64 {
	a.T.Helper()
	var n int64
	if err := a.pool().QueryRow(a.T.Context(), sql, args...).Scan(&n); err != nil {
		a.T.Fatalf("%v in %s", err, sql)
	}
	return n
}

// Pool is a pool of connections to the app's database.
func (a *App) Pool() *pgxpool.Pool { return a.pool() }

func (a *App) pool() *pgxpool.Pool {
	a.T.Helper()
	if a.db == nil {
		separator := "?"
		if strings.Contains(a.Database, "?") {
			separator = "&"
		}
		db, err := pgxpool.New(a.T.Context(), a.Database+separator+"search_path=yalvo")
		if err != nil {
			a.T.Fatal(err)
		}
		a.db = db
		a.T.Cleanup(db.Close)
	}
	return a.db
}

// Settle waits until everything due is done.
func (a *App) Settle() {
	a.T.Helper()
	if err := a.AfterAll().Settle(a.T.Context()); err != nil {
		a.T.Fatal(err)
	}
}
