package calibrating

import (
	"encoding/json"
	"errors"
	"fmt"
	"io/fs"
	"os"
	"path/filepath"

	"yalvo/internal/design/forecast"
)

// Kept are the rates that were kept on this machine, or those that are shipped.
func Kept() (forecast.Rates, error) {
	name, err := file()
	if err != nil {
		return forecast.Shipped, nil // whoever has no folder keeps nothing
	}
	text, err := os.ReadFile(name)
	if errors.Is(err, fs.ErrNotExist) {
		return forecast.Shipped, nil
	}
	var r forecast.Rates
	if err == nil {
		err = json.Unmarshal(text, &r)
	}
	if err == nil && !r.Sound() {
		err = errors.New("a rate is missing, or none that can be")
	}
	if err != nil {
		return r, fmt.Errorf("the rates in %s cannot be used: %w; `yalvo calibrate` measures them anew", name, err)
	}
	return r, nil
}

// Keep keeps rates, in the place of those before, and says where.
func Keep(r forecast.Rates) (name string, err error) {
	if name, err = file(); err != nil {
		return "", err
	}
	text, err := json.MarshalIndent(r, "", "  ")
	if err == nil {
		err = os.MkdirAll(filepath.Dir(name), 0o700)
	}
	if err != nil {
		return "", err
	}
	fresh := name + ".new"
	if err := os.WriteFile(fresh, append(text, '\n'), 0o600); err != nil {
		return "", err
	}
	return name, os.Rename(fresh, name)
}

func file() (string, error) {
	dir, err := os.UserConfigDir()
	return filepath.Join(dir, "yalvo", "rates.json"), err
}
