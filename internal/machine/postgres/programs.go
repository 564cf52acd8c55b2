package postgres

import (
	"errors"
	"fmt"
	"os"
	"os/exec"
	"path/filepath"
	"sort"
	"strconv"
)

// ErrNoPrograms says that PostgreSQL is not installed.
var ErrNoPrograms = errors.New("the PostgreSQL programs (initdb, postgres) are not installed: run `make setup`, or " +
	"`apt-get install postgresql`, or name a running server with --database")

// programs finds the folder with initdb and postgres: Debian's package of the
// newest version, else the search path.
func programs() (string, error) {
	found, err := filepath.Glob("/usr/lib/postgresql/*/bin/postgres")
	if err != nil {
		return "", err
	}
	version := func(path string) int {
		// a name that is no number counts as oldest
		n, _ := strconv.Atoi(filepath.Base(filepath.Dir(filepath.Dir(path))))
		return n
	}
	sort.Slice(found, func(i, j int) bool { return version(found[i]) > version(found[j]) })
	for _, path := range found {
		if _, err := os.Stat(filepath.Join(filepath.Dir(path), "initdb")); err == nil {
			return filepath.Dir(path), nil
		}
	}
	if path, err := exec.LookPath("initdb"); err == nil {
		return filepath.Dir(path), nil
	}
	return "", ErrNoPrograms
}

// checkFolder sees that the folder can be used by the user PostgreSQL runs as.
func checkFolder(dir string, as *account) error {
	if err := os.MkdirAll(dir, 0o755); err != nil {
		return fmt.Errorf("the data folder %s cannot be made: %w; name another with --data", dir, err)
	}
	probe, err := os.CreateTemp(dir, ".writable-*")
	if err != nil {
		return fmt.Errorf("the data folder %s is not writable: %w; name another with --data", dir, err)
	}
	probe.Close()
	if err := os.Remove(probe.Name()); err != nil {
		return fmt.Errorf("the data folder %s: %w", dir, err)
	}
	if as == nil {
		return nil
	}
	for up := dir; ; up = filepath.Dir(up) {
		info, err := os.Stat(up)
		if err != nil {
			return fmt.Errorf("the data folder %s: %w", dir, err)
		}
		if !as.mayEnter(info) {
			return fmt.Errorf("PostgreSQL runs as user %s, who may not enter %s: name a folder elsewhere with "+
				"--data, such as /var/lib/yalvo", as.name, up)
		}
		if up == filepath.Dir(up) {
			return nil
		}
	}
}
