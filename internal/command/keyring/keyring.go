// Package keyring remembers keys on this machine, for the commands of whoever runs them: a
// file for each, which nobody else may read.
//
// In go what a key is for and the key; out it comes again. Not done here: whether it still
// holds (package keys).
package keyring

import (
	"errors"
	"fmt"
	"io/fs"
	"net/url"
	"os"
	"path/filepath"
	"strings"
)

// Of is the key that is remembered for a service, by its address, or for a database; empty if
// there is none.
func Of(what string) (string, error) {
	name, err := file(what)
	if err != nil {
		return "", nil // whoever has no folder remembers nothing
	}
	text, err := os.ReadFile(name)
	if errors.Is(err, fs.ErrNotExist) {
		return "", nil
	}
	if err != nil {
		return "", fmt.Errorf("the key for %s cannot be read: %w", what, err)
	}
	return strings.TrimSpace(string(text)), nil
}

// Remember remembers a key in the place of the one before.
func Remember(what, key string) error {
	name, err := file(what)
	if err == nil {
		err = os.MkdirAll(filepath.Dir(name), 0o700)
	}
	if err != nil {
		return fmt.Errorf("there is no place to remember the key for %s in: %w", what, err)
	}
	f, err := os.CreateTemp(filepath.Dir(name), "new-*") // which nobody else may read
	if err != nil {
		return fmt.Errorf("the key for %s cannot be remembered: %w", what, err)
	}
	_, err = f.WriteString(key + "\n")
	err = errors.Join(err, f.Close())
	if err == nil {
		err = os.Rename(f.Name(), name)
	}
	if err != nil {
		return errors.Join(fmt.Errorf("the key for %s cannot be remembered: %w", what, err), os.Remove(f.Name()))
	}
	return nil
}

// Forget forgets the key of a service or a database, if there is one.
func Forget(what string) error {
	name, err := file(what)
	if err != nil {
		return nil
	}
	if err := os.Remove(name); err != nil && !errors.Is(err, fs.ErrNotExist) {
		return fmt.Errorf("the key for %s cannot be forgotten: %w", what, err)
	}
	return nil
}

func file(what string) (string, error) {
	dir, err := os.UserConfigDir()
	if err != nil {
		return "", err
	}
	return filepath.Join(dir, "yalvo", "keys", url.PathEscape(strings.TrimRight(what, "/"))), nil
}
