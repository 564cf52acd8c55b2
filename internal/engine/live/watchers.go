package live

import (
	"context"
	"sync"
	"time"

	"yalvo/internal/design/plan"
	"yalvo/internal/engine/documents"
	"yalvo/internal/engine/lists"
	"yalvo/internal/engine/running"
	"yalvo/internal/engine/store"
	"yalvo/internal/engine/store/factsql"
	"yalvo/internal/engine/store/timelinesql"
	"yalvo/internal/engine/timelines"
)

// Watch is somebody who wants to know when what they are shown has changed.
type Watch struct {
	timeline string        // of a page of a timeline: its name
	list     *plan.List    // of a page of a list
	at       store.Address // the owner of the timeline, the document that the list is asked for, or the document
	page     documents.Page

	account string // the path of the account that looks, empty for a stranger or an operator
	judged  bool   // the rules hold for them
	marks   bool   // they are shown how they are paired with it

	mu      sync.Mutex
	passed  int     // of a timeline: how many places were looked at for what is shown
	further bool    // and whether beyond where it was cut
	rows    []int64 // of a list: the documents that are shown
	touched int     // of a list: how often something was written that it may show
	seen    string  // signature of what it was when it was last looked at
	changed chan func()
}

// Changed receives when what is shown may have changed. What it receives is to be
// called once it has been read again.
func (w *Watch) Changed() <-chan func() { return w.changed }

// Shows notes which documents a page of a list shows.
func (w *Watch) Shows(rows []int64) {
	w.mu.Lock()
	defer w.mu.Unlock()
	w.rows = rows
}

// ShowsEntries notes what a page of a timeline was made of: if some of it may not be read, more than it shows.
func (w *Watch) ShowsEntries(page timelines.Entries) {
	w.mu.Lock()
	defer w.mu.Unlock()
	w.passed, w.further = page.MadeOf()
}

// Ages tells whether what is shown changes with time alone.
func (w *Watch) Ages() bool {
	return w.list != nil && w.list.Where != nil && w.list.Where.That != nil && w.list.Where.That.Names("now")
}

// Watchers look at what all watches of a service look at, one after the other,
// for as long as there are any: a watch costs nothing while nothing is written,
// and what they cost together is bounded.
type Watchers struct {
	*timelines.Reader
	mu     sync.Mutex
	all    map[*Watch]struct{}
	active bool

	moment string   // what had been committed when they looked last
	place  [2]int64 // how far the journal has been looked through
}

const (
	lookAgain  = 250 * time.Millisecond // for what other services have done
	restAfter  = 3                      // times as long as a look took, until the next
	pagesALook = 200                    // signatures in one statement
	readAgain  = time.Second            // how long a reader may take to read again
	readAtOnce = 8                      // readers that read again together
)

// New makes the watchers of a service.
func New(r *timelines.Reader) *Watchers { return &Watchers{Reader: r} }

// WatchTimeline begins to watch a page of a timeline. It ends with the context.
func (r *Watchers) WatchTimeline(ctx context.Context, who running.Viewer, timeline, owner string, page documents.Page,
	marks bool) (*Watch, error) {
	v, err := r.Now(ctx)
	if err != nil {
		return nil, err
	}
	t, err := v.Timeline(timeline)
	if err != nil {
		return nil, err
	}
	w := &Watch{timeline: timeline, at: store.Address{Collection: t.Owner.Number, Key: owner}, page: page, marks: marks}
	return w, r.watch(ctx, v, who, w)
}

// WatchDocument begins to watch a document. It ends with the context.
func (r *Watchers) WatchDocument(ctx context.Context, who running.Viewer, collection, key string, marks bool) (*Watch,
	error) {
	v, err := r.Now(ctx)
	if err != nil {
		return nil, err
	}
	c, err := v.Collection(collection)
	if err != nil {
		return nil, err
	}
	w := &Watch{at: running.Address(c, key), marks: marks}
	return w, r.watch(ctx, v, who, w)
}

// WatchList begins to watch the first page of a list. It ends with the context.
func (r *Watchers) WatchList(ctx context.Context, who running.Viewer, ask lists.Request,
	marks bool) (*Watch, error) {
	v, err := r.Now(ctx)
	if err != nil {
		return nil, err
	}
	l, err := v.List(ask.Name)
	if err != nil {
		return nil, err
	}
	w := &Watch{list: l, marks: marks}
	if l.Owner != nil {
		w.at = running.Address(l.Owner, ask.Of)
	}
	return w, r.watch(ctx, v, who, w)
}

// watch has a watch looked after until the context ends.
func (r *Watchers) watch(ctx context.Context, v *running.Version, who running.Viewer, w *Watch) error {
	w.changed, w.judged = make(chan func()), who.Judged && v.Law.Guards()
	if accounts := v.Plan.Design.Accounts; accounts != nil && who.Me != "" {
		w.account = accounts.Name + "/" + who.Me
	}
	// If they are the first: what was written before is in what they are shown first. It is asked for without
	// the lock, for which others wait.
	now, err := factsql.JournalNow(ctx, r.Store)
	if err != nil {
		return err
	}
	ws := r
	ws.mu.Lock()
	defer ws.mu.Unlock()
	if len(ws.all) == 0 {
		ws.all, ws.place = map[*Watch]struct{}{}, [2]int64{now, 0}
	}
	ws.all[w] = struct{}{}
	context.AfterFunc(ctx, func() { ws.leave(w) })
	if !ws.active {
		ws.active = true
		go r.look()
	}
	return nil
}

// reached is how far the journal has been looked through.
func (ws *Watchers) reached() [2]int64 {
	ws.mu.Lock()
	defer ws.mu.Unlock()
	return ws.place
}

// reach notes how far it has been looked through.
func (ws *Watchers) reach(place [2]int64) {
	ws.mu.Lock()
	defer ws.mu.Unlock()
	ws.place = place
}

func (ws *Watchers) leave(w *Watch) {
	ws.mu.Lock()
	defer ws.mu.Unlock()
	delete(ws.all, w)
}

// some are the watches there are. If there are none the looking ends.
func (ws *Watchers) some() []*Watch {
	ws.mu.Lock()
	defer ws.mu.Unlock()
	var all []*Watch
	for w := range ws.all {
		all = append(all, w)
	}
	ws.active = len(all) > 0
	return all
}

// look looks after all watches until there are none.
func (r *Watchers) look() {
	ctx := context.Background() // bounded by the watches, each of which has its own
	for {
		settled := r.Settled()
		all := r.some()
		if len(all) == 0 {
			return
		}
		began := time.Now()
		if err := r.lookAt(ctx, all); err != nil {
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

// lookAt wakes those for whom something has changed, if anything was committed since they
// were last looked after, and those who are new.
func (r *Watchers) lookAt(ctx context.Context, all []*Watch) error {
	v, err := r.Now(ctx)
	if err != nil {
		return err
	}
	now, err := timelinesql.Moment(ctx, r.Store)
	if err != nil {
		return err
	}
	written := &news{}
	place := r.reached()
	if now == r.moment {
		all = fresh(all)
	} else if written, place, err = r.news(ctx, v, place); err != nil {
		return err
	}
	for _, w := range all {
		if written.mayShow(v, w) {
			w.touched++
		}
	}
	signatures, err := r.signatures(ctx, v, all, now)
	if err != nil {
		return err
	}
	// Only now: what was written is looked at again if this look has failed.
	r.moment = now
	r.reach(place)
	wake(signatures, func(w *Watch) bool { return signatures[w] != w.seen || written.concerns(w) })
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

// wake wakes some of those who have a signature, a few together: each reads again what it
// shows.
func wake(signatures map[*Watch]string, some func(*Watch) bool) {
	var group sync.WaitGroup
	turns := make(chan struct{}, readAtOnce)
	for w, signature := range signatures {
		if !some(w) {
			continue
		}
		turns <- struct{}{}
		group.Go(func() {
			if w.wake() {
				w.seen = signature
			}
			<-turns
		})
	}
	group.Wait()
}

// wake has the reader read again. It tells whether that was done: a reader that is busy
// with what it was told before is woken the next time.
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
