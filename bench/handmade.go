package main

import (
	"bufio"
	"context"
	"fmt"
	"io"
	"log/slog"
	"math/rand/v2"
	"net"
	"net/http"
	"slices"
	"strings"
	"sync"
	"sync/atomic"
	"time"

	"yalvo/bench/byhand"
	"yalvo/client"
	"yalvo/demo"
	"yalvo/internal/machine/service"
)

// How much there is when the comparison with a server written by hand begins.
const (
	handMembers   = 2000
	handSightings = 2000
	handFollowers = 50     // of each member
	handApart     = 10     // whom each member blocks, and as many whom they hush
	handLikers    = 30_000 // further members, who only like: more than one turn's likes of a post
	handTurns     = 5
	handTime      = 4 * time.Second
)

// rival is one of the two servers: how each thing is asked of it.
type rival struct {
	url    string
	header string       // of every request
	settle func() error // waits until every duplicate is in line
	member func(n int) request
	post   func(author int, id string) request
	like   func(member int, sighting string) request
	follow func(follower, followed int) request
	apart  func(kind string, member, other int) request // they block or hush the other
	page   func(owner int) request
	own    func(owner int) request // the page, as the owner sees it, with their likes
	list   func(member int) request
}

// request is one HTTP request.
type request struct{ method, path, as, body string }

// handmade: Yalvo beside the server one would write by hand, for the demo's
// design, driven by the same load in the same run, by turns. Of Yalvo's writes
// the time until everything is settled counts too: the other has by then done
// what it will do.
func (b *bench) handmade() error {
	quiet := slog.New(slog.NewTextHandler(io.Discard, nil))
	if err := b.stop(); err != nil {
		return err
	}
	if err := b.sql("CREATE DATABASE fenwatch", "CREATE DATABASE byhand"); err != nil {
		return err
	}
	s, err := service.Start(b.ctx, service.Options{Listen: "127.0.0.1:0", Database: b.databaseNamed("fenwatch"),
		Log: quiet})
	if err != nil {
		return err
	}
	defer s.Stop()
	hand, err := byhand.Start(b.ctx, b.databaseNamed("byhand"))
	if err != nil {
		return err
	}
	defer hand.Stop()
	key, err := s.MakeKey(b.ctx, "bench")
	if err != nil {
		return err
	}
	c := client.New(s.Address).With(key)
	if _, err := c.Apply(b.ctx, "fenwatch.yaml", demo.Design); err != nil {
		return err
	}
	rivals := []rival{byHandRival(hand.URL), yalvoRival(b.ctx, c, s.Address, "Authorization: Bearer "+key+"\r\n")}
	for _, r := range rivals {
		if err := r.fill(handLikers, handFollowers); err != nil {
			return err
		}
	}
	return b.compare(rivals[0], rivals[1])
}

// databaseNamed is the address of another database on the bench's server.
func (b *bench) databaseNamed(name string) string {
	before, after, _ := strings.Cut(b.database, "?")
	return before[:strings.LastIndexByte(before, '/')+1] + name + "?" + after
}

func byHandRival(url string) rival {
	return rival{
		url:    url,
		settle: func() error { return nil },
		member: func(n int) request {
			return request{"POST", "/members", "", fmt.Sprintf(`{"id":"m%d","handle":"m%05d","name":"Member %d"}`,
				n, n, n)}
		},
		post: func(author int, id string) request {
			return request{"POST", "/sightings", "",
				fmt.Sprintf(`{"id":"%s","author":"m%d","text":"Two bitterns at the reed bed.","birds":2}`, id, author)}
		},
		like: func(member int, sighting string) request {
			return request{"PUT", fmt.Sprintf("/likes/m%d/%s", member, sighting), "", ""}
		},
		follow: func(follower, followed int) request {
			return request{"PUT", fmt.Sprintf("/follows/m%d/m%d", follower, followed), "", ""}
		},
		apart: func(kind string, member, other int) request {
			tables := map[string]string{"block": "blocks", "hush": "hushes"}
			return request{"PUT", fmt.Sprintf("/%s/m%d/m%d", tables[kind], member, other), "", ""}
		},
		page: func(owner int) request { return request{"GET", fmt.Sprintf("/timeline/m%d", owner), "", ""} },
		own: func(owner int) request {
			return request{"GET", fmt.Sprintf("/timeline/m%d?marks=liked", owner), "", ""}
		},
		list: func(member int) request { return request{"GET", fmt.Sprintf("/everyone/m%d", member), "", ""} },
	}
}

func yalvoRival(ctx context.Context, c *client.Client, url, header string) rival {
	return rival{
		url:    url,
		header: header,
		settle: func() error { return c.AfterAll().Settle(ctx) },
		member: func(n int) request {
			return request{"POST", "/v1/collections/members", "",
				fmt.Sprintf(`{"id":"m%d","facts":{"handle":"m%05d","name":"Member %d"}}`, n, n, n)}
		},
		post: func(author int, id string) request {
			return request{"POST", "/v1/collections/sightings", fmt.Sprintf("m%d", author),
				`{"id":"` + id + `","facts":{"text":"Two bitterns at the reed bed.","species":["Bittern"],"birds":2}}`}
		},
		like: func(member int, sighting string) request {
			return request{"PUT", fmt.Sprintf("/v1/pairs/like/m%d/%s", member, sighting), "", ""}
		},
		follow: func(follower, followed int) request {
			return request{"PUT", fmt.Sprintf("/v1/pairs/follow/m%d/m%d", follower, followed), "", ""}
		},
		apart: func(kind string, member, other int) request {
			return request{"PUT", fmt.Sprintf("/v1/pairs/%s/m%d/m%d", kind, member, other), "", ""}
		},
		page: func(owner int) request { return request{"GET", fmt.Sprintf("/v1/timelines/home/m%d", owner), "", ""} },
		own: func(owner int) request {
			return request{"GET", fmt.Sprintf("/v1/timelines/home/m%d?marks=liked", owner), fmt.Sprintf("m%d", owner),
				""}
		},
		list: func(member int) request {
			return request{"GET", "/v1/lists/everyone?marks=liked", fmt.Sprintf("m%d", member), ""}
		},
	}
}

// fill writes what there is before anything is measured, with so many who only like, and so many followers of each
// member.
func (r rival) fill(likers, followers int) error {
	for _, part := range []struct {
		many int
		ask  func(i int) request
	}{
		{handMembers + likers, r.member},
		{2 * handMembers * handApart, func(i int) request {
			kind, member := []string{"block", "hush"}[i%2], i/2/handApart
			return r.apart(kind, member, (member+1000+i*37%500)%handMembers)
		}},
		{handSightings, func(i int) request { return r.post(i%handMembers, fmt.Sprintf("s%d", i)) }},
		{handMembers * followers, func(i int) request {
			followed := i / followers
			return r.follow((followed+1+i%followers)%handMembers, followed)
		}},
	} {
		var next atomic.Int64
		err := r.load(func() (request, bool) {
			i := int(next.Add(1)) - 1
			if i >= part.many {
				return request{}, false
			}
			return part.ask(i), true
		})
		if err != nil {
			return err
		}
	}
	return r.settle()
}

// compare measures one thing after the other, by turns, and prints the rates of
// both sides, the median of the ratios, and what one costs of processors.
func (b *bench) compare(hand, yalvo rival) error {
	var seq atomic.Int64
	anyone := func() int { return rand.IntN(handMembers) }
	things := []struct {
		name string
		ask  func(r rival, turn int) request
	}{
		{"likes over many posts, settled", func(r rival, _ int) request {
			return r.like(anyone(), fmt.Sprintf("s%d",
				rand.IntN(handSightings)))
		}},
		{"likes of one post, settled", func(r rival, turn int) request {
			return r.like(handMembers+int(seq.Add(1))%handLikers, fmt.Sprintf("s%d",
				100+turn)) // another post every turn
		}},
		{"follows, settled", func(r rival, _ int) request {
			follower := anyone()
			return r.follow(follower, (follower+1+rand.IntN(handMembers-1))%handMembers)
		}},
		{"posts to 50 followers each, settled", func(r rival, _ int) request {
			return r.post(anyone(),
				fmt.Sprintf("n%d", seq.Add(1)))
		}},
		{"first page of a timeline, 30 entries", func(r rival, _ int) request { return r.page(anyone()) }},
		{"the same for its owner, with rules and likes", func(r rival, _ int) request { return r.own(anyone()) }},
		{"page of everyone's, with rules and likes", func(r rival, _ int) request { return r.list(anyone()) }},
	}
	fmt.Printf("\nbeside a server written by hand, per second over HTTP, %d clients (%d turns of %v; the ratio is "+
		"the median)\n", writers, handTurns, handTime)
	for _, thing := range things {
		if !strings.Contains(thing.name, *named) {
			continue
		}
		var ratios []float64
		var rates, costs [2][]string
		for turn := range handTurns {
			var both [2]float64
			for side, r := range []rival{hand, yalvo} {
				before, err := b.spent()
				if err != nil {
					return err
				}
				rate, many, err := r.rate(func() request { return thing.ask(r, turn) })
				if err != nil {
					return fmt.Errorf("%s: %w", thing.name, err)
				}
				after, err := b.spent()
				if err != nil {
					return err
				}
				both[side] = rate
				rates[side] = append(rates[side], fmt.Sprintf("%.0f", rate))
				costs[side] = append(costs[side], after.each(before, many))
			}
			ratios = append(ratios, both[1]/both[0])
		}
		slices.Sort(ratios)
		fmt.Printf("  %-40s by hand %-29s Yalvo %-29s ratio %.2f (%.2f to %.2f)\n", thing.name, strings.Join(rates[0],
			" "), strings.Join(rates[1], " "),
			median(ratios), ratios[0], ratios[len(ratios)-1])
		fmt.Printf("  %-40s by hand %-29s Yalvo %s\n", "  processor, µs each (server and load+database)",
			strings.Join(costs[0], " "), strings.Join(costs[1], " "))
	}
	return nil
}

// rate is how many requests a second are answered, with the time that what
// follows from them takes, and how many there were.
func (r rival) rate(ask func() request) (float64, int64, error) { return r.rateFor(handTime, ask) }

func (r rival) rateFor(long time.Duration, ask func() request) (float64, int64, error) {
	var many atomic.Int64
	began := time.Now()
	err := r.load(func() (request, bool) {
		if time.Since(began) > long {
			return request{}, false
		}
		many.Add(1)
		return ask(), true
	})
	if err == nil {
		err = r.settle()
	}
	return float64(many.Load()) / time.Since(began).Seconds(), many.Load(), err
}

// load has every client send one request after the other, each on a connection
// of its own, until there are no more.
func (r rival) load(next func() (request, bool)) error {
	var group sync.WaitGroup
	errs := make(chan error, writers)
	for range writers {
		group.Go(func() {
			if err := r.send(next); err != nil {
				errs <- err
			}
		})
	}
	group.Wait()
	close(errs)
	return <-errs
}

func (r rival) send(next func() (request, bool)) error {
	host := strings.TrimPrefix(r.url, "http://")
	conn, err := net.Dial("tcp", host)
	if err != nil {
		return err
	}
	defer conn.Close()
	answers := bufio.NewReaderSize(conn, 64<<10)
	for {
		ask, more := next()
		if !more {
			return nil
		}
		if err := ask.over(conn, host, r.header, answers); err != nil {
			return err
		}
	}
}

// over sends a request and reads the answer, which must be one of success.
func (q request) over(conn net.Conn, host, header string, answers *bufio.Reader) error {
	var head strings.Builder
	fmt.Fprintf(&head, "%s %s HTTP/1.1\r\nHost: %s\r\n%s", q.method, q.path, host, header)
	if q.as != "" {
		fmt.Fprintf(&head, "Yalvo-As: %s\r\n", q.as)
	}
	if q.body != "" || q.method != "GET" {
		fmt.Fprintf(&head, "Content-Type: application/json\r\nContent-Length: %d\r\n", len(q.body))
	}
	if _, err := conn.Write([]byte(head.String() + "\r\n" + q.body)); err != nil {
		return err
	}
	resp, err := http.ReadResponse(answers, nil)
	if err != nil {
		return err
	}
	defer resp.Body.Close()
	said, err := io.ReadAll(resp.Body)
	if err == nil && resp.StatusCode >= 300 {
		err = fmt.Errorf("%s %s: %s: %s", q.method, q.path, resp.Status, said)
	}
	return err
}
