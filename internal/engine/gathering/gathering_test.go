package gathering

import (
	"context"
	"errors"
	"log/slog"
	"slices"
	"strings"
	"sync"
	"testing"
	"testing/synctest"
	"time"
)

// answerer answers numbers by themselves or together, and notes how. Whoever answers has to be let
// go.
type answerer struct {
	Batcher[int, int]
	t        *testing.T
	release  chan struct{}
	fails    error
	together func([]int) [][]int

	mu     sync.Mutex
	groups [][]int
	words  strings.Builder
}

func opened(t *testing.T) *answerer {
	d := &answerer{t: t, release: make(chan struct{})}
	d.Log = slog.New(slog.NewTextHandler(&d.words, nil))
	d.together = func(asked []int) [][]int {
		out := make([][]int, len(asked))
		for i, q := range asked {
			out[i] = []int{10 * q}
		}
		return out
	}
	return d
}

func (d *answerer) asks(ctx context.Context, q int) <-chan int {
	answer := make(chan int, 1)
	go func() {
		rows, err := d.Ask(ctx, "kind", q, func(_ context.Context, q int) ([]int, error) {
			<-d.release
			return []int{q}, nil
		}, func(_ context.Context, asked []int) ([][]int, error) {
			d.mu.Lock()
			d.groups = append(d.groups, slices.Clone(asked))
			d.mu.Unlock()
			<-d.release
			return d.together(asked), d.fails
		})
		switch {
		case err != nil:
			answer <- -1
		default:
			answer <- rows[0]
		}
	}()
	synctest.Wait() // until it is answered, waits or reads
	return answer
}

// busy has as many read alone as may at once.
func (d *answerer) busy() {
	for range atOnce {
		d.asks(d.t.Context(), 0)
	}
}

// free tells that nobody reads and nobody waits.
func (d *answerer) free() {
	d.t.Helper()
	d.mu.Lock()
	defer d.mu.Unlock()
	if len(d.lines) != 0 {
		d.t.Errorf("somebody is still waited for: %v", d.lines["kind"])
	}
}

func TestWhoComesWhileOthersReadIsAnsweredTogether(t *testing.T) {
	synctest.Test(t, func(t *testing.T) {
		d := opened(t)
		d.busy()
		first, second, third := d.asks(t.Context(), 1), d.asks(t.Context(), 2), d.asks(t.Context(), 3)
		d.release <- struct{}{} // one who read alone
		synctest.Wait()
		late := d.asks(t.Context(), 4) // the statement for the others has begun
		if len(d.groups) != 1 || !slices.Equal(d.groups[0], []int{1, 2, 3}) {
			t.Fatalf("read together: %v", d.groups)
		}
		close(d.release)
		if got := []int{<-first, <-second, <-third, <-late}; !slices.Equal(got, []int{10, 20, 30, 4}) {
			t.Errorf("answers: %v, of which the last is not of the same statement", got)
		}
		synctest.Wait()
		d.free()
		if d.many.Load() != 3 {
			t.Errorf("%d are said to have been answered together", d.many.Load())
		}
	})
}

func TestWhoseStatementFailsOrLeavesOutReadsAlone(t *testing.T) {
	for what, c := range map[string]struct {
		fails error
		rows  func([]int) [][]int
		want  []int
	}{
		"fails":           {errors.New("no such column"), func(asked []int) [][]int { return nil }, []int{1, 2}},
		"leaves one out":  {nil, func([]int) [][]int { return [][]int{nil, {20}} }, []int{1, 20}},
		"nothing is left": {nil, func([]int) [][]int { return make([][]int, 2) }, []int{1, 2}},
	} {
		synctest.Test(t, func(t *testing.T) {
			d := opened(t)
			d.fails, d.together = c.fails, c.rows
			d.busy()
			first, second := d.asks(t.Context(), 1), d.asks(t.Context(), 2)
			close(d.release)
			if got := []int{<-first, <-second}; !slices.Equal(got, c.want) {
				t.Errorf("%s: %v", what, got)
			}
			synctest.Wait()
			d.free()
			if told := strings.Contains(d.words.String(), "no such column"); told != (c.fails != nil) {
				t.Errorf("%s: the log says %q", what, d.words.String())
			}
		})
	}
}

func TestWhoLeavesLeadsNobody(t *testing.T) {
	synctest.Test(t, func(t *testing.T) {
		d := opened(t)
		d.busy()
		gone, leave := context.WithCancel(t.Context())
		first, last := d.asks(gone, 1), d.asks(gone, 3)
		second := d.asks(t.Context(), 2)
		leave()
		synctest.Wait()
		close(d.release)
		if got := []int{<-first, <-second, <-last}; !slices.Equal(got, []int{-1, 2, -1}) {
			t.Errorf("answers: %v", got)
		}
		synctest.Wait()
		d.free()
	})
}

// However those who wait come and go, everybody who stays is answered.
func TestNobodyIsForgotten(t *testing.T) {
	d := opened(t)
	close(d.release)
	var group sync.WaitGroup
	for i := range 2000 {
		group.Go(func() {
			ctx, cancel := t.Context(), context.CancelFunc(func() {})
			if i%3 == 0 {
				ctx, cancel = context.WithTimeout(ctx, time.Duration(i%50)*time.Microsecond)
			}
			defer cancel()
			rows, err := d.Ask(ctx, "kind", i, func(ctx context.Context, q int) ([]int, error) { return []int{q}, nil },
				func(_ context.Context, asked []int) ([][]int, error) { return d.together(asked), nil })
			if err != nil && i%3 != 0 || err == nil && rows[0] != i && rows[0] != 10*i {
				t.Errorf("%d: %v %v", i, rows, err)
			}
		})
	}
	group.Wait()
	d.free()
}

func TestWhatIsGatheredInVainIsGatheredNoMoreForAWhile(t *testing.T) {
	synctest.Test(t, func(t *testing.T) {
		d := opened(t)
		d.together = func(asked []int) [][]int { return make([][]int, len(asked)) }
		rush := func() (gathered bool) {
			before := len(d.groups)
			d.release = make(chan struct{})
			d.busy()
			for q := range 8 {
				d.asks(t.Context(), q)
			}
			close(d.release)
			synctest.Wait()
			d.free()
			return len(d.groups) > before
		}
		until := func(what string, want bool) {
			t.Helper()
			for range 100 {
				if rush() == want {
					return
				}
			}
			t.Errorf("it is never %s", what)
		}
		until("given up", false)
		if rush() {
			t.Error("it is tried again at once")
		}
		until("tried again", true)
	})
}
