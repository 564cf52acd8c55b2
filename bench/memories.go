package main

import (
	"fmt"
	"io"
	"log/slog"
	"math/rand/v2"
	"slices"
	"strings"

	"yalvo/client"
	"yalvo/demo"
	"yalvo/internal/machine/service"
)

// What is asked for to see what a memory gains.
var (
	aPage = asking{"first page of a timeline", func(r rival) request { return r.page(rand.IntN(handMembers)) }}
	aList = asking{"page of everyone's, with rules and likes",
		func(r rival) request { return r.list(rand.IntN(handMembers)) }}
	aLike = asking{"a like by its account", func(r rival) request {
		member := rand.IntN(handMembers)
		q := r.like(member, fmt.Sprint("s", (member+1+rand.IntN(400))%handSightings)) // of nobody who is blocked
		q.as = fmt.Sprint("m", member)
		return q
	}}
	aMark = asking{"for its owner, with one or two marks or none", func(r rival) request {
		q := r.own(rand.IntN(handMembers))
		q.path, _, _ = strings.Cut(q.path, "?")
		q.path += []string{"", "?marks=liked", "?marks=saved", "?marks=liked,saved"}[rand.IntN(4)]
		return q
	}}
	aApart = asking{"page of everyone's for those who block many",
		func(r rival) request { return r.list(rand.IntN(inMany)) }}
)

// Some block so many others.
const inMany, manyBlocked = 20, 600

type asking struct {
	name string
	ask  func(r rival) request
}

// remembered are the memories behind pages and writes, the size at which each is as good as none, and what
// they are for.
var remembered = []struct {
	name string
	none int
	gain []asking
}{
	{"documents", 0, []asking{aPage, aList}},
	{"moments", 0, []asking{aPage}},
	{"owners", 1, []asking{aPage}},
	{"statements", 1, []asking{aMark}},
	{"pairs", 1, []asking{aApart}},
	{"recalled", 1, []asking{aLike}},
	{"parts", 1, []asking{aList}},
	{"fixed", 1, []asking{aList}},
	{"meter", 0, []asking{aPage, aLike}}, // counts what is read and written: what that costs
}

// memories: what each thing that a service remembers gains. A service that has all, beside one on the same database
// that is without one of them; pages and writes of the demo's design by turns.
func (b *bench) memories() error {
	if err := b.stop(); err != nil {
		return err
	}
	if err := b.sql("CREATE DATABASE memories"); err != nil {
		return err
	}
	whole, c, stop, err := b.remembering(nil)
	if err != nil {
		return err
	}
	defer stop()
	if _, err := c.Apply(b.ctx, "fenwatch.yaml", demo.Design); err != nil {
		return err
	}
	if err := whole.fill(0, handFollowers); err != nil {
		return err
	}
	if err := b.remarks(c, 0, 2); err != nil {
		return err
	}
	for i := range inMany * manyBlocked {
		member, other := i/manyBlocked, (i/manyBlocked+950+i%manyBlocked)%handMembers
		if _, err := c.Set(b.ctx, "block", fmt.Sprint("m", member), fmt.Sprint("m", other)); err != nil {
			return err
		}
	}
	if err := c.AfterAll().Settle(b.ctx); err != nil {
		return err
	}
	fmt.Printf("\nwhat a service remembers: per second over HTTP, %d clients, with all of it and without one memory "+
		"(median of %d, in turns)\n", writers, turns)
	for _, m := range remembered {
		if *named != "" && !slices.Contains(strings.Split(*named, ","), m.name) {
			continue
		}
		without, _, stop, err := b.remembering(map[string]int{m.name: m.none})
		if err != nil {
			return err
		}
		for _, thing := range m.gain {
			of := func(name string, r rival) way {
				return way{name, func() (float64, error) {
					rate, _, err := r.rateFor(handTime/2, func() request { return thing.ask(r) })
					return rate, err
				}}
			}
			if err := inTurns(of(thing.name, whole), of("the same without "+m.name, without)); err != nil {
				return err
			}
		}
		if err := stop(); err != nil {
			return err
		}
	}
	return nil
}

// remembering starts a service of which some memories are of another size.
func (b *bench) remembering(sizes map[string]int) (rival, *client.Client, func() error, error) {
	s, err := service.Start(b.ctx, service.Options{Listen: "127.0.0.1:0", Database: b.databaseNamed("memories"),
		Log: slog.New(slog.NewTextHandler(io.Discard, nil)), Sizes: sizes})
	if err != nil {
		return rival{}, nil, nil, err
	}
	key, err := s.MakeKey(b.ctx, fmt.Sprint("bench without ", sizes))
	c := client.New(s.Address).With(key)
	return yalvoRival(b.ctx, c, s.Address, "Authorization: Bearer "+key+"\r\n"), c, s.Stop, err
}
