package flags

import (
	"context"
	"fmt"
	"strings"

	"github.com/urfave/cli/v3"

	"yalvo/client"
)

// Documents may be named by their path everywhere, and by their key where the
// design says of which collection they are: the ends of pairs, the owners and
// entries of timelines; else a key is an account's.

// PathOf is the path that a text names.
func (a *App) PathOf(ctx context.Context, c *cli.Command, text string) (string, error) {
	if strings.Contains(text, "/") {
		return strings.Trim(text, "/"), nil
	}
	o, err := a.Client(c).Outline(ctx)
	if err != nil || o.Accounts == "" || o.Has(text) {
		return text, err
	}
	return o.Accounts + "/" + text, nil
}

// SeveralAt is the path of what leads to several documents: a collection, or a name after a
// document, which may be an account's key.
func (a *App) SeveralAt(ctx context.Context, c *cli.Command, text string) (string, error) {
	if !LeadsToOne(text) {
		return text, nil
	}
	o, err := a.Client(c).Outline(ctx)
	if err != nil {
		return "", err
	}
	if first, _, _ := strings.Cut(text, "/"); o.Accounts != "" && !o.Has(first) {
		return o.Accounts + "/" + text, nil
	}
	return "", Usage("%s is a document and leads to one alone: see `yalvo show %s`", text, text)
}

// OnePath is the path that a command's only argument names.
func (a *App) OnePath(ctx context.Context, c *cli.Command) (string, error) {
	args, err := Arguments(c, 1, 1)
	if err != nil {
		return "", err
	}
	return a.PathOf(ctx, c, args[0])
}

// KeyOf is the key of a document of a collection that a text names.
func KeyOf(o client.Outline, collection, text string) (string, error) {
	chain := o.Chain(collection)
	parts := strings.Split(strings.Trim(text, "/"), "/")
	if len(parts) != 2*len(chain) {
		return text, nil // a key
	}
	var ids []string
	for i, name := range chain {
		if parts[2*i] != name {
			return "", Usage("%q is no document of %s", text, collection)
		}
		ids = append(ids, parts[2*i+1])
	}
	return strings.Join(ids, "/"), nil
}

// EndsOf puts keys in place of paths among PAIR FROM TO.
func (a *App) EndsOf(ctx context.Context, c *cli.Command, args []string) error {
	if !strings.Contains(args[1]+args[2], "/") {
		return nil
	}
	o, err := a.Client(c).Outline(ctx)
	if err != nil {
		return err
	}
	for _, p := range o.Pairs {
		if p.Name != args[0] {
			continue
		}
		if args[1], err = KeyOf(o, p.From, args[1]); err == nil {
			args[2], err = KeyOf(o, p.To, args[2])
		}
		return err
	}
	return nil // the service says that there is no such pair
}

// OwnerOf is the key of a timeline's owner.
func (a *App) OwnerOf(ctx context.Context, c *cli.Command, timeline, text string) (string, error) {
	if !strings.Contains(text, "/") {
		return text, nil
	}
	o, err := a.Client(c).Outline(ctx)
	if err != nil {
		return "", err
	}
	for _, t := range o.Timelines {
		if t.Name == timeline {
			return KeyOf(o, t.Owner, text)
		}
	}
	return text, nil
}

// EntryOf is the path of a timeline's entry.
func (a *App) EntryOf(ctx context.Context, c *cli.Command, timeline, text string) (string, error) {
	if strings.Contains(text, "/") {
		return strings.Trim(text, "/"), nil
	}
	o, err := a.Client(c).Outline(ctx)
	if err != nil {
		return "", err
	}
	for _, t := range o.Timelines {
		if t.Name == timeline {
			return fmt.Sprintf("%s/%s", t.Entries, text), nil
		}
	}
	return text, nil
}

// LeadsToOne tells of a path whether it leads to a document: collections and ids
// stand in it by turns.
func LeadsToOne(path string) bool { return strings.Count(strings.Trim(path, "/"), "/")%2 == 1 }
