package reading

import (
	"context"
	"strconv"
	"strings"
	"time"

	"yalvo/internal/running"
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
		due, parked, err := r.Store.Unsettled(ctx, wanted.exact, wanted.upTo)
		switch {
		case err != nil:
			return err
		case parked:
			return running.Refuse(running.CodeNotYet,
				"what follows from %s is not settled: some of its work failed and is "+
					"parked; `yalvo parked` lists it, and it can be retried or dropped", positions)
		case !due:
			return nil
		}
		select {
		case <-next:
		case <-time.After(elsewhere):
		case <-deadline:
			return running.Refuse(running.CodeNotYet, "what follows from %s is not settled after %s: try again",
				positions, patience)
		case <-ctx.Done():
			return ctx.Err()
		}
	}
}

// positions are what a reader waits for.
type positions struct {
	exact []int64 // changes
	upTo  int64   // and every one up to this; 0: none
}

func (r *Reader) positions(ctx context.Context, text string) (positions, error) {
	if text != "all" {
		return parsePositions(text)
	}
	last, err := r.Store.LastPosition(ctx)
	return positions{upTo: last}, err
}

func parsePositions(text string) (positions, error) {
	var wanted positions
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
			wanted.upTo = max(wanted.upTo, n)
			continue
		}
		wanted.exact = append(wanted.exact, n)
	}
	return wanted, nil
}
