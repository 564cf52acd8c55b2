package main

import (
	"bufio"
	"context"
	"errors"
	"fmt"
	"io"
	"log/slog"
	"os"
	"os/exec"
	"path/filepath"
	"strings"
	"time"

	"github.com/jackc/pgx/v5"

	"yalvo/client"
	"yalvo/demo"
	"yalvo/internal/command/calibrating"
	"yalvo/internal/command/driving"
	"yalvo/internal/design"
	"yalvo/internal/design/forecast"
	"yalvo/internal/design/language"
	"yalvo/internal/design/plan"
	"yalvo/internal/machine/postgres"
	"yalvo/internal/machine/service"
)

// deeds are how many things are done to the demo, after some so that all is warm; so many side by side, as rates are
// measured: a service that has little to do does less of it together, and takes up to twice as much for each.
const (
	deeds       = 12_000
	deedsBefore = 6000
	deedsBeside = 32
	deedsSeed   = 7
)

// forecast: what the demo costs by its forecast, with the rates of this machine and a workload measured from it, beside
// what a service of its own counts and takes while that is done to it.
func (b *bench) forecast() (err error) {
	dir, err := os.MkdirTemp("", "yalvo-bench-forecast-")
	if err != nil {
		return err
	}
	defer os.RemoveAll(dir)
	if err := os.Chmod(dir, 0o755); err != nil {
		return err
	}
	rates, err := calibrating.Rates(b.ctx, filepath.Join(dir, "calibrating"), func(string) {})
	if err != nil {
		return err
	}
	app, err := startApart(b.ctx, filepath.Join(dir, "demo"))
	if err != nil {
		return err
	}
	defer func() { err = errors.Join(err, app.end()) }()
	if err := app.fill(b.ctx); err != nil {
		return err
	}
	model, w, err := app.model(b.ctx, rates)
	if err != nil {
		return err
	}
	driver, err := app.driver(b.ctx, w)
	if err != nil {
		return err
	}
	if _, _, err := app.measured(b.ctx, driver, deedsBefore); err != nil {
		return err
	}
	counted, took, err := app.measured(b.ctx, driver, deeds)
	if err != nil {
		return err
	}
	fmt.Printf("\nthe demo's forecast beside what was counted, of %d deeds (seed %d, %d side by side), %s\n",
		deeds, deedsSeed, deedsBeside, rates.From)
	for _, sum := range sums(model.Against(counted, 1)) {
		off(sum.what, sum.forecast, sum.counted)
	}
	said := 0.0
	each := map[forecast.Part]float64{}
	for _, c := range model.At(1, nil).Costs(rates) {
		if c.PerDay > 0 {
			each[forecast.Part{Kind: c.Kind, Name: c.Name}] = c.Seconds / c.PerDay
		}
	}
	for _, c := range counted {
		said += each[forecast.Part{Kind: c.Kind, Name: c.Name}] * c.Times
	}
	off("processor time, ms", said*1000, took.Seconds()*1000)
	return nil
}

func off(what string, said, is float64) {
	fmt.Printf("  %-42s %12.0f %12.0f %+7.1f %%\n", what, said, is, 100*(said/is-1))
}

// sum is one figure of all things together.
type sum struct {
	what              string
	forecast, counted float64
}

// sums adds up what was forecast and counted of the same kind.
func sums(all []forecast.Compared) []sum {
	out := []sum{{what: "documents that screens read"}, {what: "bytes of screens"},
		{what: "documents and pairs written"}, {what: "entries"}, {what: "kept values that were to be written"}}
	for _, c := range all {
		at, times := -1, c.Times
		switch {
		case c.Kind == forecast.ScreenPart && c.What == forecast.Documents:
			at = 0
		case c.What == forecast.AnswerSize:
			at = 1
		case c.Kind == forecast.ActionPart && (c.What == forecast.Documents || c.What == forecast.Pairs):
			at = 2
		case c.What == forecast.Entries:
			at, times = 3, 1
		case c.What == forecast.Rewritten:
			at, times = 4, 1
		}
		if at >= 0 {
			out[at].forecast, out[at].counted = out[at].forecast+c.Forecast*times, out[at].counted+c.Counted*times
		}
	}
	return out
}

// apart is a service in a process of its own, so that what it takes is told from what the load takes.
type apart struct {
	pg     *postgres.Server
	data   string // PostgreSQL's folder
	client *client.Client
	cmd    *exec.Cmd
	stdin  io.Closer
}

// serveOn is the variable that has this program be such a service, on the database that it names.
const serveOn = "YALVO_BENCH_SERVE"

func startApart(ctx context.Context, data string) (*apart, error) {
	self, err := os.Executable()
	if err != nil {
		return nil, err
	}
	a := &apart{data: filepath.Join(data, "postgres"), cmd: exec.CommandContext(ctx, self)}
	quiet := slog.New(slog.DiscardHandler)
	if a.pg, err = postgres.Start(ctx, postgres.Options{Dir: data, Log: quiet}); err != nil {
		return nil, err
	}
	a.cmd.Env, a.cmd.Stderr = append(os.Environ(), serveOn+"="+a.pg.Address()), os.Stderr
	if a.stdin, err = a.cmd.StdinPipe(); err != nil {
		return nil, err
	}
	out, err := a.cmd.StdoutPipe()
	if err != nil {
		return nil, err
	}
	if err := a.cmd.Start(); err != nil {
		return nil, err
	}
	said, err := bufio.NewReader(out).ReadString('\n')
	address, key, is := strings.Cut(strings.TrimSpace(said), " ")
	if err != nil || !is {
		return nil, errors.Join(fmt.Errorf("the service apart does not begin: %q", said), err, a.end())
	}
	a.client = client.New(address).With(key)
	return a, nil
}

// serve is what this program does as a service apart: until its input ends.
func serve(ctx context.Context, database string) error {
	pictures, err := os.MkdirTemp("", "yalvo-bench-pictures-")
	if err != nil {
		return err
	}
	defer os.RemoveAll(pictures)
	s, err := service.Start(ctx, service.Options{Listen: "127.0.0.1:0", Database: database, Pictures: pictures,
		Log: slog.New(slog.DiscardHandler)})
	if err != nil {
		return err
	}
	key, err := s.MakeKey(ctx, "bench")
	if err == nil {
		fmt.Println(s.Address, key)
		_, err = io.Copy(io.Discard, os.Stdin)
	}
	return errors.Join(err, s.Stop())
}

func (a *apart) end() error { return errors.Join(a.stdin.Close(), a.cmd.Wait(), a.pg.Stop()) }

// tidy has PostgreSQL do now what it would do by itself in the minutes after a load.
func (a *apart) tidy(ctx context.Context) error {
	conn, err := pgx.Connect(ctx, a.pg.Address())
	if err != nil {
		return err
	}
	defer conn.Close(ctx)
	_, err = conn.Exec(ctx, "VACUUM ANALYZE")
	return err
}

// spent is the processor time of the service and its PostgreSQL.
func (a *apart) spent() (time.Duration, error) {
	own, err := postgres.SpentBy(a.cmd.Process.Pid)
	if err != nil {
		return 0, err
	}
	database, err := postgres.Spent(a.data)
	return own + database, err
}

// fill puts the demo's design in force and loads its world.
func (a *apart) fill(ctx context.Context) error {
	if _, err := a.client.Apply(ctx, "fenwatch.yaml", demo.Design); err != nil {
		return err
	}
	if _, err := demo.Load(ctx, a.client, demo.Make(demo.Full, 1), 1, func(float64) {}); err != nil {
		return err
	}
	if err := a.client.AfterAll().Settle(ctx); err != nil {
		return err
	}
	return a.tidy(ctx)
}

// model is the forecast of the demo under a workload that was measured, but for how often things are done: so far that
// was a load.
func (a *apart) model(ctx context.Context, rates forecast.Rates) (*forecast.Model, *design.Workload, error) {
	d, err := language.Read("fenwatch.yaml", demo.Design)
	if err != nil {
		return nil, nil, err
	}
	text, err := a.client.Workload(ctx, 7)
	if err != nil {
		return nil, nil, err
	}
	w, err := language.ReadWorkload("measured.yaml", []byte(text), d)
	if err != nil {
		return nil, nil, err
	}
	w.Opened, w.Done, w.Busy = d.Workload.Opened, d.Workload.Done, d.Workload.Busy
	return forecast.New(plan.New(d, plan.Counted()), w, rates), w, nil
}

func (a *apart) driver(ctx context.Context, w *design.Workload) (*driving.Driver, error) {
	d, err := language.Read("fenwatch.yaml", demo.Design)
	if err != nil {
		return nil, err
	}
	return driving.New(ctx, d, w, a.client, deedsSeed)
}

// measured is what was counted, and the processor time that was taken, by so many deeds.
func (a *apart) measured(ctx context.Context, driver *driving.Driver, deeds int) (all []forecast.Counted,
	took time.Duration, err error) {
	earlier, err := a.counted(ctx)
	if err != nil {
		return nil, 0, err
	}
	before, err := a.spent()
	if err != nil {
		return nil, 0, err
	}
	if err := driver.Drive(ctx, deeds, deedsBeside, 0, func() {}); err != nil {
		return nil, 0, err
	}
	if err := a.client.AfterAll().Settle(ctx); err != nil {
		return nil, 0, err
	}
	after, err := a.spent()
	if err != nil {
		return nil, 0, err
	}
	now, err := a.counted(ctx)
	for part, c := range now {
		was := earlier[part]
		all = append(all, forecast.Counted{Kind: part.Kind, Name: part.Name, Times: c.Times - was.Times,
			Documents: c.Documents - was.Documents, Pairs: c.Pairs - was.Pairs, Entries: c.Entries - was.Entries,
			Kept: c.Kept - was.Kept, Bytes: c.Bytes - was.Bytes})
	}
	return all, after - before, err
}

// counted is what the service has counted so far.
func (a *apart) counted(ctx context.Context) (map[forecast.Part]forecast.Counted, error) {
	got, err := a.client.Metered(ctx, 24, false)
	all := map[forecast.Part]forecast.Counted{}
	for _, m := range got.Metered {
		all[forecast.Part{Kind: m.Kind, Name: m.Name}] = forecast.Counted{Times: float64(m.Times),
			Documents: float64(m.Documents), Pairs: float64(m.Pairs), Entries: float64(m.Entries),
			Kept: float64(m.Kept), Bytes: float64(m.Bytes)}
	}
	return all, err
}
