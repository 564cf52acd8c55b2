package album

import (
	"context"
	"errors"
	"io/fs"
	"regexp"
	"slices"
	"strings"
	"time"

	"yalvo/internal/engine/pictures"
	"yalvo/internal/engine/store"
	"yalvo/internal/engine/store/picturesql"
)

// ours are the names of files of pictures: see [fileName]. Others are let lie. broken are those of
// an upload that has broken off, see [Folder.Put].
var (
	ours   = regexp.MustCompile(`^([0-9a-f]{64})-`)
	broken = regexp.MustCompile(`^[0-9a-f]{64}-[a-z]+-part`)
)

// stray are files that belong to one picture.
type stray struct {
	id    string
	files []file
}

type file struct {
	name    string
	written time.Time
}

// old tells whether nobody can be uploading it any more.
func (f file) old() bool { return time.Since(f.written) >= uploadAge }

// lookedUp is how many pictures are looked up at once.
const lookedUp = 500

// TakeUp takes up pictures whose files are there and of which nothing is known, as those of a folder
// that was brought along: as if an operator had just uploaded them. Files of which a size is missing,
// or the end, go once they are old, as an upload has broken off.
func (a *Album) TakeUp(ctx context.Context) error {
	if a.files == nil {
		return nil
	}
	var all []stray
	err := a.files.Each(func(name string, written time.Time) error {
		is := ours.FindStringSubmatch(name)
		if is == nil {
			return ctx.Err()
		}
		if last := len(all) - 1; last >= 0 && all[last].id == is[1] {
			all[last].files = append(all[last].files, file{name, written})
			return nil
		}
		if len(all) == lookedUp {
			if err := a.takeUpStrays(ctx, all); err != nil {
				return err
			}
			all = all[:0]
		}
		all = append(all, stray{is[1], []file{{name, written}}})
		return ctx.Err()
	})
	if err != nil {
		return err
	}
	return a.takeUpStrays(ctx, all)
}

func (a *Album) takeUpStrays(ctx context.Context, all []stray) error {
	ids := make([]string, len(all))
	for i, s := range all {
		ids[i] = s.id
	}
	known, err := picturesql.KnownPictures(a.Store.Looking(ctx), ids)
	if err != nil {
		return err
	}
	for _, s := range all {
		if slices.Contains(known, s.id) {
			err = a.sweepBroken(s)
		} else {
			err = a.takeUp(ctx, s)
		}
		if err != nil {
			return err
		}
	}
	return nil
}

// sweepBroken drops what is left of uploads of a picture that broke off, though another did not.
func (a *Album) sweepBroken(s stray) error {
	return a.dropFiles(s, func(f file) bool { return broken.MatchString(f.name) && f.old() })
}

func (a *Album) dropFiles(s stray, which func(file) bool) error {
	for _, f := range s.files {
		if !which(f) {
			continue
		}
		if err := a.files.Remove(f.name); err != nil {
			return err
		}
	}
	return nil
}

// takeUp waits for whoever is uploading the picture, or taking it away.
func (a *Album) takeUp(ctx context.Context, s stray) error {
	return a.Store.Write(ctx, func(tx *store.Tx) error {
		if err := picturesql.LockPicture(tx, s.id); err != nil {
			return err
		}
		if _, there, err := picturesql.FindPicture(tx, s.id); err != nil || there {
			return err
		}
		p, err := a.measured(s.id)
		if err == nil {
			if err = picturesql.AddPicture(tx, p); err == nil {
				_, err = picturesql.Uploaded(tx, picturesql.Uploading{Picture: p.ID})
			}
			return err
		}
		if !errors.Is(err, fs.ErrNotExist) && !pictures.IsRefusal(err) {
			return err
		}
		if slices.ContainsFunc(s.files, func(f file) bool { return !f.old() }) {
			return nil
		}
		return a.dropFiles(s, func(file) bool { return true })
	})
}

// measured is a picture by its files.
func (a *Album) measured(id string) (picturesql.Picture, error) {
	p := picturesql.Picture{ID: id}
	var types []string
	for _, size := range pictures.Sizes {
		f, err := a.files.Open(fileName(id, size))
		if err != nil {
			return p, err
		}
		kind, w, h, err := pictures.Measure(f)
		if err = errors.Join(err, f.Close()); err != nil {
			return p, err
		}
		types = append(types, strings.TrimPrefix(kind, "image/"))
		if size == pictures.Full {
			p.Width, p.Height = w, h
		}
	}
	p.Types = strings.Join(types, " ")
	return p, nil
}
