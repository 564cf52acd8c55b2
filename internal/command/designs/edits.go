package designs

import (
	"errors"
	"fmt"
	"os"
	"path/filepath"
	"strings"

	"github.com/pmezard/go-difflib/difflib"
	"github.com/urfave/cli/v3"

	"yalvo/internal/design/language"
)

func patchFlag() cli.Flag {
	return &cli.BoolFlag{Name: "patch", Usage: "write nothing, and print what would change as a patch"}
}

// edited puts a text in the place of a design's file, or prints it as a patch. It must be one that can be read.
func (a *app) edited(c *cli.Command, file string, before, after []byte, done string) error {
	if _, err := language.Read(file, after); err != nil {
		return errors.Join(errors.New("with this edit the design cannot be read any more: nothing was written. "+
			"Edit by hand what else it names, or begin with that"), a.problems(c, file, err))
	}
	if c.Bool("patch") {
		text, err := patchOf(file, before, after)
		if err == nil && c.Bool("json") {
			return a.JSON(map[string]any{"patch": text})
		}
		if err == nil {
			_, err = fmt.Fprint(a.Out, text)
		}
		return err
	}
	if err := replaceFile(file, after); err != nil {
		return fmt.Errorf("the file cannot be written: %w", err)
	}
	if c.Bool("json") {
		return a.JSON(map[string]any{"written": file})
	}
	a.Say("%s", done)
	return nil
}

// patchOf is what differs in two texts of a file, in the unified form that patch and git read.
func patchOf(file string, before, after []byte) (string, error) {
	name := strings.TrimPrefix(filepath.ToSlash(filepath.Clean(file)), "/")
	return difflib.GetUnifiedDiffString(difflib.UnifiedDiff{A: difflib.SplitLines(string(before)),
		B: difflib.SplitLines(string(after)), FromFile: "a/" + name, ToFile: "b/" + name, Context: 3})
}

// replaceFile puts a text in the place of a file, all of it or nothing.
func replaceFile(name string, text []byte) error {
	info, err := os.Stat(name)
	if err != nil {
		return err
	}
	f, err := os.CreateTemp(filepath.Dir(name), filepath.Base(name)+".new*")
	if err != nil {
		return err
	}
	_, err = f.Write(text)
	err = errors.Join(err, f.Chmod(info.Mode().Perm()), f.Close())
	if err == nil {
		err = os.Rename(f.Name(), name)
	}
	if err != nil {
		return errors.Join(err, os.Remove(f.Name()))
	}
	return nil
}
