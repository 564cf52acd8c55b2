package facts

import (
	"context"
	"slices"

	"yalvo/internal/design"
	"yalvo/internal/design/plan"
	"yalvo/internal/engine/album"
	"yalvo/internal/engine/running"
	"yalvo/internal/engine/store/picturesql"
)

// mayRefer refuses facts that refer to pictures which are not there, or are not for the client
// to see: what they refer to they could show to themselves and others. Those that the
// document refers to already stay.
func (u Unit) mayRefer(c *plan.Collection, facts, before map[string]any) error {
	pictures := newPictures(c, facts, before)
	if len(pictures) == 0 {
		return nil
	}
	asking := album.Asking{Tx: u.Tx, Version: u.Version, Judge: u.judge(), Viewer: u.who}
	mistakes, err := u.album.Check(asking, pictures)
	if err == nil && len(mistakes) > 0 {
		err = running.Invalid(running.Under("/facts", mistakes))
	}
	return err
}

// newPictures are those that facts refer to and did not before.
func newPictures(c *plan.Collection, facts, before map[string]any) []design.PictureAt {
	now := design.PicturesIn(c.Collection.Fields, facts)
	if len(now) == 0 {
		return nil
	}
	was := design.PicturesIn(c.Collection.Fields, before)
	return slices.DeleteFunc(now, func(p design.PictureAt) bool {
		return slices.ContainsFunc(was, func(o design.PictureAt) bool { return o.Name == p.Name })
	})
}

// refersTo refuses a document that was written and refers to a picture which was swept
// meanwhile.
func (u Unit) refersTo(c *plan.Collection, key string, facts, before map[string]any) error {
	wanted := newPictures(c, facts, before)
	if len(wanted) == 0 {
		return nil
	}
	noted, err := picturesql.NotedPictures(u.Tx, c, key)
	if err != nil {
		return err
	}
	var mistakes []design.Mistake
	for _, p := range wanted {
		if !slices.Contains(noted, p.Name[len(design.PicturePrefix):]) {
			mistakes = append(mistakes, p.Missing())
		}
	}
	if len(mistakes) > 0 {
		return running.Invalid(running.Under("/facts", mistakes))
	}
	return picturesql.UseUploads(u.Tx, u.who.Me, noted)
}

// ForgetPictures takes away the pictures of what is forgotten.
func (w *Writer) ForgetPictures(ctx context.Context, forgotten int64) error {
	return w.album.Forget(ctx, forgotten)
}
