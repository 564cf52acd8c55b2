package engine

import (
	"context"
	"fmt"
	"strconv"
	"strings"
	"sync"
	"time"

	"yalvo/internal/store"
)

// broadcast wakes everyone who waits, again and again.
type broadcast struct {
	mu sync.Mutex
	ch chan struct{}
}

// next is closed at the next send.
func (b *broadcast) next() <-chan struct{} {
	b.mu.Lock()
	defer b.mu.Unlock()
	if b.ch == nil {
		b.ch = make(chan struct{})
	}
	return b.ch
}

func (b *broadcast) send() {
	b.mu.Lock()
	defer b.mu.Unlock()
	if b.ch != nil {
		close(b.ch)
		b.ch = nil
	}
}

// Changed is closed when due work has next been done by this process.
func (e *Engine) Changed() <-chan struct{} { return e.settled.next() }

// elsewhere is how often a waiter looks for work done by other processes.
const elsewhere = 25 * time.Millisecond

// WaitSettled returns when everything that follows from the positions has been
// done: numbers, `..number` for all changes up to one, `all` for all so far.
// Past the deadline it refuses with CodeNotYet, and at once if work is parked.
func (e *Engine) WaitSettled(ctx context.Context, positions string, patience time.Duration) error {
	look, err := e.looker(ctx, positions)
	if err != nil {
		return err
	}
	deadline := time.After(patience)
	for {
		next := e.settled.next()
		due, parked, err := look(ctx)
		switch {
		case err != nil:
			return err
		case parked:
			return refuse(CodeNotYet, "what follows from %s is not settled: some of its work failed and is parked", positions)
		case !due:
			return nil
		}
		select {
		case <-next:
		case <-time.After(elsewhere):
		case <-deadline:
			return refuse(CodeNotYet, "what follows from %s is not settled after %s: try again", positions, patience)
		case <-ctx.Done():
			return ctx.Err()
		}
	}
}

// looker turns positions into the question whether they are settled.
func (e *Engine) looker(ctx context.Context, positions string) (func(context.Context) (due, parked bool, err error), error) {
	if positions == "all" {
		last, err := e.store.LastPosition(ctx)
		positions = string(upTo(last))
		if err != nil {
			return nil, err
		}
	}
	var exact []int64
	var up int64
	for _, p := range strings.Split(positions, ",") {
		number, all := strings.CutPrefix(strings.TrimSpace(p), "..")
		n, err := strconv.ParseInt(number, 10, 64)
		if err != nil || n < 0 {
			return nil, refuse(CodeInvalid, "%q is no position: give what a write answered with, several separated by commas, or `all`", p)
		}
		if all {
			up = max(up, n)
			continue
		}
		exact = append(exact, n)
	}
	return func(ctx context.Context) (bool, bool, error) {
		due, parked, err := e.store.Unsettled(ctx, exact)
		if err != nil || due || parked || up == 0 {
			return due, parked, err
		}
		return e.store.UnsettledUpTo(ctx, up)
	}, nil
}

// Status is how far upkeep is behind and how much there is.
func (e *Engine) Status(ctx context.Context) (store.Status, error) { return e.store.Status(ctx) }

// Behind is the cheap part of the status.
func (e *Engine) Behind(ctx context.Context) (store.Status, error) { return e.store.Behind(ctx) }

// Recent are the newest changes, newest first.
func (e *Engine) Recent(ctx context.Context, limit int) ([]store.Record, error) {
	return e.store.Recent(ctx, limit)
}

// ChangesFrom reads on from a place in the journal, oldest first, and returns
// the place to read on from next. Nothing is missed: changes that are committed
// late under lower positions come later. The empty place is the beginning.
func (e *Engine) ChangesFrom(ctx context.Context, place string, limit int) ([]store.Record, string, error) {
	var xid, seq int64
	if place != "" {
		if _, err := fmt.Sscanf(place, "%d-%d", &xid, &seq); err != nil || xid < 0 || seq < 0 {
			return nil, "", refuse(CodeInvalid, "%q is no place in the journal: begin with an empty `from`, then give `next` of each answer", place)
		}
	}
	records, xid, seq, err := e.store.JournalAfter(ctx, xid, seq, limit)
	return records, fmt.Sprintf("%d-%d", xid, seq), err
}

// Parked lists the work that failed too often.
func (e *Engine) Parked(ctx context.Context, limit int) ([]store.Parked, error) {
	return e.store.ParkedWork(ctx, limit)
}

// Retry makes all parked work due again and returns how much there was.
func (e *Engine) Retry(ctx context.Context) (int64, error) {
	n, err := e.store.Retry(ctx, 0)
	e.wakeAll()
	return n, err
}

// RetryOne makes one piece of parked work due again, by its number.
func (e *Engine) RetryOne(ctx context.Context, work int64) error {
	n, err := e.store.Retry(ctx, work)
	if err == nil && (n == 0 || work == 0) {
		return refuse(CodeNotFound, "no work is parked under number %d: it may have been tried again already", work)
	}
	e.wakeAll()
	return err
}
