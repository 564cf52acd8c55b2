package progress

import (
	"context"
	"slices"
	"strconv"
	"strings"
	"sync"
	"time"

	"yalvo/internal/engine/running"
	"yalvo/internal/engine/store"
	"yalvo/internal/engine/store/factsql"
	"yalvo/internal/engine/store/queuesql"
)

// elsewhere is how often a waiter looks for work done by other services.
const elsewhere = 25 * time.Millisecond

// WaitSettled returns when everything that follows from the positions has been
// done: `17` or `=17` for one change, `..17` for all up to it, `all` for all so far.
// What triggers send elsewhere is nobody's duplicate and not waited for. Past
// the deadline it refuses with CodeNotYet, and at once if work of a change that
// was named by its number is parked. Other parked work holds up nobody.
func (r *Reader) WaitSettled(ctx context.Context, positions string, patience time.Duration) error {
	wanted, err := r.positions(ctx, positions)
	if err != nil {
		return err
	}
	deadline := time.After(patience)
	for {
		next := r.Settled()
		progress, err := r.settling.ask(ctx, r.Store, wanted)
		switch {
		case err != nil:
			return err
		case progress.Parked:
			return running.Refuse(running.CodeNotYet,
				"what the read waits for is not settled: some of its work failed and is "+
					"parked; `yalvo parked` lists it, and it can be retried or dropped")
		case !progress.Due:
			return nil
		}
		select {
		case <-next:
		case <-time.After(elsewhere):
		case <-deadline:
			return running.Refuse(running.CodeNotYet, "what the read waits for is not settled after %s: try again",
				patience)
		case <-ctx.Done():
			return ctx.Err()
		}
	}
}

// settling asks for all who wait together: each time work has been done every
// one of them wants to know, and hundreds of looks would hold up the work.
type settling struct {
	mu      sync.Mutex
	asking  bool
	waiting []question // for the next look
}

type question struct {
	queuesql.Wanted
	answer chan<- answer
}

type answer struct {
	queuesql.Progressing
	err error
}

// longestLook is how long one look may take.
const longestLook = 10 * time.Second

// ask tells how far what is wanted has come, by a look that began after this.
func (s *settling) ask(ctx context.Context, db *store.Store, wanted queuesql.Wanted) (queuesql.Progressing, error) {
	got := make(chan answer, 1)
	s.mu.Lock()
	s.waiting = append(s.waiting, question{wanted, got})
	if !s.asking {
		s.asking = true
		go s.look(db)
	}
	s.mu.Unlock()
	select {
	case a := <-got:
		return a.Progressing, a.err
	case <-ctx.Done():
		return queuesql.Progressing{}, ctx.Err()
	}
}

// look answers those who wait, again and again, until nobody does.
func (s *settling) look(db *store.Store) {
	for {
		s.mu.Lock()
		all := s.waiting
		s.waiting = nil
		s.asking = len(all) > 0
		s.mu.Unlock()
		if len(all) == 0 {
			return
		}
		wanted := make([]queuesql.Wanted, len(all))
		for i, q := range all {
			wanted[i] = q.Wanted
		}
		ctx, cancel := context.WithTimeout(context.Background(), longestLook)
		found, err := queuesql.Unsettled(ctx, db, wanted...)
		cancel()
		for i, q := range all {
			a := answer{err: err}
			if err == nil {
				a.Progressing = found[i]
			}
			q.answer <- a
		}
	}
}

func (r *Reader) positions(ctx context.Context, text string) (queuesql.Wanted, error) {
	if text == "all" {
		last, err := factsql.LastPosition(r.Store.Looking(ctx))
		return queuesql.Wanted{UpTo: last, Asked: true}, err
	}
	wanted, err := parsePositions(text)
	if err != nil {
		return wanted, err
	}
	return wanted, r.checkGiven(ctx, max(wanted.UpTo, slices.Max(append(wanted.Changes, 0))))
}

// checkGiven refuses positions beyond all that were given out: nothing would be
// due for them, and they would pass for settled.
func (r *Reader) checkGiven(ctx context.Context, position int64) error {
	if r.Given(position) {
		return nil
	}
	last, err := factsql.LastPosition(r.Store.Looking(ctx))
	if err != nil {
		return err
	}
	r.Gave(last)
	if position > last {
		return running.Refuse(running.CodeInvalid,
			"the position %d was never given out: give what a write answered with", position)
	}
	return nil
}

// mostPositions is how many positions one read may wait for.
const mostPositions = 100

func parsePositions(text string) (queuesql.Wanted, error) {
	var wanted queuesql.Wanted
	if many := strings.Count(text, ",") + 1; many > mostPositions {
		return wanted, running.Refuse(running.CodeInvalid, "%d positions are given, %d are allowed: of several, "+
			"wait for "+
			"all up to the highest, as in ..17", many, mostPositions)
	}
	for _, p := range strings.Split(text, ",") {
		number, all := strings.CutPrefix(strings.TrimSpace(p), "..")
		if !all {
			number = strings.TrimPrefix(number, "=")
		}
		n, err := strconv.ParseInt(number, 10, 64)
		if err != nil || n < 0 {
			return wanted, running.Refuse(running.CodeInvalid,
				"%q is no position: give what a write answered with, several separated by commas, or `all`", p)
		}
		if all {
			wanted.UpTo = max(wanted.UpTo, n)
			continue
		}
		wanted.Changes = append(wanted.Changes, n)
	}
	return wanted, nil
}
