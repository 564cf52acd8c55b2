package main

import (
	"fmt"
	"sync"
	"time"
)

const writers = 16

// writes: how many writes the service acknowledges per second from 16 clients,
// and how long after the last one everything has settled.
func (b *bench) writes() error {
	const people, each = 200, 40
	for i := range people {
		if _, _, err := b.client.Create(b.ctx, "people", fmt.Sprintf("w%d", i),
			map[string]any{"name": "Writer"}); err != nil {
			return err
		}
	}
	follow := func(w, i int) error {
		_, err := b.client.Set(b.ctx, "follow", fmt.Sprintf("w%d", w*12), fmt.Sprintf("w%d", (w*12+1+i)%people))
		return err
	}
	post := func(w, i int) error {
		_, _, err := b.client.As(fmt.Sprintf("w%d", w)).Create(b.ctx, "posts", "", map[string]any{"text": "A " +
			"heron at Nine Posts."})
		return err
	}
	fmt.Printf("\nwrites/s over HTTP, %d clients, and the time to settle after the last\n", writers)
	for _, kind := range []struct {
		name string
		do   func(w, i int) error
	}{{"follows", follow}, {"posts", post}} {
		seconds, err := b.timed(func() error { return together(each, kind.do) })
		if err != nil {
			return err
		}
		settled, err := b.timed(func() error { return b.client.AfterAll().Settle(b.ctx) })
		if err != nil {
			return err
		}
		fmt.Printf("  %-58s %10.0f   settled after %v\n", kind.name, writers*each/seconds,
			time.Duration(settled*float64(time.Second)).Round(time.Millisecond))
	}
	return nil
}

// together has every writer do its share at the same time.
func together(each int, do func(w, i int) error) error {
	var group sync.WaitGroup
	errs := make(chan error, writers)
	for w := range writers {
		group.Go(func() {
			for i := range each {
				if err := do(w, i); err != nil {
					errs <- err
					return
				}
			}
		})
	}
	group.Wait()
	close(errs)
	return <-errs
}
