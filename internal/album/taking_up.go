package album

import (
	"context"
	"errors"
	"io/fs"
	"regexp"
	"slices"
	"strings"
	"time"

	"yalvo/internal/pictures"
	"yalvo/internal/store"
)

// ours are the names of files of pictures: see [fileName]. Others are let lie.
var ours = regexp.MustCompile(`^([0-9a-f]{64})-`)

// stray are files that belong to one picture.
type stray struct {
	id      string
	names   []string
	written time.Time // the last of them
}

// lookedUp is how many pictures are looked up at once.
const lookedUp = 500

// TakeUp takes up pictures whose files are there and of which nothing is known, as those of a folder
// that was brought along: as if an operator had just uploaded them. Files of which a size is missing
// go once they are old, as an upload has broken off.
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
			all[last].names = append(all[last].names, name)
			if written.After(all[last].written) {
				all[last].written = written
			}
			return nil
		}
		if len(all) == lookedUp {
			if err := a.takeUpStrays(ctx, all); err != nil {
				return err
			}
			all = all[:0]
		}
		all = append(all, stray{is[1], []string{name}, written})
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
	known, err := a.Store.Looking(ctx).KnownPictures(ids)
	if err != nil {
		return err
	}
	for _, s := range all {
		if slices.Contains(known, s.id) {
			continue
		}
		if err := a.takeUp(ctx, s); err != nil {
			return err
		}
	}
	return nil
}

// takeUp waits for whoever is uploading the picture, or taking it away.
func (a *Album) takeUp(ctx context.Context, s stray) error {
	return a.Store.Write(ctx, func(tx *store.Tx) error {
		if err := tx.LockPicture(s.id); err != nil {
			return err
		}
		if _, there, err := tx.Picture(s.id); err != nil || there {
			return err
		}
		p, err := a.measured(s.id)
		if err == nil {
			return tx.AddPicture(p)
		}
		if !errors.Is(err, fs.ErrNotExist) && !pictures.IsRefusal(err) {
			return err
		}
		if time.Since(s.written) < uploadAge {
			return nil
		}
		for _, name := range s.names {
			if err := a.files.Remove(name); err != nil {
				return err
			}
		}
		return nil
	})
}

// measured is a picture by its files.
func (a *Album) measured(id string) (store.Picture, error) {
	p := store.Picture{ID: id}
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
