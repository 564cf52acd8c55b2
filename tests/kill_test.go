package tests

import (
	"sync"
	"sync/atomic"
	"testing"

	"yalvo/client"
	"yalvo/internal/machine/postgres"
	"yalvo/tests/harness"
	"yalvo/tests/scratch"
)

// Thirty-two clients work through two services on one database. One service is
// killed again and again, and once the database itself, while they do. Who was
// cut off asks again. Afterwards everything is as the model says: nothing that
// was acknowledged is lost, nothing was done twice, nothing drifted.
func TestKillingServicesAndTheDatabaseLosesNothing(t *testing.T) {
	t.Parallel()
	s := seeded(t)
	dir := must(scratch.Folder())(t)
	run := func() *postgres.Server {
		return must(postgres.Start(t.Context(), postgres.Options{Dir: dir, Log: scratch.Log()}))(t)
	}
	database := run()
	t.Cleanup(func() {
		if err := database.Stop(); err != nil {
			t.Error(err)
		}
	})
	address := database.Address()
	source := marsh + marshTriggers
	w := world{harness.StartOn(t, address, source), t}
	th := newThrong(t, w, source)
	th.rough, th.steady, th.clients = true, w.URL, []*client.Client{w.Client}
	th.populate(s)

	for round := range 3 {
		victim := spawn(t, "--database", address)
		th.clients = []*client.Client{w.Client, harness.Client(t, victim.url)}
		var running atomic.Bool
		running.Store(true)
		var group sync.WaitGroup
		group.Go(func() {
			defer running.Store(false)
			th.run(s+uint64(round), max(*operations, 400)/4, 32) // enough to be cut off in
		})
		before := th.done()
		for running.Load() && th.done() < before+40 { // well under way
			if _, err := w.About(t.Context()); err != nil {
				t.Fatal(err)
			}
		}
		if round == 2 {
			if err := database.Kill(); err != nil {
				t.Fatal(err)
			}
			database = run()
			same(t, "the database's address", database.Address(), address)
		}
		victim.kill(t)
		group.Wait()
	}
	if th.cutOff == 0 {
		t.Error("nobody was cut off: the test has tested nothing")
	}
	t.Logf("%d requests were cut off and made again", th.cutOff)
	th.asTheModelSays()
	w.auditFindsNothing()
}

// done is how much has been done so far.
func (th *throng) done() int {
	th.mu.Lock()
	defer th.mu.Unlock()
	return len(th.deeds) + th.late
}
