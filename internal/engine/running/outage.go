package running

import (
	"context"
	"sync"
	"time"

	"yalvo/internal/engine/store"
)

// outage is the time for which the database is away.
type outage struct {
	mu    sync.Mutex
	since time.Time // zero while it answers
	many  int       // how many there were, this one included
}

// begins tells whether this is the first one hears of it.
func (o *outage) begins() bool {
	o.mu.Lock()
	defer o.mu.Unlock()
	if !o.since.IsZero() {
		return false
	}
	o.since, o.many = time.Now(), o.many+1
	return true
}

// ends tells how long it was, 0 if there was none.
func (o *outage) ends() time.Duration {
	o.mu.Lock()
	defer o.mu.Unlock()
	if o.since.IsZero() {
		return 0
	}
	long := time.Since(o.since)
	o.since = time.Time{}
	return long
}

// IsAway tells of an error whether it is that the database cannot be reached.
// Of a whole outage the log has two lines, one at its beginning and one at its
// end, however many requests and workers meet it.
func (a *App) IsAway(err error) bool {
	if !store.IsAway(err) {
		return false
	}
	if a.outage.begins() {
		a.Log.Error("the database is away: requests are answered with 503 until it is back", "error", err)
	}
	return true
}

// IsFull tells of an error whether the database has no room left. Then requests
// are answered with 503 until a write goes through again.
func (a *App) IsFull(err error) bool {
	if !store.IsFull(err) {
		return false
	}
	if !a.full.Swap(true) {
		a.Log.Error("the database has run out of room: what writes is answered with 503 until it has some", "error",
			err)
	}
	return true
}

// Ready tells whether the database answers and, if it had no room, has some again.
func (a *App) Ready(ctx context.Context) error {
	if !a.full.Load() {
		err := a.Store.Ping(ctx)
		if err == nil {
			a.Back()
		}
		return err
	}
	err := a.Store.TryToWrite(ctx)
	if err == nil {
		a.full.Store(false)
		a.Log.Info("the database has room again")
	}
	return err
}

// Back says that the database has answered.
func (a *App) Back() {
	if long := a.outage.ends(); long > 0 {
		a.Log.Info("the database is back", "after", long.Round(time.Millisecond))
	}
}

// Outages is how often the database has been away since the service started.
// Who remembers what it held forgets that then: another may come back.
func (a *App) Outages() int {
	a.outage.mu.Lock()
	defer a.outage.mu.Unlock()
	return a.outage.many
}

// Trouble logs an error of work that nobody waits for.
func (a *App) Trouble(doing string, err error, more ...any) {
	if !a.IsAway(err) && !a.IsFull(err) {
		a.Log.Error(doing, append(more, "error", err)...)
	}
}
