package album

import (
	"errors"
	"fmt"
	"io"
	"io/fs"
	"os"
	"path/filepath"
	"time"
)

// Files is where files lie: a folder, or what an object store has for one. Names have letters,
// digits and -. It may be used by several services at once.
type Files interface {
	// Put writes a file, in the place of another of that name: all of it or nothing.
	Put(name string, data []byte) error
	// Open reads one; an error is [fs.ErrNotExist] if it is not there.
	Open(name string) (io.ReadSeekCloser, error)
	// Remove takes one away, if it is there.
	Remove(name string) error
	// Each calls for each file, in the order of names, with when it was written.
	Each(call func(name string, written time.Time) error) error
}

// Folder is a folder of files, in folders by their first two letters.
type Folder struct{ dir string }

// NewFolder makes a folder, if it is not there.
func NewFolder(dir string) (*Folder, error) {
	if err := os.MkdirAll(dir, 0o700); err != nil {
		return nil, fmt.Errorf("there is no folder for pictures: %w; name another with --pictures", err)
	}
	return &Folder{dir}, nil
}

func (f *Folder) path(name string) string { return filepath.Join(f.dir, name[:2], name) }

// Put is part of [Files].
func (f *Folder) Put(name string, data []byte) error {
	path := f.path(name)
	if err := os.MkdirAll(filepath.Dir(path), 0o700); err != nil {
		return err
	}
	part, err := os.CreateTemp(filepath.Dir(path), name+"-part*")
	if err != nil {
		return err
	}
	_, err = part.Write(data)
	if err == nil {
		err = part.Sync()
	}
	if err = errors.Join(err, part.Close()); err == nil {
		err = os.Rename(part.Name(), path)
	}
	if err != nil {
		return errors.Join(err, os.Remove(part.Name()))
	}
	return nil
}

// Open is part of [Files].
func (f *Folder) Open(name string) (io.ReadSeekCloser, error) { return os.Open(f.path(name)) }

// Remove is part of [Files].
func (f *Folder) Remove(name string) error {
	if err := os.Remove(f.path(name)); err != nil && !errors.Is(err, fs.ErrNotExist) {
		return err
	}
	return nil
}

// Each is part of [Files].
func (f *Folder) Each(call func(name string, written time.Time) error) error {
	return filepath.WalkDir(f.dir, func(path string, entry fs.DirEntry, err error) error {
		if err != nil || entry.IsDir() {
			return err
		}
		info, err := entry.Info()
		if errors.Is(err, fs.ErrNotExist) {
			return nil
		}
		if err != nil {
			return err
		}
		return call(entry.Name(), info.ModTime())
	})
}
