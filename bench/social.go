package main

import (
	"fmt"
	"slices"
	"strings"
	"sync"
	"time"
)

// follow: a follow that brings 800 entries in, and 2,000 follows of one author
// in a burst.
func (b *bench) follow() error {
	const posts, burst = 800, 2000
	for _, id := range []string{"diarist", "newcomer"} {
		if _, _, err := b.client.Create(b.ctx, "people", id, map[string]any{"name": "Diarist"}); err != nil {
			return err
		}
	}
	if err := together(posts/writers, func(w, i int) error {
		_, _, err := b.client.As("diarist").Create(b.ctx, "posts", "", map[string]any{"text": "A page of a diary."})
		return err
	}); err != nil {
		return err
	}
	if err := together(burst/writers, func(w, i int) error {
		_, _, err := b.client.Create(b.ctx, "people", fmt.Sprintf("burst%d_%d", w, i), map[string]any{"name": "Fan"})
		return err
	}); err != nil {
		return err
	}
	one, err := b.timed(func() error {
		position, err := b.client.Set(b.ctx, "follow", "newcomer", "diarist")
		return b.settled(position, err)
	})
	if err != nil {
		return err
	}
	acknowledged, err := b.timed(func() error {
		return together(burst/writers, func(w, i int) error {
			_, err := b.client.Set(b.ctx, "follow", fmt.Sprintf("burst%d_%d", w, i), "diarist")
			return err
		})
	})
	if err != nil {
		return err
	}
	rest, err := b.timed(func() error { return b.client.AfterAll().Settle(b.ctx) })
	if err != nil {
		return err
	}
	fmt.Printf("\nfollowing an author of %d posts\n", posts)
	fmt.Printf("  one follow, from the request to the last of the entries: %v\n", short(one))
	fmt.Printf("  %d follows in a burst: acknowledged in %v, settled %v later, %.0f entries/s\n", burst,
		short(acknowledged), short(rest), posts*burst/(acknowledged+rest))
	return nil
}

func short(seconds float64) time.Duration {
	return time.Duration(seconds * float64(time.Second)).Round(time.Millisecond)
}

// hot: one post that everybody likes, with an exact count; beside a field of
// the post that 16 clients count up through the same HTTP path.
func (b *bench) hot() error {
	const each = 250
	if _, _, err := b.client.Create(b.ctx, "people", "celebrity", map[string]any{"name": "Celebrity"}); err != nil {
		return err
	}
	if _, _, err := b.client.As("celebrity").Create(b.ctx, "posts", "hot", map[string]any{"text": "An ivory " +
		"gull!"}); err != nil {
		return err
	}
	if err := together(each, func(w, i int) error {
		_, _, err := b.client.Create(b.ctx, "people", fmt.Sprintf("liker%d_%d", w, i), map[string]any{"name": "Liker"})
		return err
	}); err != nil {
		return err
	}
	edits, err := b.timed(func() error {
		return together(each/5, func(w, i int) error {
			_, _, err := b.client.Patch(b.ctx, "posts/hot", map[string]any{"text": fmt.Sprint("liked ", w, " ", i)})
			return err
		})
	})
	if err != nil {
		return err
	}
	likes, err := b.timed(func() error {
		return together(each, func(w, i int) error {
			_, err := b.client.Set(b.ctx, "like", fmt.Sprintf("liker%d_%d", w, i), "hot")
			return err
		})
	})
	if err != nil {
		return err
	}
	settled, err := b.timed(func() error { return b.client.AfterAll().Settle(b.ctx) })
	if err != nil {
		return err
	}
	post, err := b.client.Get(b.ctx, "posts/hot")
	if err != nil {
		return err
	}
	if got := fmt.Sprint(post.Kept["likes_n"]); got != fmt.Sprint(writers*each) {
		return fmt.Errorf("the count of likes is %s, not %d", got, writers*each)
	}
	fmt.Printf("\none very popular post, %d clients over HTTP, writes/s\n", writers)
	line("one field of the post changed by each, as n = n + 1 would", float64(each/5*writers)/edits, 0)
	line("likes, each a pair, counted exactly", float64(each*writers)/likes, float64(each/5*writers)/edits)
	fmt.Printf("  %d likes counted, settled %v after the last\n", writers*each, short(settled))
	return nil
}

// lag: small posts at a steady rate, and how long after its acknowledgement
// each is in the last of 50 timelines.
func (b *bench) lag() error {
	const authors, fans, seconds = 20, 50, 8
	for i := range authors {
		if _, _, err := b.client.Create(b.ctx, "people", fmt.Sprintf("author%d", i),
			map[string]any{"name": "Author"}); err != nil {
			return err
		}
	}
	for i := range fans {
		if _, _, err := b.client.Create(b.ctx, "people", fmt.Sprintf("reader_%d", i),
			map[string]any{"name": "Reader"}); err != nil {
			return err
		}
		for a := range authors {
			if _, err := b.client.Set(b.ctx, "follow", fmt.Sprintf("reader_%d", i), fmt.Sprintf("author%d",
				a)); err != nil {
				return err
			}
		}
	}
	if err := b.client.AfterAll().Settle(b.ctx); err != nil {
		return err
	}
	fmt.Printf("\nposts to %d followers each at a steady rate: from the acknowledgement to the last timeline\n", fans)
	for _, rate := range []int{100, 300, 500, 600} {
		reached, lags, err := b.steadily(rate, seconds, authors)
		if err != nil {
			return err
		}
		at := func(p float64) time.Duration { return lags[int(p*float64(len(lags)-1))].Round(time.Millisecond) }
		fmt.Printf("  asked for %3d posts/s, got %3.0f: p50 %v, p99 %v, max %v\n", rate, reached, at(0.5), at(0.99),
			at(1))
	}
	return nil
}

// steadily posts at a rate for some seconds and waits for each post. It
// returns the rate that was reached and the lags, sorted.
func (b *bench) steadily(rate, seconds, authors int) (float64, []time.Duration, error) {
	var mu sync.Mutex
	var lags []time.Duration
	var failed error
	var group sync.WaitGroup
	began := time.Now()
	tick := time.NewTicker(time.Second / time.Duration(rate))
	defer tick.Stop()
	room := make(chan struct{}, 64) // posts under way: beyond that the rate is not reached
	many := rate * seconds
	for i := range many {
		<-tick.C
		room <- struct{}{}
		group.Go(func() {
			_, position, err := b.client.As(fmt.Sprintf("author%d", i%authors)).Create(b.ctx, "posts", "",
				map[string]any{"text": strings.Repeat("A heron. ", 10)})
			acknowledged := time.Now()
			<-room
			err = b.settled(position, err)
			mu.Lock()
			defer mu.Unlock()
			lags = append(lags, time.Since(acknowledged))
			if err != nil {
				failed = err
			}
		})
	}
	reached := float64(many) / time.Since(began).Seconds()
	group.Wait()
	slices.Sort(lags)
	return reached, lags, failed
}
