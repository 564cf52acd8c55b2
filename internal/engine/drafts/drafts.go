// Package drafts keeps designs that somebody works on, so that they survive a closed browser and can be handed on.
//
// In go texts, finished or not, each with the edition that it was changed from; out come what is kept, and refusals to
// who would write over what somebody else has kept meanwhile.
//
// Not done here: reading a draft as a design, what it would change, and putting it in force (package versions). A draft
// is no fact of the app: dumps do not hold it.
package drafts

import (
	"context"
	"regexp"
	"strings"
	"unicode/utf8"

	"yalvo/internal/engine/running"
	"yalvo/internal/engine/store"
	"yalvo/internal/engine/store/versionsql"
)

// Most is how many drafts there may be.
const Most = 100

// mostAuthor is how many bytes the name of who keeps a draft may have.
const mostAuthor = 200

// names are those that a draft may have: they stand in addresses.
var names = regexp.MustCompile(`^[a-z0-9][a-z0-9-]{0,63}$`)

// Folder keeps the drafts of one app.
type Folder struct{ Store *store.Store }

// All are the drafts without their texts, the one changed last first.
func (f *Folder) All(ctx context.Context) ([]versionsql.Draft, error) {
	all, err := versionsql.Drafts(f.Store.Looking(ctx))
	if all == nil {
		all = []versionsql.Draft{}
	}
	return all, err
}

// Draft is one with its text. Errors: not-found.
func (f *Folder) Draft(ctx context.Context, name string) (*versionsql.Draft, error) {
	if err := checkName(name); err != nil {
		return nil, err
	}
	d, err := versionsql.DraftNamed(f.Store.Looking(ctx), name)
	if err == nil && d == nil {
		err = missing(name)
	}
	return d, err
}

// Keep keeps a draft: with edition 0 a new one, else in place of that edition. A base below 0 stands for the one it
// had, of a new one for the version in force. What is kept already is answered as it is, so that whoever heard no
// answer may ask again. Errors: invalid, conflict (the name is taken), stale (somebody has kept it since), too-many.
func (f *Folder) Keep(ctx context.Context, d versionsql.Draft) (kept *versionsql.Draft, err error) {
	if err := check(d); err != nil {
		return nil, err
	}
	err = f.Store.Write(ctx, func(tx *store.Tx) error {
		kept, err = keep(tx, d)
		return err
	})
	return kept, err
}

func keep(tx *store.Tx, d versionsql.Draft) (*versionsql.Draft, error) {
	now, _, err := versionsql.CurrentDesign(tx)
	if err != nil {
		return nil, err
	}
	if d.Base > now.Version {
		return nil, running.Refuse(running.CodeInvalid, "there is no version %d of the design yet: the newest is %d",
			d.Base, now.Version)
	}
	had, err := versionsql.DraftNamed(tx, d.Name)
	if err != nil {
		return nil, err
	}
	if d.Base < 0 && had != nil {
		d.Base = had.Base
	} else if d.Base < 0 {
		d.Base = now.Version
	}
	if had != nil && had.Source == d.Source && had.Base == d.Base {
		return had, nil
	}
	if d.Edition == 0 {
		return add(tx, d, had)
	}
	done, err := versionsql.SaveDraft(tx, d)
	if err != nil {
		return nil, err
	}
	if !done {
		return nil, stale(d.Name, had)
	}
	return versionsql.DraftNamed(tx, d.Name)
}

func add(tx *store.Tx, d versionsql.Draft, had *versionsql.Draft) (*versionsql.Draft, error) {
	if had != nil {
		return nil, taken(d.Name)
	}
	done, err := versionsql.AddDraft(tx, d, Most)
	if err != nil {
		return nil, err
	}
	kept, err := versionsql.DraftNamed(tx, d.Name)
	if done || err != nil {
		return kept, err
	}
	if kept != nil {
		return nil, taken(d.Name)
	}
	return nil, running.Refuse(running.CodeTooMany, "there are %d drafts, as many as there may be: drop one first",
		Most)
}

// Drop forgets a draft; edition 0 stands for whichever is kept. Errors: not-found, stale.
func (f *Folder) Drop(ctx context.Context, name string, edition int64) error {
	if err := checkName(name); err != nil {
		return err
	}
	return f.Store.Write(ctx, func(tx *store.Tx) error {
		done, err := versionsql.DropDraft(tx, name, edition)
		if done || err != nil {
			return err
		}
		had, err := versionsql.DraftNamed(tx, name)
		if err != nil {
			return err
		}
		return stale(name, had)
	})
}

func check(d versionsql.Draft) error {
	if err := checkName(d.Name); err != nil {
		return err
	}
	if !utf8.ValidString(d.Source) || strings.ContainsRune(d.Source, 0) {
		return running.Refuse(running.CodeInvalid, "a draft is text in UTF-8, and this is not: is it a picture, or "+
			"another file?")
	}
	if len(d.Author) > mostAuthor || !utf8.ValidString(d.Author) || strings.ContainsRune(d.Author, 0) {
		return running.Refuse(running.CodeInvalid, "by may have %d bytes of text in UTF-8", mostAuthor)
	}
	return nil
}

func checkName(name string) error {
	if names.MatchString(name) {
		return nil
	}
	return running.Refuse(running.CodeInvalid, "a draft is called by up to 64 small letters, digits and hyphens, as "+
		"in autumn-cards")
}

func missing(name string) error {
	return running.Refuse(running.CodeNotFound, "there is no draft %s", name)
}

func taken(name string) error {
	return running.Refuse(running.CodeConflict, "there is a draft %s already: choose another name, or change that one "+
		"with its edition in If-Match", name)
}

// stale refuses what was made from an edition that is there no more.
func stale(name string, had *versionsql.Draft) error {
	if had == nil {
		return missing(name)
	}
	by := ""
	if had.Author != "" {
		by = " by " + had.Author
	}
	return running.Refuse(running.CodeStale, "draft %s has been kept%s meanwhile and is at edition %d: read it again",
		name, by, had.Edition)
}
