package commands

import (
	"context"
	"fmt"
	"strings"

	"github.com/urfave/cli/v3"

	"yalvo/client"
	"yalvo/internal/command/flags"
)

// Documents may be named by their path everywhere, and by their key where the
// design says of which collection they are: the ends of pairs, the owners and
// entries of timelines; else a key is an account's.

// pathOf is the path that a text names.
func (a *app) pathOf(ctx context.Context, c *cli.Command, text string) (string, error) {
	if strings.Contains(text, "/") {
		return strings.Trim(text, "/"), nil
	}
	o, err := a.Client(c).Outline(ctx)
	if err != nil || o.Accounts == "" || o.Has(text) {
		return text, err
	}
	return o.Accounts + "/" + text, nil
}

// severalAt is the path of what leads to several documents: a collection, or a name after a
// document, which may be an account's key.
func (a *app) severalAt(ctx context.Context, c *cli.Command, text string) (string, error) {
	if !leadsToOne(text) {
		return text, nil
	}
	o, err := a.Client(c).Outline(ctx)
	if err != nil {
		return "", err
	}
	if first, _, _ := strings.Cut(text, "/"); o.Accounts != "" && !o.Has(first) {
		return o.Accounts + "/" + text, nil
	}
	return "", flags.Usage("%s is a document and leads to one alone: see `yalvo show %s`", text, text)
}

// onePath is the path that a command's only argument names.
func (a *app) onePath(ctx context.Context, c *cli.Command) (string, error) {
	args, err := flags.Arguments(c, 1, 1)
	if err != nil {
		return "", err
	}
	return a.pathOf(ctx, c, args[0])
}

// keyOf is the key of a document of a collection that a text names.
func keyOf(o client.Outline, collection, text string) (string, error) {
	chain := o.Chain(collection)
	parts := strings.Split(strings.Trim(text, "/"), "/")
	if len(parts) != 2*len(chain) {
		return text, nil // a key
	}
	var ids []string
	for i, name := range chain {
		if parts[2*i] != name {
			return "", flags.Usage("%q is no document of %s", text, collection)
		}
		ids = append(ids, parts[2*i+1])
	}
	return strings.Join(ids, "/"), nil
}

// endsOf puts keys in place of paths among PAIR FROM TO.
func (a *app) endsOf(ctx context.Context, c *cli.Command, args []string) error {
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
		if args[1], err = keyOf(o, p.From, args[1]); err == nil {
			args[2], err = keyOf(o, p.To, args[2])
		}
		return err
	}
	return nil // the service says that there is no such pair
}

// ownerOf is the key of a timeline's owner.
func (a *app) ownerOf(ctx context.Context, c *cli.Command, timeline, text string) (string, error) {
	if !strings.Contains(text, "/") {
		return text, nil
	}
	o, err := a.Client(c).Outline(ctx)
	if err != nil {
		return "", err
	}
	for _, t := range o.Timelines {
		if t.Name == timeline {
			return keyOf(o, t.Owner, text)
		}
	}
	return text, nil
}

// entryOf is the path of a timeline's entry.
func (a *app) entryOf(ctx context.Context, c *cli.Command, timeline, text string) (string, error) {
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
