package main

import (
	"errors"
	"fmt"
	"io"
	"log/slog"
	"math/rand/v2"
	"strings"

	"yalvo/client"
	"yalvo/demo"
	"yalvo/internal/machine/service"
)

// rights: a page of everyone's in the demo, each sighting with its two last remarks, as an account reads it:
// where the design says that these are for all, and where each is judged for its reader.
func (b *bench) rights() error {
	told := strings.Replace(string(demo.Design), "        hidden: {write: \"warden()\"}\n",
		"        hidden: {write: \"warden()\"}\n        last_remarks: {read: true}\n", 1)
	if told == string(demo.Design) {
		return fmt.Errorf("the demo's design has no such line any more")
	}
	var ways []way
	for _, variant := range []struct{ name, database, design string }{
		{"page of everyone's with two remarks each, which are for all", "told", told},
		{"the same, each remark judged for its reader", "judged", string(demo.Design)}} {
		if err := b.sql("CREATE DATABASE " + variant.database); err != nil {
			return err
		}
		s, err := service.Start(b.ctx, service.Options{Listen: "127.0.0.1:0",
			Database: b.databaseNamed(variant.database),
			Log:      slog.New(slog.NewTextHandler(io.Discard, nil))})
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
		if err := r.fill(0); err != nil {
			return err
		}
		if err := b.remarks(c); err != nil {
			return err
		}
		ways = append(ways, way{variant.name, func() (float64, error) {
			return r.rate(func() request { return r.list(rand.IntN(handMembers)) })
		}})
	}
	fmt.Printf("\nwho may read what duplicates show, pages/s over HTTP, %d clients (median of %d, in turns)\n",
		writers, turns)
	return inTurns(ways...)
}

// remarks has each of the newest sightings remarked on twice.
func (b *bench) remarks(c *client.Client) error {
	for i := handSightings - 200; i < handSightings; i++ {
		for n := range 2 {
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
