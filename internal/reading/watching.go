package reading

import (
	"context"
	"sync"
	"time"

	"yalvo/internal/running"
	"yalvo/internal/store"
)

// Watch is somebody who wants to know when a page of a timeline has changed.
type Watch struct {
	at       store.Address
	timeline string
	page     Page
	account  string // whose access it hangs on, empty if no rules hold
	seen     string // signature of the page as it was last looked at
	changed  chan func()
}

// Changed receives when the page may have changed. What it receives is to be
// called once the page has been read again.
func (w *Watch) Changed() <-chan func() { return w.changed }

// watchers look at the pages of all watches of a service, one after the other,
// for as long as there are any: a watch costs nothing while nothing is written,
// and what they cost together is bounded.
type watchers struct {
	mu     sync.Mutex
	all    map[*Watch]struct{}
	active bool

	place [2]int64 // how far the journal has been looked through for what rules hang on
}

const (
	lookAgain  = 250 * time.Millisecond // for what other services have done
	restAfter  = 3                      // times as long as a look took, until the next
	pagesALook = 200                    // signatures in one statement
	readAgain  = time.Second            // how long a reader may take to read its page again
)

// Watch begins to watch a page. It ends with the context.
func (r *Reader) Watch(ctx context.Context, who running.Viewer, timeline, owner string, page Page) (*Watch, error) {
	v, err := r.Now(ctx)
	if err != nil {
		return nil, err
	}
	t, err := v.Timeline(timeline)
	if err != nil {
		return nil, err
	}
	w := &Watch{at: store.Address{Collection: t.Owner.Number, Key: owner}, timeline: timeline, page: page,
		changed: make(chan func())}
	if who.Judged && v.Law.Guards() {
		w.account = who.Me
	}
	r.watchers.mu.Lock()
	defer r.watchers.mu.Unlock()
	if r.watchers.all == nil {
		r.watchers.all = map[*Watch]struct{}{}
	}
	r.watchers.all[w] = struct{}{}
	context.AfterFunc(ctx, func() { r.watchers.leave(w) })
	if !r.watchers.active {
		r.watchers.active = true
		go r.look()
	}
	return w, nil
}

func (ws *watchers) leave(w *Watch) {
	ws.mu.Lock()
	defer ws.mu.Unlock()
	delete(ws.all, w)
}

// some are the watches there are. If there are none the looking ends.
func (ws *watchers) some() []*Watch {
	ws.mu.Lock()
	defer ws.mu.Unlock()
	var all []*Watch
	for w := range ws.all {
		all = append(all, w)
	}
	ws.active = len(all) > 0
	return all
}

// look looks at the watched pages until there are none.
func (r *Reader) look() {
	ctx := context.Background() // bounded by the watches, each of which has its own
	var moment string
	for {
		settled := r.Settled()
		all := r.watchers.some()
		if len(all) == 0 {
			return
		}
		began := time.Now()
		if err := r.lookAt(ctx, &moment, all); err != nil {
			r.Trouble("looking at live pages", err)
			settled = nil // and look again later
		}
		time.Sleep(restAfter * time.Since(began))
		select {
		case <-settled:
		case <-time.After(lookAgain):
		}
	}
}

// lookAt wakes those whose page has changed, if anything was committed since
// the moment or somebody is new.
func (r *Reader) lookAt(ctx context.Context, moment *string, all []*Watch) error {
	now, err := r.Store.Moment(ctx)
	if err != nil {
		return err
	}
	if now == *moment {
		all = fresh(all)
	}
	signatures, err := r.signatures(ctx, all)
	if err != nil {
		return err
	}
	others, err := r.othersMaySee(ctx, all)
	if err != nil {
		return err
	}
	*moment = now
	for w, signature := range signatures {
		if (signature != w.seen || others(w)) && w.wake() {
			w.seen = signature
		}
	}
	return nil
}

func fresh(all []*Watch) []*Watch {
	var some []*Watch
	for _, w := range all {
		if w.seen == "" {
			some = append(some, w)
		}
	}
	return some
}

// wake has the reader read its page again. It tells whether that was done: a
// reader that is busy with the page before is woken the next time.
func (w *Watch) wake() bool {
	read := make(chan struct{})
	select {
	case w.changed <- sync.OnceFunc(func() { close(read) }):
	default:
		w.seen = ""
		return false
	}
	select {
	case <-read:
	case <-time.After(readAgain):
	}
	return true
}

// signatures are those of the watched pages.
func (r *Reader) signatures(ctx context.Context, all []*Watch) (map[*Watch]string, error) {
	v, err := r.Now(ctx)
	if err != nil {
		return nil, err
	}
	found := map[*Watch]string{}
	var pushed []*Watch
	var pages []store.Watched
	for _, w := range all {
		t, err := v.Readable(w.timeline)
		owner := r.owners.of(w.at)
		if err != nil || owner.N == 0 {
			continue // its reader is told when it reads, or has not read yet
		}
		shown := store.Watched{Timeline: t, Owner: owner, After: w.page.After, Limit: w.page.Limit}
		if t.Deliver == "push" {
			pushed, pages = append(pushed, w), append(pages, shown)
			continue
		}
		if found[w], err = r.Store.Signature(ctx, shown); err != nil {
			return nil, err
		}
	}
	for len(pages) > 0 {
		n := min(pagesALook, len(pages))
		some, err := r.Store.Signatures(ctx, pages[:n])
		if err != nil {
			return nil, err
		}
		for i, signature := range some {
			found[pushed[i]] = signature
		}
		pushed, pages = pushed[n:], pages[n:]
	}
	return found, nil
}
