package demo

import (
	"context"
	"errors"
	"net/http"

	"golang.org/x/sync/errgroup"

	"yalvo/client"
)

// keeper is the member that is made last: when it is there, all is.
var keeper = Item{ID: "keeper", Fields: map[string]any{"handle": "keeper", "name": "Keeper of the Hide Book",
	"about": "Closes the book at dusk."}}

// writers is how many requests are under way at once while loading.
const writers = 16

// Loaded tells whether a service holds the whole demo.
func Loaded(ctx context.Context, c *client.Client) (bool, error) {
	_, err := c.Get(ctx, "members/"+keeper.ID)
	var problem *client.Problem
	if errors.As(err, &problem) && (problem.Status == http.StatusNotFound || problem.Code == "no-design") {
		return false, nil
	}
	return err == nil, err
}

// Writes is how many requests loading a world takes.
func (w World) Writes() int {
	return len(w.Members) + len(w.Follows) + len(w.Sightings) + len(w.Remarks) + len(w.Likes) + len(w.Verdicts) +
		len(w.Saves) + len(w.Blocks) + 1
}

// Load applies the design and writes a world, calling wrote after each write.
// It can be interrupted and called again.
func Load(ctx context.Context, c *client.Client, w World, wrote func()) error {
	if _, err := c.Apply(ctx, "fenwatch.yaml", Design); err != nil {
		return err
	}
	create := func(collection func(Item) string) func(context.Context, Item) error {
		return func(ctx context.Context, item Item) error {
			_, _, err := c.As(item.As).Create(ctx, collection(item), item.ID, item.Fields)
			return err
		}
	}
	set := func(pair string) func(context.Context, [2]string) error {
		return func(ctx context.Context, ends [2]string) error {
			_, err := c.As(ends[0]).Set(ctx, pair, ends[0], ends[1])
			return err
		}
	}
	steps := []func() error{
		func() error {
			return each(ctx, w.Members, wrote, create(func(Item) string { return "members" }))
		},
		func() error { return each(ctx, w.Follows, wrote, set("follow")) },
		func() error {
			return each(ctx, w.Sightings, wrote, create(func(Item) string { return "sightings" }))
		},
		func() error {
			return each(ctx, w.Remarks, wrote, create(func(i Item) string { return "sightings/" + i.In + "/remarks" }))
		},
		func() error { return each(ctx, w.Likes, wrote, set("like")) },
		func() error { return each(ctx, w.Saves, wrote, set("save")) },
		func() error { return each(ctx, w.Blocks, wrote, set("block")) },
		func() error {
			return each(ctx, w.Verdicts, wrote, func(ctx context.Context, v Verdict) error {
				_, err := c.As(v.By).SetWith(ctx, "verdict", v.By, v.On, map[string]any{"value": v.Value})
				return err
			})
		},
		func() error {
			return each(ctx, []Item{keeper}, wrote, create(func(Item) string { return "members" }))
		},
	}
	for _, step := range steps {
		if err := step(); err != nil {
			return err
		}
	}
	return nil
}

// each writes items, several at once, and stops at the first error.
func each[T any](ctx context.Context, items []T, wrote func(), write func(context.Context, T) error) error {
	group, ctx := errgroup.WithContext(ctx)
	group.SetLimit(writers)
	for _, item := range items {
		group.Go(func() error {
			if err := write(ctx, item); err != nil {
				return err
			}
			wrote()
			return nil
		})
	}
	return group.Wait()
}
