// Package harness starts real services for tests: a service on loopback for each test, on a database of its own
// (package scratch). Answers that come through its client are checked against the service's OpenAPI document.
package harness

import (
	"net/http"
	"net/netip"
	"strings"
	"sync/atomic"
	"testing"
	"time"

	"github.com/jackc/pgx/v5/pgxpool"

	"yalvo/client"
	"yalvo/internal/command/keyring"
	"yalvo/internal/engine/upkeep"
	"yalvo/internal/machine/service"
	"yalvo/tests/scratch"
)

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
	return StartOn(t, scratch.Prepared(t), design, change...)
}

// StartOn is Start on a given database, which other services may share.
func StartOn(t testing.TB, database, design string, change ...func(*service.Options)) *App {
	t.Helper()
	options := service.Options{Listen: "127.0.0.1:0", Database: database, Log: scratch.Log(),
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
