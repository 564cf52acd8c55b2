package calibrating

import (
	"context"
	"errors"
	"fmt"
	"log/slog"
	"os"
	"path/filepath"
	"runtime"
	"strings"
	"syscall"
	"time"

	"yalvo/client"
	"yalvo/internal/design/forecast"
	"yalvo/internal/machine/postgres"
	"yalvo/internal/machine/service"
)

// plain is an app in which each thing that is measured can be done by itself.
const plain = `
yalvo: 1
app: calibrating
accounts: people
collections:
  people:
    fields: {name: {type: string, max: 40}}
  bare:                                        # nothing hangs on it
    fields: {text: {type: string, max: 200}}
  pointing:                                    # four rows beside each
    fields:
      text: {type: string, max: 200}
      a: {type: reference, to: people, inverse: as, when_gone: clear}
      b: {type: reference, to: people, inverse: bs, when_gone: clear}
      c: {type: reference, to: people, inverse: cs, when_gone: clear}
      d: {type: reference, to: people, inverse: ds, when_gone: clear}
  old:                                         # gone through to be put in order
    fields: {text: {type: string, max: 200}}
    kept: {loved: {count: love.to}}
  posts:
    fields:
      text:   {type: string, max: 200}
      author: {type: reference, to: people, required: true, inverse: posts, when_gone: remove}
    kept: {likes: {count: like.to}}
pairs:
  follow: {from: people, to: people, from_calls: following, to_calls: followers}
  like:   {from: people, to: posts, from_calls: liked, to_calls: likers}
  love:   {from: people, to: old, from_calls: loves, to_calls: lovers}
  save:   {from: people, to: posts, from_calls: saved, to_calls: savers}
timelines:
  home:      {owner: people, entries: posts, by: author, through: follow, length: 100}
  collected: {owner: people, entries: posts, by: author, through: follow, length: 100, deliver: pull}
lists:
  newest: {entries: posts}
  best:   {entries: old, order: [loved, created], where: "doc.created > now - duration('168h')"}
access:
  collections: {people: {read: true}, posts: {read: true}, old: {read: true}}
  pairs: {follow: {read: true}, like: {read: true}, save: {read: true}}
  timelines: {home: {read: true}, collected: {read: true}}
  lists: {newest: {read: true}, best: {read: true}}
`

// How many there are of what, and how often each thing is done: enough for a hundredth of a second to be small, and all
// together some tens of seconds.
const (
	people     = 10_000 // all follow the first
	authors    = 50     // whom everybody of some readers follows
	readers    = 20
	reads      = 4000
	writes     = 3000
	fanOuts    = 12
	pageSize   = 60
	pageOfAll  = 30 // posts that all have in their timelines
	passed     = 1000
	sideBySide = 32
	fewBeside  = 4 // of reads: pages that many ask for at once are read together
)

// calibration is one under way.
type calibration struct {
	ctx    context.Context
	data   string
	client *client.Client
	load   *load
	step   func(what string)
}

// Rates measures them in a folder that is not there yet, and takes it away again; step hears what is done next.
func Rates(ctx context.Context, folder string, step func(what string)) (rates forecast.Rates, err error) {
	defer func() { err = errors.Join(err, os.RemoveAll(folder)) }()
	quiet := slog.New(slog.DiscardHandler)
	s, err := service.Start(ctx, service.Options{Listen: "127.0.0.1:0", Data: folder, Log: quiet})
	if err != nil {
		return rates, err
	}
	defer func() { err = errors.Join(err, s.Stop()) }()
	key, err := s.MakeKey(ctx, "calibrating")
	if err != nil {
		return rates, err
	}
	c := &calibration{ctx: ctx, data: filepath.Join(folder, "postgres"), client: client.New(s.Address).With(key),
		step: step}
	c.load = &load{address: strings.TrimPrefix(s.Address, "http://"), key: key}
	if err := c.prepare(); err != nil {
		return rates, err
	}
	return c.measure()
}

// spent is the processor time of this process and of PostgreSQL so far, in microseconds.
func (c *calibration) spent() (float64, error) {
	var own syscall.Rusage
	if err := syscall.Getrusage(syscall.RUSAGE_SELF, &own); err != nil {
		return 0, err
	}
	database, err := postgres.Spent(c.data)
	return float64(own.Utime.Nano()+own.Stime.Nano()+int64(database)) / 1e3, err
}

// thing is something that is measured, and how often it has been done.
type thing struct {
	what  string
	times int // in all rounds
	ask   func(i int) request
	done  int
	costs []float64 // of each round, in microseconds of processor time
}

// rounds are how often everything is measured, by turns: an hour in which others have the machine too is not one
// thing's alone, and the median of a thing's rounds leaves it out.
const rounds = 5

// round does a thing so many times, and notes what each took with all that follows from it.
func (c *calibration) round(t *thing) error {
	times := max(1, t.times/rounds)
	if t.done == 0 { // so that all is warm
		if err := c.do(t, times); err != nil {
			return err
		}
	}
	runtime.GC()
	before, err := c.spent()
	if err != nil {
		return err
	}
	if err := c.do(t, times); err != nil {
		return err
	}
	after, err := c.spent()
	t.costs = append(t.costs, (after-before)/float64(times))
	return err
}

func (c *calibration) do(t *thing, times int) error {
	beside := sideBySide
	if strings.HasPrefix(t.ask(0).path, "/timelines/") {
		beside = fewBeside
	}
	from := t.done
	t.done += times
	if err := c.load.run(beside, times, func(i int) request { return t.ask(from + i) }); err != nil {
		return fmt.Errorf("%s: %w", t.what, err)
	}
	return c.client.AfterAll().Settle(c.ctx)
}

// measure works the rates out of what different things cost that differ in one respect.
func (c *calibration) measure() (r forecast.Rates, err error) {
	things := []*thing{
		{what: "a page of one", times: reads, ask: get("/lists/newest?limit=1")},
		{what: pageOfMany, times: reads, ask: get(fmt.Sprintf("/lists/newest?limit=%d", pageSize))},
		{what: "a page that is packed", times: reads, ask: packed(get(fmt.Sprintf(
			"/lists/newest?limit=%d", pageSize)))},
		{what: "a page with marks", times: reads, ask: getAs("/lists/newest?limit=%d&marks=liked,saved", pageSize)},
		{what: "a timeline that is written out", times: reads, ask: timeline("home")},
		{what: "a timeline that is collected", times: reads / 2, ask: timeline("collected")},
		{what: "a timeline of somebody else", times: reads, ask: ownTimeline},
		{what: "a list put in order", times: reads / 4, ask: get("/lists/best?limit=1")},
		{what: "a document", times: writes, ask: create("bare", `{"facts":{"text":"a heron"}}`)},
		{what: "a document that points", times: writes, ask: pointing},
		{what: "a pair", times: writes, ask: pair("save")},
		{what: "a pair that is counted", times: writes, ask: pair("like")},
		{what: "a post of nobody's", times: writes / 3,
			ask: create("posts", `{"facts":{"text":"a heron","author":"p9999"}}`)},
		{what: "a post that everybody gets", times: fanOuts,
			ask: create("posts", `{"facts":{"text":"a heron","author":"p0"}}`)},
	}
	costs := map[string]float64{}
	for n := range rounds {
		c.step(fmt.Sprintf("round %d of %d", n+1, rounds))
		for _, t := range things {
			if err := c.round(t); err != nil {
				return r, err
			}
			if t.what == pageOfMany {
				costs["bytes of that"] = float64(c.load.size.Load())
			}
		}
	}
	for _, t := range things {
		costs[t.what] = median(t.costs)
	}
	c.step("how long a fan-out takes")
	alone, err := c.settles("p9999")
	if err != nil {
		return r, err
	}
	all, err := c.settles("p0")
	if err != nil {
		return r, err
	}
	return ratesOf(costs, alone, all), nil
}

const pageOfMany = "a page of many"

// ratesOf are the rates by what things cost, and by how long it takes until a post has settled that nobody gets, and
// one that all get.
func ratesOf(costs map[string]float64, alone, all time.Duration) forecast.Rates {
	positive := func(x float64) float64 { return max(0.1, x) } // what is lost in noise is small
	r := forecast.Rates{From: from(time.Now())}
	r.Document = positive((costs["a page of many"] - costs["a page of one"]) / (pageSize - 1))
	r.Request = positive(costs["a page of one"] - r.Document)
	r.Packing = positive((costs["a page that is packed"] - costs["a page of many"]) / costs["bytes of that"] * 1000)
	r.Question = positive(costs["a timeline of somebody else"] - r.Request - pageOfAll*r.Document)
	r.Passed = positive((costs["a list put in order"] - costs["a page of one"] - r.Question) / passed)
	r.Asked = positive((costs["a page with marks"] - costs["a page of many"]) / (2 * pageSize))
	r.Collect = positive((costs["a timeline that is collected"] - costs["a timeline that is written out"]) / authors)
	r.Note = positive((costs["a document that points"] - costs["a document"]) / 4)
	r.Write = positive((costs["a document"]+costs["a pair"])/2 - r.Request - r.Note)
	r.Kept = positive(costs["a pair that is counted"] - costs["a pair"])
	r.Entry = positive((costs["a post that everybody gets"] - costs["a post of nobody's"]) / people)
	r.Send = r.Request * forecast.Shipped.Send / forecast.Shipped.Request // there is nobody to send to
	r.Begin = positive(alone.Seconds() * 1e3)
	r.EntriesASecond = people / max(1e-3, (all-alone).Seconds())
	return r
}

// from says where rates are from.
func from(at time.Time) string {
	host, err := os.Hostname()
	if err != nil {
		host = "this machine"
	}
	return fmt.Sprintf("measured on %s, %s, %d cores", at.Format(time.DateOnly), host, runtime.NumCPU())
}

// settles is how long it takes until what follows from a post has settled, the median of some.
func (c *calibration) settles(author string) (time.Duration, error) {
	var all []time.Duration
	for range 9 {
		_, position, err := c.client.Create(c.ctx, "posts", "", map[string]any{"text": "a heron", "author": author})
		if err != nil {
			return 0, err
		}
		began := time.Now()
		if _, err := c.client.After(position).Get(c.ctx, "people/"+author); err != nil {
			return 0, err
		}
		all = append(all, time.Since(began))
	}
	return median(all), nil
}
