package tests

import (
	"fmt"
	"slices"
	"strings"
	"sync"
	"testing"

	"yalvo/client"
)

// An author passes the limit of a mixed timeline in both directions while
// people read page by page: every page is whole all the time.
func TestAnAuthorCrossesTheLimitWhilePeopleRead(t *testing.T) {
	t.Parallel()
	w := start(t, strings.Replace(ponds, "through: follow,", "through: follow, deliver: mixed, above: 20,", 1))
	w.person("star")
	w.person("friend")
	for i := range 30 {
		w.person(fmt.Sprint("fan", i))
	}
	w.follow("fan0", "star")
	w.follow("fan0", "friend")
	var want []string
	for i := range 12 {
		author := []string{"star", "friend"}[i%2]
		w.post(author, fmt.Sprint("p", i), "hello")
		want = append([]string{fmt.Sprint("p", i)}, want...)
	}
	w.Settle()

	stop := make(chan struct{})
	var readers sync.WaitGroup
	for range 3 {
		readers.Go(func() {
			for {
				select {
				case <-stop:
					return
				default:
				}
				var got []string
				for cursor := ""; ; {
					page, err := w.Timeline(t.Context(), "home", "fan0", client.Page{Limit: 5, Cursor: cursor})
					if err != nil {
						t.Error(err)
						return
					}
					for _, e := range page.Entries {
						got = append(got, e.ID)
					}
					if cursor = page.Next; cursor == "" {
						break
					}
				}
				if !slices.Equal(got, want) {
					t.Errorf("read %v, want %v", got, want)
					return
				}
			}
		})
	}
	stored := func(author string) int64 {
		return w.Number(`SELECT count(*) FROM entries WHERE owner <> author AND author = (SELECT n FROM documents WHERE key = $1)`, author)
	}
	for round := range 2 {
		for i := 1; i < 25; i++ {
			w.follow(fmt.Sprint("fan", i), "star")
		}
		w.until("the star's entries are collected", func() bool {
			return stored("star") == 0 && w.Number("SELECT count(*) FROM delivery_modes WHERE clean") == 1
		})
		same(t, "the friend's entries", stored("friend"), 6)
		why := must(w.WhyEntry(t.Context(), "home", "fan0", "posts/p0"))(t)
		if !why.There || !strings.Contains(codes(why), "+collected") {
			t.Errorf("why: %+v", why)
		}
		for i := 1; i < 25; i++ {
			w.unfollow(fmt.Sprint("fan", i), "star")
		}
		w.until("the star's entries are written again", func() bool { return w.Number("SELECT count(*) FROM delivery_modes") == 0 })
		w.Settle()
		same(t, fmt.Sprint("stored entries after round ", round), stored("star"), 6)
	}
	close(stop)
	readers.Wait()
	w.noDrift()
	w.auditFindsNothing()
}

func TestAPulledTimelineIsCollectedWhenRead(t *testing.T) {
	t.Parallel()
	w := start(t, strings.Replace(ponds, "through: follow,", "through: follow, deliver: pull,", 1))
	w.person("ada")
	w.person("ben")
	w.follow("ben", "ada")
	for i := range 7 {
		w.post("ada", fmt.Sprint("p", i), "hello")
	}
	w.post("ben", "own", "mine")
	same(t, "ben", w.home("ben"), []string{"own", "p6", "p5", "p4", "p3", "p2", "p1", "p0"})
	same(t, "stored entries", w.Number("SELECT count(*) FROM entries"), 0)
	w.unfollow("ben", "ada")
	same(t, "ben alone", w.home("ben"), []string{"own"})
	w.auditFindsNothing()
}

// Whoever follows themselves in a timeline that has not one's own collects their entries as
// others do, once these are collected: what they remove goes there too.
func TestWhoFollowsThemselvesCollectsLikeOthers(t *testing.T) {
	t.Parallel()
	w := start(t, changed(t, ponds, "through: follow,", "through: follow, deliver: mixed, above: 3,",
		"own: true", "own: false", "to_calls: followers", "to_calls: followers, self: true"))
	for _, id := range []string{"star", "a", "b", "c", "d"} {
		w.person(id)
	}
	w.follow("star", "star")
	w.post("star", "p1", "hello")
	w.post("star", "p2", "hello")
	for _, id := range []string{"a", "b", "c", "d"} {
		w.follow(id, "star")
	}
	w.until("the star's entries are collected", func() bool {
		return w.Number("SELECT count(*) FROM delivery_modes WHERE clean") == 1 &&
			w.Number("SELECT count(*) FROM entries") == 0
	})
	w.remove("posts/p1")
	w.post("star", "p3", "hello")
	w.Settle()
	same(t, "while they are collected", w.home("star"), []string{"p3", "p2"})
	w.auditFindsNothing()
	for _, id := range []string{"a", "b", "c", "d"} {
		w.unfollow(id, "star")
	}
	w.until("they are written again", func() bool { return w.Number("SELECT count(*) FROM delivery_modes") == 0 })
	w.remove("posts/p2")
	w.Settle()
	same(t, "once they are written again", w.home("star"), []string{"p3"})
	w.auditFindsNothing()
}
