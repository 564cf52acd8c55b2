// Command bench measures the running service, each figure beside what plain
// SQL or a hand-written loop does on the same server in the same run:
//
//	go run ./bench [-followers 200000] [-only fanout,page]
//
// It starts a PostgreSQL and a service of its own, in a temporary folder, with
// durable commits, and prints a table. Absolute figures are the machine's;
// the ratios are what is aimed at.
package main

import (
	"context"
	"flag"
	"fmt"
	"io"
	"log/slog"
	"os"
	"path/filepath"
	"runtime"
	"runtime/pprof"
	"slices"
	"strings"
	"sync"

	"github.com/jackc/pgx/v5/pgxpool"

	"yalvo/client"
	"yalvo/internal/machine/postgres"
	"yalvo/internal/machine/service"
)

var (
	followers = flag.Int("followers", 200_000, "followers of the author who posts")
	profile   = flag.String("profile", "", "write a profile of the process's CPU time, service and load, to this file")
	only      = flag.String("only", "", "the parts to measure: fanout, withdraw and audit (both after fanout), "+
		"million, page, writes, follow, hot, lag, load, rebuild (after load), access, live, upload, "+
		"byhand, rights, memories, designing, forecast; all if empty")
	named = flag.String("thing", "",
		"of byhand: measure only what has this in its name; of memories: these, separated by commas")
)

// bench is the server, the service, and what was measured so far.
type bench struct {
	ctx      context.Context
	client   *client.Client
	url      string
	header   string // of requests that no client sends: the key
	database string
	data     string // PostgreSQL's folder
	db       *pgxpool.Pool
	stop     func() error // the service: those that bring services of their own need its connections
}

func main() {
	if database := os.Getenv(serveOn); database != "" {
		if err := serve(context.Background(), database); err != nil {
			fmt.Fprintln(os.Stderr, "bench:", err)
			os.Exit(1)
		}
		return
	}
	flag.Parse()
	if *profile != "" {
		f, err := os.Create(*profile)
		if err == nil {
			err = pprof.StartCPUProfile(f)
		}
		if err != nil {
			fmt.Fprintln(os.Stderr, "bench:", err)
			os.Exit(1)
		}
		defer pprof.StopCPUProfile()
	}
	if err := run(context.Background()); err != nil {
		fmt.Fprintln(os.Stderr, "bench:", err)
		os.Exit(1)
	}
}

func run(ctx context.Context) error {
	dir, err := os.MkdirTemp("", "yalvo-bench-")
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
	s, err := service.Start(ctx, service.Options{Listen: "127.0.0.1:0", Database: pg.Address(), Log: quiet,
		Pictures: filepath.Join(dir, "pictures")})
	if err != nil {
		return err
	}
	stop := sync.OnceValue(s.Stop)
	defer stop()
	db, err := pgxpool.New(ctx, pg.Address()+"&search_path=yalvo")
	if err != nil {
		return err
	}
	defer db.Close()
	key, err := s.MakeKey(ctx, "bench")
	if err != nil {
		return err
	}
	b := &bench{
		ctx,
		client.New(s.Address).With(key),
		s.Address,
		"Authorization: Bearer " + key + "\r\n",
		pg.Address(),
		filepath.Join(dir, "data", "postgres"),
		db,
		stop,
	}
	if err := b.machine(); err != nil {
		return err
	}
	if _, err := b.client.Apply(ctx, "bench.yaml", []byte(appDesign)); err != nil {
		return err
	}
	for _, part := range []struct {
		name    string
		measure func() error
	}{{"fanout", b.fanout}, {"withdraw", b.withdraw}, {"audit", b.audit}, {"million", b.million}, {"page", b.page},
		{"writes", b.writes}, {"follow", b.follow}, {"hot", b.hot}, {"lag", b.lag}, {"load", b.load},
		{"rebuild", b.rebuild}, {"access", b.access}, {"live", b.live}, {"upload", b.upload}, {"byhand", b.handmade},
		{"rights", b.rights}, {"memories", b.memories}, {"designing", b.designing},
		{"forecast", b.forecast}} {
		if *only != "" && !slices.Contains(strings.Split(*only, ","), part.name) {
			continue
		}
		if err := part.measure(); err != nil {
			return fmt.Errorf("%s: %w", part.name, err)
		}
	}
	return nil
}

const appDesign = `
yalvo: 1
app: bench
accounts: people
collections:
  people:
    fields: {name: {type: string, required: true}}
    kept: {followers_n: {count: follow.to}, following_n: {count: follow.from}}
  posts:
    fields:
      text: {type: string, max: 600}
      author: {type: reference, to: people, required: true, default: me, fixed: true, when_gone: remove, inverse: posts}
    kept: {byline: {copy: author, fields: [name]}, likes_n: {count: like.to}}
pairs:
  follow: {from: people, to: people, from_calls: following, to_calls: followers}
  block: {from: people, to: people, from_calls: blocking, to_calls: blockers}
  like: {from: people, to: posts, from_calls: liked, to_calls: likers}
timelines:
  home: {owner: people, entries: posts, by: author, through: follow, own: true,
    unless: {paired: block, either_way: true}, length: 800, carry: [text, byline, likes_n]}
`

func (b *bench) machine() error {
	var version string
	if err := b.db.QueryRow(b.ctx, "SHOW server_version").Scan(&version); err != nil {
		return err
	}
	fmt.Printf("%d cores, %s, PostgreSQL %s, durable commits, service and load on the same machine\n",
		runtime.NumCPU(), runtime.Version(), version)
	return nil
}

func (b *bench) sql(statements ...string) error {
	for _, sql := range statements {
		if _, err := b.db.Exec(b.ctx, sql); err != nil {
			return fmt.Errorf("%w in %s", err, sql)
		}
	}
	return nil
}
