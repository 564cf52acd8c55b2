package postgres_test

import (
	"context"
	"errors"
	"fmt"
	"log/slog"
	"os"
	"path/filepath"
	"strings"
	"syscall"
	"testing"

	"github.com/jackc/pgx/v5"

	"yalvo/internal/machine/postgres"
	"yalvo/tests/scratch"
)

func TestMain(m *testing.M) { scratch.Main(m) }

func run(t *testing.T, dir string) (*postgres.Server, error) {
	t.Helper()
	return postgres.Start(t.Context(), postgres.Options{Dir: dir, Scratch: true, Log: slog.New(slog.DiscardHandler)})
}

func folder(t *testing.T) string {
	t.Helper()
	dir, err := scratch.Folder()
	if err != nil {
		t.Fatal(err)
	}
	return dir
}

func query(t *testing.T, s *postgres.Server, sql string) string {
	t.Helper()
	conn, err := pgx.Connect(t.Context(), s.Address())
	if err != nil {
		t.Fatal(err)
	}
	defer conn.Close(context.Background())
	var answer string
	if err := conn.QueryRow(t.Context(), sql).Scan(&answer); err != nil {
		t.Fatal(err)
	}
	return answer
}

func create(t *testing.T, s *postgres.Server, sql string) {
	t.Helper()
	conn, err := pgx.Connect(t.Context(), s.Address())
	if err != nil {
		t.Fatal(err)
	}
	defer conn.Close(context.Background())
	if _, err := conn.Exec(t.Context(), sql); err != nil {
		t.Fatal(err)
	}
}

func TestAServerKeepsItsDataAndSurvivesWhatIsLeftBehind(t *testing.T) {
	dir := folder(t)
	first, err := run(t, dir)
	if err != nil {
		t.Fatal(err)
	}
	create(t, first, "CREATE TABLE kept AS SELECT 'heron' AS word")

	t.Run("the folder in use", func(t *testing.T) {
		if _, err := run(t, dir); !errors.Is(err, postgres.ErrInUse) || !strings.Contains(err.Error(), dir) {
			t.Errorf("got %v", err)
		}
	})
	if err := first.Stop(); err != nil {
		t.Fatal(err)
	}
	for what, pid := range map[string]int{"a stale lock file": 4194303,
		"another program has got the process number": os.Getpid()} {
		t.Run(what, func(t *testing.T) {
			stale := filepath.Join(dir, "postgres", "postmaster.pid")
			if err := os.WriteFile(stale, fmt.Appendf(nil, "%d\n%s\n0\n1\n\n127.0.0.1\n", pid, dir),
				0o600); err != nil {
				t.Fatal(err)
			}
			if err := os.Chmod(stale, 0o644); err != nil {
				t.Fatal(err)
			}
			again, err := run(t, dir)
			if err != nil {
				t.Fatal(err)
			}
			if got := query(t, again, "SELECT word FROM kept"); got != "heron" {
				t.Errorf("got %q", got)
			}
			if err := again.Stop(); err != nil {
				t.Error(err)
			}
		})
	}
}

// A password that the folder was not made with is told at once, and so is a folder
// that another user owns, as a copy made as root is.
func TestAFolderThatWasTamperedWithIsExplained(t *testing.T) {
	dir := folder(t)
	first, err := run(t, dir)
	if err != nil {
		t.Fatal(err)
	}
	if err := first.Stop(); err != nil {
		t.Fatal(err)
	}
	secret := filepath.Join(dir, "secret")
	right, err := os.ReadFile(secret)
	if err != nil {
		t.Fatal(err)
	}
	if err := os.WriteFile(secret, []byte("another one"), 0o600); err != nil {
		t.Fatal(err)
	}
	if _, err := run(t, dir); err == nil || !strings.Contains(err.Error(), "does not take the password in "+secret) {
		t.Errorf("a wrong password: %v", err)
	}
	if err := os.WriteFile(secret, right, 0o600); err != nil {
		t.Fatal(err)
	}
	if os.Geteuid() == 0 { // only root runs PostgreSQL as somebody else
		if err := os.Chown(filepath.Join(dir, "postgres"), 0, 0); err != nil {
			t.Fatal(err)
		}
		if _, err := run(t, dir); err == nil || !strings.Contains(err.Error(), "does not belong to the user") {
			t.Errorf("a copied folder: %v", err)
		}
	}
}

// A killed service leaves its PostgreSQL running. The kernel has dropped its
// lock on the folder, which Abandon stands in for.
func TestAServerLeftRunningIsTakenOver(t *testing.T) {
	dir := folder(t)
	first, err := run(t, dir)
	if err != nil {
		t.Fatal(err)
	}
	before := query(t, first, "SELECT pg_postmaster_start_time()::text")
	postgres.Abandon(first)
	second, err := run(t, dir)
	if err != nil {
		t.Fatal(err)
	}
	if after := query(t, second, "SELECT pg_postmaster_start_time()::text"); after != before {
		t.Errorf("a new server was started: %s, %s", before, after)
	}
	if err := second.Stop(); err != nil {
		t.Error(err)
	}
}

func TestAFolderThatCannotBeUsedIsNamed(t *testing.T) {
	file := filepath.Join(folder(t), "file")
	if err := os.WriteFile(file, nil, 0o644); err != nil {
		t.Fatal(err)
	}
	if _, err := run(t, filepath.Join(file, "data")); err == nil || !strings.Contains(err.Error(), "--data") {
		t.Errorf("got %v", err)
	}
	if syscall.Geteuid() != 0 {
		return
	}
	closed := folder(t)
	if err := os.Chmod(closed, 0o700); err != nil {
		t.Fatal(err)
	}
	if _, err := run(t, filepath.Join(closed, "data")); err == nil ||
		!strings.Contains(err.Error(), "may not enter "+closed) {
		t.Errorf("got %v", err)
	}
}

// Of a server that is killed, a child may live on for a moment. A new one does
// not start beside it, and is started again until it does.
func TestAServerWhoseChildrenLiveOnIsWaitedFor(t *testing.T) {
	dir := folder(t)
	first, err := run(t, dir)
	if err != nil {
		t.Fatal(err)
	}
	conn, err := pgx.Connect(t.Context(), first.Address())
	if err != nil {
		t.Fatal(err)
	}
	defer conn.Close(context.Background())
	child := int(conn.PgConn().PID())
	if err := syscall.Kill(child, syscall.SIGSTOP); err != nil {
		t.Fatal(err)
	}
	if err := first.Kill(); err != nil {
		t.Fatal(err)
	}
	go func() { // let it go on when a server has seen it
		defer syscall.Kill(child, syscall.SIGCONT)
		for t.Context().Err() == nil {
			log, err := os.ReadFile(filepath.Join(dir, "postgres.log"))
			if err != nil || strings.Contains(string(log), "pre-existing shared memory block") {
				return
			}
		}
	}()
	second, err := run(t, dir)
	if err != nil {
		t.Fatal(err)
	}
	if err := second.Stop(); err != nil {
		t.Error(err)
	}
}
