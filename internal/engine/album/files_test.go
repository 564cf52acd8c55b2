package album

import (
	"errors"
	"io"
	"io/fs"
	"os"
	"path/filepath"
	"slices"
	"testing"
	"time"
)

func TestAFolderHasWholeFilesOrNone(t *testing.T) {
	dir := filepath.Join(t.TempDir(), "pictures")
	f, err := NewFolder(dir)
	if err != nil {
		t.Fatal(err)
	}
	read := func(name string) string {
		t.Helper()
		r, err := f.Open(name)
		if err != nil {
			t.Fatal(err)
		}
		defer r.Close()
		data, err := io.ReadAll(r)
		if err != nil {
			t.Fatal(err)
		}
		return string(data)
	}
	names := func() (all []string) {
		t.Helper()
		if err := f.Each(func(name string, written time.Time) error {
			if time.Since(written) > time.Hour {
				t.Errorf("%s was written %v", name, written)
			}
			all = append(all, name)
			return nil
		}); err != nil {
			t.Fatal(err)
		}
		return all
	}
	for _, name := range []string{"zz-small", "aa-large", "aa-small", "aa-small"} {
		if err := f.Put(name, []byte("of "+name)); err != nil {
			t.Fatal(err)
		}
	}
	if got := read("aa-small"); got != "of aa-small" {
		t.Errorf("read %q", got)
	}
	if got := names(); !slices.Equal(got, []string{"aa-large", "aa-small", "zz-small"}) {
		t.Errorf("files %v", got)
	}

	// What cannot be put in its place leaves no part of it.
	if err := os.MkdirAll(filepath.Join(dir, "bb", "bb-small", "in the way"), 0o700); err != nil {
		t.Fatal(err)
	}
	if err := f.Put("bb-small", []byte("x")); err == nil {
		t.Error("a file was put where a folder is")
	}
	if got := names(); len(got) != 3 {
		t.Errorf("left over: %v", got)
	}

	if err := errors.Join(f.Remove("aa-small"), f.Remove("aa-small")); err != nil {
		t.Error(err)
	}
	if _, err := f.Open("aa-small"); !errors.Is(err, fs.ErrNotExist) {
		t.Errorf("opened what is gone: %v", err)
	}
}
