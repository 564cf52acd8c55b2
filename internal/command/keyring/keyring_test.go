package keyring

import (
	"io/fs"
	"os"
	"path/filepath"
	"strings"
	"testing"
)

func TestAKeyIsRememberedForOneServiceAndReadByNobodyElse(t *testing.T) {
	dir := t.TempDir()
	t.Setenv("XDG_CONFIG_HOME", dir)
	is := func(what, want string) {
		t.Helper()
		if got, err := Of(what); err != nil || got != want {
			t.Errorf("%s: %q, %v; want %q", what, got, err, want)
		}
	}
	do := func(err error) {
		t.Helper()
		if err != nil {
			t.Fatal(err)
		}
	}
	const here, there = "http://127.0.0.1:7480", "https://fen.example/a/../b?c"
	is(here, "")
	do(Remember(here, "yalvo-1"))
	do(Remember(there, "yalvo-2"))
	do(Remember(here+"/", "yalvo-3"))
	is(here, "yalvo-3")
	is(there, "yalvo-2")
	files := 0
	do(filepath.WalkDir(dir, func(path string, e fs.DirEntry, err error) error {
		if err != nil || e.IsDir() {
			return err
		}
		files++
		info, err := e.Info()
		if err == nil && info.Mode().Perm() != 0o600 {
			t.Errorf("%s is %v", path, info.Mode())
		}
		return err
	}))
	if files != 2 {
		t.Errorf("%d files for two services", files)
	}
	do(Forget(here))
	do(Forget(here))
	is(here, "")
	is(there, "yalvo-2")
}

func TestAKeyThatCannotBeRememberedLeavesTheOneBefore(t *testing.T) {
	dir := t.TempDir()
	t.Setenv("XDG_CONFIG_HOME", dir)
	name, err := file("db")
	if err != nil {
		t.Fatal(err)
	}
	if err := os.MkdirAll(filepath.Join(name, "in the way"), 0o700); err != nil {
		t.Fatal(err)
	}
	if err := Remember("db", "yalvo-1"); err == nil || !strings.Contains(err.Error(), "db") {
		t.Errorf("got %v", err)
	}
	if left, err := filepath.Glob(filepath.Join(filepath.Dir(name), "new-*")); err != nil || len(left) > 0 {
		t.Errorf("half a key is left: %v, %v", left, err)
	}
	if _, err := Of("db"); err == nil {
		t.Error("what cannot be read is to be said")
	}
}
