package main

import (
	"bufio"
	"context"
	"fmt"
	"net"
	"os"
	"os/exec"
	"slices"
	"strconv"
	"strings"
	"sync"
	"time"

	"yalvo/client"
	"yalvo/internal/command/keyring"
)

// Of the live reads that are measured.
const (
	liveReaders = 2000
	liveAuthors = 100
	liveFollows = 10 // authors that each reader follows
	liveSeconds = 8
)

// live: 1,000 and 2,000 timelines are followed at a service of its own. How much memory that
// takes, and how long after its acknowledgement a post comes to each reader that has it in the
// first page.
func (b *bench) live() error {
	if err := b.livePeople(); err != nil {
		return err
	}
	p, err := startService(b.ctx, b.database)
	if err != nil {
		return err
	}
	defer p.stop()
	at := b.client.At(p.url)
	fmt.Printf("\nlive reads of timelines at a service of its own; posts to %d readers each\n",
		liveReaders*liveFollows/liveAuthors)
	idle, err := p.memory()
	if err != nil {
		return err
	}
	fmt.Printf("  %d streams: %.0f MB\n", 0, idle)
	for _, many := range []int{1000, liveReaders} {
		ctx, stop := context.WithCancel(b.ctx)
		l := &livingReaders{acknowledged: map[string]time.Time{}}
		if err := l.open(ctx, p, strings.TrimPrefix(b.header, "\r\n"), many); err != nil {
			stop()
			return err
		}
		open, err := p.memory()
		if err != nil {
			stop()
			return err
		}
		fmt.Printf("  %d streams: %.0f MB\n", many, open)
		for _, rate := range []int{1, 10} {
			if err := l.measure(ctx, at, rate); err != nil {
				stop()
				return err
			}
		}
		stop()
		l.group.Wait()
	}
	return nil
}

// livePeople makes readers, and authors each of whom some follow.
func (b *bench) livePeople() error {
	for i := range liveAuthors {
		if _, _, err := b.client.Create(b.ctx, "people", fmt.Sprintf("live_author%d", i),
			map[string]any{"name": "Author"}); err != nil {
			return err
		}
	}
	err := together(liveReaders/writers, func(w, i int) error {
		reader := fmt.Sprintf("live%d", w*liveReaders/writers+i)
		_, _, err := b.client.Create(b.ctx, "people", reader, map[string]any{"name": "Reader"})
		for f := 0; f < liveFollows && err == nil; f++ {
			_, err = b.client.Set(b.ctx, "follow", reader, fmt.Sprintf("live_author%d", (w*i+i+f)%liveAuthors))
		}
		return err
	})
	if err != nil {
		return err
	}
	return b.client.AfterAll().Settle(b.ctx)
}

// program is a service as a program of its own.
type program struct {
	cmd *exec.Cmd
	url string
	key string
}

func startService(ctx context.Context, database string) (*program, error) {
	cmd := exec.CommandContext(ctx, "bin/yalvo", "up", "--listen", "127.0.0.1:0", "--database", database)
	out, err := cmd.StdoutPipe()
	if err != nil {
		return nil, err
	}
	if err := cmd.Start(); err != nil {
		return nil, fmt.Errorf("%w: run `make build`", err)
	}
	p := &program{cmd: cmd}
	lines := bufio.NewScanner(out)
	for p.url == "" && lines.Scan() {
		p.url, _ = strings.CutPrefix(lines.Text(), "Yalvo answers at ")
	}
	if p.key, err = keyring.Of(p.url); err != nil || p.key == "" {
		p.stop()
		return nil, fmt.Errorf("the service did not start: %w", err)
	}
	return p, nil
}

func (p *program) stop() {
	_ = p.cmd.Process.Signal(os.Interrupt) // it may have ended
	_ = p.cmd.Wait()
}

// memory is what the program holds, in MB.
func (p *program) memory() (float64, error) {
	status, err := os.ReadFile(fmt.Sprintf("/proc/%d/status", p.cmd.Process.Pid))
	if err != nil {
		return 0, err
	}
	_, after, _ := strings.Cut(string(status), "VmRSS:")
	kB, err := strconv.ParseFloat(strings.Fields(after)[0], 64)
	return kB / 1024, err
}

// livingReaders follow timelines.
type livingReaders struct {
	group sync.WaitGroup

	mu           sync.Mutex
	acknowledged map[string]time.Time // when each post was, by its id
	came         []arrival
}

type arrival struct {
	id string
	at time.Time
}

// open begins to follow, and waits until each has got its page.
func (l *livingReaders) open(ctx context.Context, p *program, header string, many int) error {
	host := strings.TrimPrefix(p.url, "http://")
	begun, failed := make(chan bool, many), make(chan error, many)
	for i := range many {
		conn, err := net.Dial("tcp", host)
		if err != nil {
			return err
		}
		context.AfterFunc(ctx, func() { conn.Close() })
		if _, err := fmt.Fprintf(conn, "GET /v1/live/timelines/home/live%d HTTP/1.1\r\nHost: %s\r\n%s\r\n", i, host,
			header); err != nil {
			return err
		}
		l.group.Go(func() {
			lines := bufio.NewReaderSize(conn, 4<<10)
			for first := true; ; {
				line, err := lines.ReadString('\n')
				if err != nil {
					if first {
						failed <- err
					}
					return
				}
				if first && strings.HasPrefix(line, "id: ") {
					first = false
					begun <- true
				}
				l.note(line)
			}
		})
	}
	for range many {
		select {
		case <-begun:
		case err := <-failed:
			return err
		case <-time.After(time.Minute):
			return fmt.Errorf("not all of %d streams began", many)
		}
	}
	return nil
}

// note notes that a post has come.
func (l *livingReaders) note(line string) {
	_, after, is := strings.Cut(line, `"item":{"id":"`)
	if !is || !strings.HasPrefix(line, "data: ") {
		return
	}
	id, _, _ := strings.Cut(after, `"`)
	now := time.Now()
	l.mu.Lock()
	defer l.mu.Unlock()
	l.came = append(l.came, arrival{id, now})
}

// measure posts at a rate, and says how long it takes until the posts have come.
func (l *livingReaders) measure(ctx context.Context, c *client.Client, rate int) error {
	tick := time.NewTicker(time.Second / time.Duration(rate))
	defer tick.Stop()
	for i := range rate * liveSeconds {
		<-tick.C
		id := fmt.Sprintf("live-%d-%d-%d", time.Now().UnixMicro(), rate, i)
		_, _, err := c.As(fmt.Sprintf("live_author%d", i*37%liveAuthors)).Create(ctx, "posts", id,
			map[string]any{"text": strings.Repeat("A heron. ", 10)})
		if err != nil {
			return err
		}
		l.mu.Lock()
		l.acknowledged[id] = time.Now()
		l.mu.Unlock()
	}
	if err := c.AfterAll().Settle(ctx); err != nil {
		return err
	}
	time.Sleep(3 * time.Second) // what is on its way comes
	l.mu.Lock()
	defer l.mu.Unlock()
	var lags []time.Duration
	for _, a := range l.came {
		if when, is := l.acknowledged[a.id]; is {
			lags = append(lags, max(0, a.at.Sub(when)))
		}
	}
	l.came, l.acknowledged = nil, map[string]time.Time{}
	if len(lags) == 0 {
		return fmt.Errorf("no post came to anybody")
	}
	slices.Sort(lags)
	at := func(p float64) time.Duration { return lags[int(p*float64(len(lags)-1))].Round(time.Millisecond) }
	fmt.Printf(
		"    %2d posts/s, %d events: p50 %v, p99 %v, max %v after the acknowledgement\n",
		rate,
		len(lags),
		at(0.5),
		at(0.99),
		at(1),
	)
	return nil
}
