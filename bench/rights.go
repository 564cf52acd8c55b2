package main

import (
	"errors"
	"fmt"
	"log/slog"
	"math/rand/v2"
	"os"
	"strings"

	"yalvo/client"
	"yalvo/demo"
	"yalvo/internal/machine/service"
)

// rights: a page of everyone's in the demo, each sighting with its two last remarks, as an account reads it:
// where the design says that these are for all, and where each is judged for its reader. First each sighting has two
// remarks, then six.
func (b *bench) rights() error {
	told := strings.Replace(string(demo.Design), "        hidden: {write: \"warden()\"}\n",
		"        hidden: {write: \"warden()\"}\n        last_remarks: {read: true}\n", 1)
	if told == string(demo.Design) {
		return fmt.Errorf("the demo's design has no such line any more")
	}
	if err := b.stop(); err != nil {
		return err
	}
	var ways []way
	var apps []*client.Client
	for _, variant := range []struct{ name, database, design string }{
		{"a page of everyone's, remarks are for all", "told", told},
		{"the same, each judged for its reader", "judged", string(demo.Design)}} {
		if err := b.sql("CREATE DATABASE " + variant.database); err != nil {
			return err
		}
		s, err := service.Start(b.ctx, service.Options{Listen: "127.0.0.1:0",
			Database: b.databaseNamed(variant.database),
			Log:      slog.New(slog.NewTextHandler(os.Stderr, &slog.HandlerOptions{Level: slog.LevelError}))})
		if err != nil {
			return err
		}
		defer s.Stop()
		key, err := s.MakeKey(b.ctx, "bench")
		if err != nil {
			return err
		}
		c := client.New(s.Address).With(key)
		if _, err := c.Apply(b.ctx, "fenwatch.yaml", []byte(variant.design)); err != nil {
			return err
		}
		r := yalvoRival(b.ctx, c, s.Address, "Authorization: Bearer "+key+"\r\n")
		if err := r.fill(0, 0); err != nil {
			return err
		}
		apps = append(apps, c)
		ways = append(ways, way{variant.name, func() (float64, error) {
			rate, _, err := r.rate(func() request { return r.list(rand.IntN(handMembers)) })
			return rate, err
		}})
	}
	for _, many := range [][2]int{{0, 2}, {2, 6}} {
		for _, c := range apps {
			if err := b.remarks(c, many[0], many[1]); err != nil {
				return err
			}
		}
		fmt.Printf("\nwho may read what duplicates show: the last two of %d remarks on each sighting, pages/s "+
			"over HTTP, %d clients (median of %d, in turns)\n", many[1], writers, turns)
		if err := inTurns(ways...); err != nil {
			return err
		}
	}
	return nil
}

// remarks has each of the newest sightings remarked on so many times.
func (b *bench) remarks(c *client.Client, from, to int) error {
	for i := handSightings - 200; i < handSightings; i++ {
		for n := from; n < to; n++ {
			_, _, err := c.As(fmt.Sprintf("m%d", (7*i+n)%handMembers)).Create(b.ctx,
				fmt.Sprintf("sightings/s%d/remarks", i), "",
				map[string]any{"text": "Seen from the other hide as well."})
			if refused := (*client.Problem)(nil); errors.As(err, &refused) {
				continue // one of the two has blocked the other
			}
			if err != nil {
				return err
			}
		}
	}
	return c.AfterAll().Settle(b.ctx)
}
