package running

import (
	"context"
	"errors"
	"fmt"
	"strings"
	"time"

	"yalvo/internal/design"
	"yalvo/internal/store"
)

// Applied says what applying a design did.
type Applied struct {
	Version int
	Changed bool
	Without []string // services that have not taken it up yet
}

// Apply puts a checked design in force. In this release a design can be changed
// in everything until the first document has been written under it, and then
// in what is not stored.
func (a *App) Apply(ctx context.Context, file string, d *design.Design) (Applied, error) {
	if now, applied, err := a.Store.CurrentDesign(ctx); err != nil {
		return Applied{}, err
	} else if applied && now.Source == string(d.Source) {
		return a.takenUp(ctx, false)
	}
	err := a.Store.Write(ctx, func(tx *store.Tx) error {
		if err := tx.LockDesign(); err != nil {
			return err
		}
		if err := fitsWhatIsStored(tx, d); err != nil {
			return err
		}
		if err := tx.AddDesign(file, string(d.Source)); err != nil {
			return err
		}
		_, err := tx.Plan(d) // what cannot be planned is not put in force
		return err
	})
	if errors.Is(err, store.ErrNumbers) {
		return Applied{}, Refuse(CodeDesignHeld, "the designs that were in force in this database have had so "+
			"many names "+
			"that no new ones can be numbered: use another database or data folder")
	}
	if err != nil {
		return Applied{}, err
	}
	got, err := a.takenUp(ctx, true)
	if err == nil {
		a.Log.Info("a design was put in force", "app", d.App, "version", got.Version, "file", file, "not taken up by",
			got.Without)
	}
	return got, err
}

// takenUp is the answer when this service and the others work by the design.
func (a *App) takenUp(ctx context.Context, changed bool) (Applied, error) {
	if err := a.Reload(ctx); err != nil {
		return Applied{}, err
	}
	version := a.inForce.Load().Number
	without, err := a.others(ctx, version)
	return Applied{version, changed, without}, err
}

// fitsWhatIsStored: a design in use can change in what is not stored.
func fitsWhatIsStored(tx *store.Tx, next *design.Design) error {
	has, err := tx.HasDocuments()
	if err != nil || !has {
		return err
	}
	now, _, err := tx.CurrentDesign()
	if err != nil {
		return err
	}
	running, err := design.Read(now.File, []byte(now.Source))
	if err != nil {
		return fmt.Errorf("the running design cannot be read any more: %w", err)
	}
	differ := design.StoredDifferently(running, next)
	if len(differ) == 0 {
		return nil
	}
	return Refuse(CodeDesignHeld, "documents have been written under the running design, and %s would be stored "+
		"differently: then only triggers and what timelines carry can change yet. Use another database or data folder "+
		"for the new design", strings.Join(differ, ", "))
}

// Design is a design file as it was applied.
type Design struct {
	Version int
	Applied time.Time
	File    string
	Source  string
}

// Design is the file in force, false if there is none.
func (a *App) Design(ctx context.Context) (Design, bool, error) {
	d, applied, err := a.Store.CurrentDesign(ctx)
	return Design(d), applied, err
}
