package album

import (
	"context"
	"encoding/json"
	"errors"
	"fmt"
	"io"
	"io/fs"
	"strings"
	"time"

	"golang.org/x/sync/semaphore"

	"yalvo/internal/design"
	"yalvo/internal/design/plan"
	"yalvo/internal/engine/judging"
	"yalvo/internal/engine/pictures"
	"yalvo/internal/engine/running"
	"yalvo/internal/engine/store"
	"yalvo/internal/engine/store/picturesql"
)

// Album keeps the pictures of an app.
type Album struct {
	*judging.Judges
	files  Files
	pixels *semaphore.Weighted // that are decoded at once, which bounds the memory that takes
}

// New makes an album; files is nil for a service that keeps no pictures.
func New(judges *judging.Judges, files Files) *Album {
	return &Album{judges, files, semaphore.NewWeighted(pictures.MostPixels)}
}

// Name is how documents refer to a picture.
func Name(id string) string { return prefix + id }

const prefix = design.PicturePrefix

// uploadAge is how long a picture may wait for a document to refer to it.
const uploadAge = 24 * time.Hour

// errNoPlace refuses pictures where there is no place for them.
var errNoPlace = running.Refuse(running.CodeNoPictures, "this service keeps no pictures: start it with "+
	"--pictures FOLDER, which all services of the database share")

// What an account may upload within [uploadAge] without using it.
const (
	mostUploads     = 500
	mostUploadBytes = 1 << 30
)

// Upload keeps a picture that an account, or an operator, has sent, and tells whether it is new to them. The
// same one sent again is the same picture, whoever has sent it before: nobody is told of that.
func (a *Album) Upload(ctx context.Context, account string, data []byte, called string) (picturesql.Picture, bool,
	error) {
	if a.files == nil {
		return picturesql.Picture{}, false, errNoPlace
	}
	u, err := pictures.Recognise(data, called)
	if err != nil {
		return picturesql.Picture{}, false, refusal(err)
	}
	many, bytes, again, err := picturesql.Uploads(a.Store.Looking(ctx), account, u.ID, uploadAge)
	if err != nil {
		return picturesql.Picture{}, false, err
	}
	if account != "" && !again && (many >= mostUploads || bytes+int64(len(data)) > mostUploadBytes) {
		return picturesql.Picture{}, false, running.Refuse(running.CodeTooMany,
			"this account has uploaded %d pictures of %d MiB "+
				"lately that no document refers to: %d and %d MiB are kept, for a day", many, bytes>>20, mostUploads,
			mostUploadBytes>>20)
	}
	uploading := picturesql.Uploading{Account: account, Picture: u.ID, Bytes: len(data)}
	there, err := a.isThere(ctx, uploading)
	if err != nil || there.ID != "" {
		return there, !again, err
	}
	made, err := a.make(ctx, u)
	if err != nil {
		return picturesql.Picture{}, false, err
	}
	p := picturesql.Picture{ID: u.ID, Width: made.Width, Height: made.Height, Types: typesOf(made)}
	return p, !again, a.Store.Write(ctx, func(tx *store.Tx) error {
		if err := picturesql.LockPicture(tx, p.ID); err != nil {
			return err
		}
		for size, v := range made.Versions {
			if err := a.files.Put(fileName(p.ID, size), v.Data); err != nil {
				return fmt.Errorf("keeping a picture: %w", err)
			}
		}
		if err := picturesql.AddPicture(tx, p); err != nil {
			return err
		}
		_, err := picturesql.Uploaded(tx, uploading)
		return err
	})
}

// isThere is a picture if it is there with its files, and now also of whoever has sent it again.
func (a *Album) isThere(ctx context.Context, u picturesql.Uploading) (picturesql.Picture, error) {
	p, found, err := picturesql.FindPicture(a.Store.Looking(ctx), u.Picture)
	if err != nil || !found {
		return picturesql.Picture{}, err
	}
	f, err := a.files.Open(fileName(u.Picture, pictures.Full))
	if errors.Is(err, fs.ErrNotExist) {
		return picturesql.Picture{}, nil // it is made anew
	}
	if err != nil {
		return picturesql.Picture{}, err
	}
	if err := f.Close(); err != nil {
		return picturesql.Picture{}, err
	}
	if found, err = picturesql.Uploaded(a.Store.Looking(ctx), u); err != nil || !found {
		return picturesql.Picture{}, err
	}
	return p, nil
}

// make decodes a picture when there is room for its pixels.
func (a *Album) make(ctx context.Context, u *pictures.Upload) (*pictures.Picture, error) {
	if err := a.pixels.Acquire(ctx, u.Pixels()); err != nil {
		return nil, err
	}
	defer a.pixels.Release(u.Pixels())
	p, err := u.Make()
	return p, refusal(err)
}

// refusal is what a client is told of what is wrong with a picture.
func refusal(err error) error {
	if pictures.IsRefusal(err) {
		return running.Refuse(running.CodeNoPicture, "%s", err)
	}
	return err
}

func fileName(id, size string) string { return id + "-" + size }

func typesOf(p *pictures.Picture) string {
	var types []string
	for _, size := range pictures.Sizes {
		types = append(types, strings.TrimPrefix(p.Versions[size].Type, "image/"))
	}
	return strings.Join(types, " ")
}

// File is a picture in one size, as it is served.
type File struct {
	io.ReadSeekCloser
	Type string
}

// Open opens a picture for whoever may see it. What they may not is as if it were not there.
func (a *Album) Open(ctx context.Context, who running.Viewer, id, size string) (*File, error) {
	if a.files == nil {
		return nil, errNoPlace
	}
	v, err := a.Now(ctx)
	if err != nil {
		return nil, err
	}
	asking := Asking{a.Store.Looking(ctx), v, a.JudgeNow(ctx, v, who), who}
	sees, p, err := asking.sees(id)
	if err != nil {
		return nil, err
	}
	if !sees {
		return nil, missing(id)
	}
	f, err := a.files.Open(fileName(id, size))
	if errors.Is(err, fs.ErrNotExist) {
		a.Log.Error("the file of a picture is not there", "picture", id, "size", size)
		return nil, missing(id)
	}
	if err != nil {
		return nil, err
	}
	for i, kind := range strings.Fields(p.Types) {
		if pictures.Sizes[i] == size {
			return &File{f, "image/" + kind}, nil
		}
	}
	return nil, errors.Join(fmt.Errorf("a picture has no size %q", size), f.Close())
}

func missing(id string) error {
	return running.Refuse(running.CodeNotFound, "there is no picture %s", design.Clip(id))
}

// How many documents that refer to a picture are looked at for one that may be read.
const (
	chunk  = 200
	mostOf = 10_000
)

// Asking is somebody who wants to see pictures.
type Asking struct {
	Tx      *store.Tx
	Version *running.Version
	Judge   *judging.Judge // nil: no rules hold for them
	Viewer  running.Viewer
}

// sees tells whether they may see a picture: operators all, whoever has uploaded it until it
// is used, and who may read a document that refers to it, in a field that they may read.
func (by Asking) sees(id string) (bool, picturesql.Picture, error) {
	p, found, err := picturesql.FindPicture(by.Tx, id)
	if err != nil || !found {
		return false, p, err
	}
	if by.Judge == nil {
		return true, p, nil
	}
	if by.Viewer.Me != "" {
		if _, _, theirs, err := picturesql.Uploads(by.Tx, by.Viewer.Me, id, uploadAge); err != nil || theirs {
			return theirs, p, err
		}
	}
	after := int64(0)
	for looked := 0; looked < mostOf; looked += chunk {
		docs, err := picturesql.Referring(by.Tx, id, after, chunk)
		if err != nil {
			return false, p, err
		}
		for c, some := range byCollection(by.Version, docs) {
			if sees, err := showsIn(by.Judge, c, some, Name(id)); sees || err != nil {
				return sees, p, err
			}
		}
		if len(docs) < chunk {
			break
		}
		after = docs[len(docs)-1].N
	}
	return false, p, nil
}

func byCollection(v *running.Version, docs []store.Document) map[*plan.Collection][]store.Document {
	groups := map[*plan.Collection][]store.Document{}
	for _, d := range docs {
		if c := v.Plan.CollectionNumbered(d.Collection); c != nil {
			groups[c] = append(groups[c], d)
		}
	}
	return groups
}

// showsIn tells whether one of some documents may be read and shows a picture.
func showsIn(judge *judging.Judge, c *plan.Collection, docs []store.Document, name string) (bool, error) {
	may, err := judge.Readable(c, docs)
	if err != nil {
		return false, err
	}
	for i, d := range docs {
		if !may[i] {
			continue
		}
		shown, err := judge.Show(c, d)
		if err != nil {
			return false, err
		}
		var facts map[string]any
		if err := json.Unmarshal(shown.Facts, &facts); err != nil {
			return false, err
		}
		for _, at := range design.PicturesIn(c.Fields, facts) {
			if at.Name == name {
				return true, nil
			}
		}
	}
	return false, nil
}

// Check tells what is wrong with pictures that facts refer to: each must be there, and seen
// by whoever refers to it.
func (a *Album) Check(by Asking, all []design.PictureAt) ([]design.Mistake, error) {
	var mistakes []design.Mistake
	for _, at := range all {
		sees, _, err := by.sees(strings.TrimPrefix(at.Name, prefix))
		if err != nil {
			return nil, err
		}
		if !sees {
			mistakes = append(mistakes, at.Missing())
		}
	}
	return mistakes, nil
}
