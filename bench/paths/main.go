// Command paths counts what some requests pass of the service: functions that ran, and the rooms that they are in.
//
//	go run -cover -covermode=atomic -coverpkg=yalvo/internal/... ./bench/paths
//
// Each is done a few times before, so that what is remembered is; what ran is told by the counters of the coverage
// tool, which are cleared before and read as soon as the answer is there, or all that follows has been done.
package main

import (
	"context"
	"fmt"
	"io"
	"log/slog"
	"os"
	"os/exec"
	"path/filepath"
	"runtime/coverage"
	"slices"
	"strings"
	"time"

	"yalvo/client"
	"yalvo/internal/machine/postgres"
	"yalvo/internal/machine/service"
)

const design = `
yalvo: 1
app: paths
accounts: people
collections:
  people:
    fields: {name: {type: string, required: true}}
  posts:
    fields:
      text:   {type: string}
      author: {type: reference, to: people, required: true, default: me, fixed: true, inverse: posts, when_gone: remove}
    kept:
      byline: {copy: author, fields: [name]}
pairs:
  follow: {from: people, to: people, from_calls: following, to_calls: followers}
  like:   {from: people, to: posts, from_calls: liked, to_calls: likers}
timelines:
  home: {owner: people, entries: posts, through: follow, by: author}
access:
  collections:
    people: {read: true, create: true}
    posts:  {read: true, create: "new.author == me", remove: "doc.author == me"}
  pairs:
    follow: {read: true, set: "from == me"}
    like:   {read: true, set: "from == me"}
  timelines: {home: {read: "owner == me"}}
`

func main() {
	if err := run(context.Background()); err != nil {
		fmt.Fprintln(os.Stderr, "paths:", err)
		os.Exit(1)
	}
}

func run(ctx context.Context) error {
	dir, err := os.MkdirTemp("", "yalvo-paths-")
	if err != nil {
		return err
	}
	defer os.RemoveAll(dir)
	if err := os.Chmod(dir, 0o755); err != nil { // PostgreSQL's unprivileged user goes through it
		return err
	}
	quiet := slog.New(slog.NewTextHandler(io.Discard, nil))
	pg, err := postgres.Start(ctx, postgres.Options{Dir: filepath.Join(dir, "data"), Log: quiet})
	if err != nil {
		return err
	}
	defer pg.Stop()
	s, err := service.Start(ctx, service.Options{Listen: "127.0.0.1:0", Database: pg.Address(), Log: quiet})
	if err != nil {
		return err
	}
	defer s.Stop()
	key, err := s.MakeKey(ctx, "paths")
	if err != nil {
		return err
	}
	p := paths{ctx, client.New(s.Address).With(key), dir, 0}
	if err := p.fill(); err != nil {
		return err
	}
	fmt.Printf("%-34s %9s %6s  %s\n", "", "functions", "rooms", "in each room")
	for _, path := range []struct {
		name    string
		settled bool
		do      func() error
	}{
		{"a like, as its account", false, func() error { return p.like() }},
		{"a page of a timeline", false, func() error { return p.page() }},
		{"a post, and its fan-out", true, func() error { return p.post() }},
		{"removing somebody with posts", true, func() error { return p.remove() }},
		{"a version with a new count", true, func() error { return p.apply() }},
	} {
		if err := p.count(path.name, path.settled, path.do); err != nil {
			return fmt.Errorf("%s: %w", path.name, err)
		}
	}
	return nil
}

// paths is the service, and how often something has been done to it.
type paths struct {
	ctx context.Context
	*client.Client
	dir string
	nth int
}

const people = 20

func (p *paths) fill() error {
	if _, err := p.Apply(p.ctx, "paths.yaml", []byte(design)); err != nil {
		return err
	}
	for i := range people {
		if _, _, err := p.Create(p.ctx, "people", fmt.Sprint("p", i), map[string]any{"name": fmt.Sprint("P",
			i)}); err != nil {
			return err
		}
	}
	for i := 1; i < people; i++ {
		if _, err := p.As(fmt.Sprint("p", i)).Set(p.ctx, "follow", fmt.Sprint("p", i), "p0"); err != nil {
			return err
		}
	}
	return p.post()
}

func (p *paths) like() error {
	p.nth++
	who := fmt.Sprint("p", p.nth%people)
	_, err := p.As(who).Set(p.ctx, "like", who, "s1")
	return err
}

func (p *paths) page() error {
	_, err := p.As("p1").Timeline(p.ctx, "home", "p1", client.Page{})
	return err
}

func (p *paths) post() error {
	p.nth++
	_, _, err := p.As("p0").Create(p.ctx, "posts", fmt.Sprint("s", p.nth), map[string]any{"text": "Two herons."})
	return err
}

func (p *paths) remove() error {
	p.nth++
	who := fmt.Sprint("gone", p.nth)
	if _, _, err := p.Create(p.ctx, "people", who, map[string]any{"name": who}); err != nil {
		return err
	}
	if _, _, err := p.As(who).Create(p.ctx, "posts", fmt.Sprint("s", p.nth),
		map[string]any{"text": "One."}); err != nil {
		return err
	}
	if err := p.AfterAll().Settle(p.ctx); err != nil {
		return err
	}
	coverage.ClearCounters()
	_, _, err := p.Remove(p.ctx, "people/"+who)
	return err
}

func (p *paths) apply() error {
	p.nth++
	another := strings.Replace(design, "{name: {type: string, required: true}}", fmt.Sprintf(
		"{name: {type: string, required: true}}\n    kept: {likes_%d: {count: like.from}}", p.nth), 1)
	got, err := p.Apply(p.ctx, "paths.yaml", []byte(another), client.Applying{Drop: []string{fmt.Sprint("people.likes_",
		p.nth-1)}})
	if err != nil {
		return err
	}
	_, err = p.AwaitVersion(p.ctx, got.Version, func(client.Version) {})
	return err
}

// count does something a few times, and tells what ran the last time.
func (p *paths) count(name string, settled bool, do func() error) error {
	for range 3 {
		if err := do(); err != nil {
			return err
		}
		if err := p.AfterAll().Settle(p.ctx); err != nil {
			return err
		}
	}
	time.Sleep(time.Second) // what looks for work now and then has looked
	coverage.ClearCounters()
	if err := do(); err != nil {
		return err
	}
	if settled {
		if err := p.AfterAll().Settle(p.ctx); err != nil {
			return err
		}
	}
	ran, err := p.ran()
	if err != nil {
		return err
	}
	byRoom := map[string]int{}
	for _, f := range ran {
		byRoom[filepath.Base(filepath.Dir(f))]++
	}
	var each []string
	for room, many := range byRoom {
		each = append(each, fmt.Sprintf("%s %d", room, many))
	}
	slices.Sort(each)
	fmt.Printf("%-34s %9d %6d  %s\n", name, len(ran), len(byRoom), strings.Join(each, ", "))
	return nil
}

// ran are the functions that have run since the counters were cleared: file and name of each.
func (p *paths) ran() ([]string, error) {
	dir, err := os.MkdirTemp(p.dir, "counters-")
	if err != nil {
		return nil, err
	}
	if err := coverage.WriteCountersDir(dir); err != nil {
		return nil, err
	}
	if err := coverage.WriteMetaDir(dir); err != nil {
		return nil, err
	}
	told, err := exec.Command("go", "tool", "covdata", "func", "-i="+dir).Output()
	if err != nil {
		return nil, err
	}
	var ran []string
	for line := range strings.Lines(string(told)) {
		fields := strings.Fields(line)
		if len(fields) == 3 && fields[2] != "0.0%" && strings.HasPrefix(line, "yalvo/internal/") {
			file, _, _ := strings.Cut(fields[0], ":")
			ran = append(ran, file+" "+fields[1])
		}
	}
	return ran, nil
}
