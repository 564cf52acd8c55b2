package reading

import (
	"context"
	"log/slog"
	"runtime"
	"slices"
	"sync"
	"sync/atomic"
	"time"
)

// gathering has what several ask for at about the same time read together. As long as few ask,
// each is answered at once by a statement of its own. Who comes while that many are being read
// waits for one of them to end, and all who wait then are answered by one statement. It begins
// after each of them has asked, so it sees all that they know of. Q is what is asked for, R a row.
type gathering[Q, R any] struct {
	log  *slog.Logger
	many atomic.Int64 // how many have been answered together

	mu    sync.Mutex
	lines map[string]*line[Q, R]
	vain  map[string]int // how many more have been gathered in vain than not
}

// line are those who ask for what can be read together.
type line[Q, R any] struct {
	reading int // statements under way
	waiting []*waiter[Q, R]
}

type waiter[Q, R any] struct {
	ask  Q
	turn chan turn[Q, R] // it holds one
	gone bool
}

// turn is what a waiter is told: to read for all of some, of whom it is the first, or the rows
// that have been read for it, nil if it is to read alone.
type turn[Q, R any] struct {
	lead []*waiter[Q, R]
	rows []R
	err  error // of reading for all
}

const (
	// mostGathered is how many are answered by one statement.
	mostGathered = 16
	// leadTime is how long that may take. It goes on if its leader is gone.
	leadTime = 5 * time.Second
	// mostVain is how many more of one kind may have been gathered in vain than not before none
	// are, and vainKnown of how many kinds that is remembered.
	mostVain, vainKnown = 64, 1000
)

// ask reads alone, or together with others of the same kind; what is of no kind is read alone.
// Who has no rows then, as when that fails, reads alone after all.
func (g *gathering[Q, R]) ask(ctx context.Context, kind string, q Q, alone func(context.Context, Q) ([]R, error),
	together func(context.Context, []Q) ([][]R, error)) ([]R, error) {
	if kind == "" {
		return alone(ctx, q)
	}
	w := g.join(kind, q)
	if w == nil {
		defer g.leave(kind)
		return alone(ctx, q)
	}
	var t turn[Q, R]
	select {
	case t = <-w.turn:
	case <-ctx.Done():
		g.quit(kind, w)
		return nil, ctx.Err()
	}
	if len(t.lead) == 1 {
		defer g.leave(kind)
		return alone(ctx, q)
	}
	if t.lead != nil {
		t = g.lead(ctx, kind, t.lead, together)
	}
	if t.rows != nil {
		g.many.Add(1)
		return t.rows, nil
	}
	rows, err := alone(ctx, q)
	if err == nil && t.err != nil {
		g.log.Warn("pages could not be read together, and were read one by one", "error", t.err)
	}
	return rows, err
}

// join is nil for who may read at once.
func (g *gathering[Q, R]) join(kind string, q Q) *waiter[Q, R] {
	g.mu.Lock()
	defer g.mu.Unlock()
	l := g.lines[kind]
	if l == nil {
		if g.lines == nil {
			g.lines = map[string]*line[Q, R]{}
		}
		l = &line[Q, R]{}
		g.lines[kind] = l
	}
	if l.reading < atOnce || g.vain[kind] > mostVain {
		l.reading++
		return nil
	}
	w := &waiter[Q, R]{ask: q, turn: make(chan turn[Q, R], 1)}
	l.waiting = append(l.waiting, w)
	return w
}

// atOnce is how many read alone at the same time.
var atOnce = runtime.GOMAXPROCS(0)

// leave ends a statement: the first of those who wait goes on for some of them.
func (g *gathering[Q, R]) leave(kind string) {
	g.mu.Lock()
	defer g.mu.Unlock()
	g.goOn(kind)
}

func (g *gathering[Q, R]) goOn(kind string) {
	l := g.lines[kind]
	if len(l.waiting) > 0 {
		many := min(len(l.waiting), mostGathered)
		lead := l.waiting[:many:many]
		l.waiting = l.waiting[many:]
		lead[0].turn <- turn[Q, R]{lead: lead}
		return
	}
	if l.reading--; l.reading == 0 {
		delete(g.lines, kind)
	}
}

// quit takes one out who waits no longer. Those whom it was to read for have another leader.
func (g *gathering[Q, R]) quit(kind string, w *waiter[Q, R]) {
	g.mu.Lock()
	defer g.mu.Unlock()
	w.gone = true
	l := g.lines[kind]
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
			g.goOn(kind)
		}
	default: // somebody reads for it
	}
}

// lead reads for some and tells the others.
func (g *gathering[Q, R]) lead(ctx context.Context, kind string, all []*waiter[Q, R],
	together func(context.Context, []Q) ([][]R, error)) turn[Q, R] {
	ctx, cancel := context.WithTimeout(context.WithoutCancel(ctx), leadTime)
	defer cancel()
	pages := make([][]R, len(all))
	defer g.leave(kind)
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
	g.note(kind, pages)
	return turn[Q, R]{rows: pages[0], err: err}
}

// note keeps in mind whether gathering is of use.
func (g *gathering[Q, R]) note(kind string, pages [][]R) {
	g.mu.Lock()
	defer g.mu.Unlock()
	vain := g.vain[kind]
	for _, rows := range pages {
		if rows == nil {
			vain++
		} else {
			vain--
		}
	}
	if g.vain == nil || len(g.vain) >= vainKnown {
		g.vain = map[string]int{}
	}
	if vain <= 0 {
		delete(g.vain, kind)
	} else {
		g.vain[kind] = vain
	}
}
