// Package gathering has what several ask for at about the same time done together.
//
// In goes what each asks for, and how it is done alone and for several; out comes to each their
// own. Not done here: what is alike enough to be done together, and the doing.
package gathering

import (
	"context"
	"log/slog"
	"runtime"
	"slices"
	"sync"
	"sync/atomic"
	"time"
)

// Batcher answers questions Q with rows R. As long as few ask, each is answered at once, by a
// statement of its own. Who comes while that many are being answered waits for one of them to
// end, and all who wait then are answered by one statement. It begins after each of them has
// asked, so it sees all that they know of.
type Batcher[Q, R any] struct {
	Log *slog.Logger

	many atomic.Int64

	mu    sync.Mutex
	lines map[string]*line[Q, R]
	vain  map[string]int // how many more have been gathered in vain than not, times perVain
}

// line are those who ask for what can be done together.
type line[Q, R any] struct {
	busy    int // statements under way
	waiting []*waiter[Q, R]
}

type waiter[Q, R any] struct {
	ask  Q
	turn chan turn[Q, R] // it holds one
	gone bool
}

// turn is what a waiter is told: to ask for all of some, of whom it is the first, or the rows that
// it has been answered, nil if it is to ask alone.
type turn[Q, R any] struct {
	lead []*waiter[Q, R]
	rows []R
	err  error // of asking for all
}

const (
	// mostGathered is how many are answered by one statement.
	mostGathered = 16
	// leadTime is how long that may take. It goes on if its leader is gone.
	leadTime = 2 * time.Second
	// mostVain is how many more of one kind may have been gathered in vain than not before they are
	// no longer. For each of these, so many that are then answered alone let it be tried again.
	mostVain, perVain = 64, 16
	// vainKnown is of how many kinds that is remembered.
	vainKnown = 1000
)

// Together is how many have been answered together with others.
func (d *Batcher[Q, R]) Together() int64 { return d.many.Load() }

// Ask has a question answered alone, or together with others of the same kind; what is of no kind
// is answered alone. Who has no rows (nil) then, as when that fails, is answered alone after all:
// to be asked twice must do no harm.
func (d *Batcher[Q, R]) Ask(ctx context.Context, kind string, q Q, alone func(context.Context, Q) ([]R, error),
	together func(context.Context, []Q) ([][]R, error)) ([]R, error) {
	if kind == "" {
		return alone(ctx, q)
	}
	w := d.join(kind, q)
	if w == nil {
		defer d.leave(kind)
		return alone(ctx, q)
	}
	var t turn[Q, R]
	select {
	case t = <-w.turn:
	case <-ctx.Done():
		d.quit(kind, w)
		return nil, ctx.Err()
	}
	if len(t.lead) == 1 {
		defer d.leave(kind)
		return alone(ctx, q)
	}
	if t.lead != nil {
		t = d.lead(ctx, kind, t.lead, together)
	}
	if t.rows != nil {
		d.many.Add(1)
		return t.rows, nil
	}
	rows, err := alone(ctx, q)
	if err == nil && t.err != nil {
		d.Log.Warn("several could not be answered together, and were one by one", "error", t.err)
	}
	return rows, err
}

// join is nil for who need not wait.
func (d *Batcher[Q, R]) join(kind string, q Q) *waiter[Q, R] {
	d.mu.Lock()
	defer d.mu.Unlock()
	l := d.lines[kind]
	if l == nil {
		if d.lines == nil {
			d.lines = map[string]*line[Q, R]{}
		}
		l = &line[Q, R]{}
		d.lines[kind] = l
	}
	switch {
	case l.busy < atOnce:
		l.busy++
		return nil
	case d.vain[kind] > mostVain*perVain:
		d.vain[kind]--
		l.busy++
		return nil
	}
	w := &waiter[Q, R]{ask: q, turn: make(chan turn[Q, R], 1)}
	l.waiting = append(l.waiting, w)
	return w
}

// atOnce is how many of one kind are answered at the same time.
var atOnce = runtime.GOMAXPROCS(0)

// leave ends a statement: the first of those who wait goes on for some of them.
func (d *Batcher[Q, R]) leave(kind string) {
	d.mu.Lock()
	defer d.mu.Unlock()
	d.goOn(kind)
}

func (d *Batcher[Q, R]) goOn(kind string) {
	l := d.lines[kind]
	if len(l.waiting) > 0 {
		many := min(len(l.waiting), mostGathered)
		lead := l.waiting[:many:many]
		l.waiting = l.waiting[many:]
		lead[0].turn <- turn[Q, R]{lead: lead}
		return
	}
	if l.busy--; l.busy == 0 {
		delete(d.lines, kind)
	}
}

// quit takes one out who waits no longer. Those whom it was to ask for have another leader.
func (d *Batcher[Q, R]) quit(kind string, w *waiter[Q, R]) {
	d.mu.Lock()
	defer d.mu.Unlock()
	w.gone = true
	l := d.lines[kind]
	if l == nil {
		return
	}
	if at := slices.Index(l.waiting, w); at >= 0 {
		l.waiting = slices.Delete(l.waiting, at, at+1)
		return
	}
	select {
	case t := <-w.turn:
		left := slices.DeleteFunc(t.lead, func(w *waiter[Q, R]) bool { return w.gone })
		if len(left) > 0 {
			left[0].turn <- turn[Q, R]{lead: left}
		} else if t.lead != nil {
			d.goOn(kind)
		}
	default: // somebody asks for it
	}
}

// lead asks for some and tells the others.
func (d *Batcher[Q, R]) lead(ctx context.Context, kind string, all []*waiter[Q, R],
	together func(context.Context, []Q) ([][]R, error)) turn[Q, R] {
	ctx, cancel := context.WithTimeout(context.WithoutCancel(ctx), leadTime)
	defer cancel()
	pages := make([][]R, len(all))
	defer d.leave(kind)
	defer func() { // whatever has become of it: they wait
		for i, w := range all[1:] {
			w.turn <- turn[Q, R]{rows: pages[i+1]}
		}
	}()
	asked := make([]Q, len(all))
	for i, w := range all {
		asked[i] = w.ask
	}
	got, err := together(ctx, asked)
	if err == nil {
		pages = got
	}
	d.note(kind, pages)
	return turn[Q, R]{rows: pages[0], err: err}
}

// note keeps in mind whether gathering is of use.
func (d *Batcher[Q, R]) note(kind string, pages [][]R) {
	d.mu.Lock()
	defer d.mu.Unlock()
	vain := d.vain[kind]
	for _, rows := range pages {
		if rows == nil {
			vain += perVain
		} else {
			vain -= perVain
		}
	}
	if d.vain == nil || len(d.vain) >= vainKnown {
		d.vain = map[string]int{}
	}
	if vain <= 0 {
		delete(d.vain, kind)
	} else {
		d.vain[kind] = vain
	}
}
