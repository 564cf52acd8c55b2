package timelinesql_test

import (
	"fmt"
	"math"
	"testing"

	"yalvo/internal/engine/store/storetest"
	"yalvo/tests/scratch"

	"yalvo/internal/design"
	"yalvo/internal/design/plan"
	"yalvo/internal/engine/store"
	"yalvo/internal/engine/store/factsql"
	"yalvo/internal/engine/store/queuesql"
	"yalvo/internal/engine/store/timelinesql"
)

func TestMain(m *testing.M) { scratch.Main(m) }

// short is a timeline of four, with the owners and authors it is tried on.
type short struct {
	*store.Store
	t        *testing.T
	timeline *plan.Timeline
	ids      map[string]int64
}

func newShort(t *testing.T) short {
	people := &plan.Collection{Number: 1}
	return short{Store: storetest.Open(t), t: t, timeline: &plan.Timeline{
		Number: 3, Timeline: &design.Timeline{Name: "home", Length: 4, Deliver: design.Push}, Owner: people,
		Through: &plan.Pair{Pair: &design.Pair{Name: "follow"}, Number: 2, From: people, To: people},
		By:      &plan.Reference{Field: &design.Field{Name: "author"}},
	}, ids: map[string]int64{}}
}

func (s short) person(id string) {
	s.t.Helper()
	storetest.Write(s.t, s.Store, func(tx *store.Tx) error {
		n, err := storetest.Put(tx, 1, id, "{}")
		s.ids[id] = n
		return err
	})
}

// posts has an author post so many times and delivers each post to the followers.
func (s short) posts(author string, from, many int64) {
	s.t.Helper()
	storetest.Write(s.t, s.Store, func(tx *store.Tx) error {
		for i := from; i < from+many; i++ {
			if err := timelinesql.Post(tx, 3, s.ids[author], i, 1000+i); err != nil {
				return err
			}
			one := []timelinesql.FanOut{{Timeline: 3, Pair: 2, Author: s.ids[author], Doc: 1000 + i, Rank: i,
				Due: queuesql.Due{Until: math.MaxInt64}}}
			if err := timelinesql.Bound(tx, one, 10); err != nil {
				return err
			}
			if !one[0].Done {
				return fmt.Errorf("few followers, and the fan-out is not done: %+v", one[0])
			}
			if _, err := timelinesql.Deliver(tx, s.timeline, one); err != nil {
				return err
			}
		}
		return nil
	})
}

// stored counts the entries of an owner's timeline.
func (s short) stored(owner string) int {
	s.t.Helper()
	at := store.Address{Collection: 1, Key: owner}
	is, err := factsql.FindOwner(s.t.Context(), s.Store, at)
	if err != nil {
		s.t.Fatal(err)
	}
	places, err := timelinesql.Places(s.t.Context(), s.Store, timelinesql.TimelinePage{Timeline: s.timeline, At: at,
		Owner: is, After: store.FromTheTop, Limit: 1000}.Query())
	if err != nil {
		s.t.Fatal(err)
	}
	return len(places)
}

func TestATrimCutsOnlyWhatHasOutgrownItsSlack(t *testing.T) {
	s := newShort(t)
	for _, id := range []string{"ada", "ben", "cora"} {
		s.person(id)
	}
	slack := int64(timelinesql.Slack(4))
	storetest.Write(t, s.Store, func(tx *store.Tx) error { return storetest.Tie(tx, 2, s.ids["ben"], s.ids["ada"]) })
	s.posts("ada", 1, 4+slack)
	trim := func() (cut []int64) {
		t.Helper()
		storetest.Write(t, s.Store, func(tx *store.Tx) error {
			var done bool
			var err error
			_, cut, done, err = timelinesql.TrimOwners(tx, s.timeline, 0, 100)
			if err == nil && !done {
				err = fmt.Errorf("three owners, and the trim of a hundred is not done")
			}
			return err
		})
		return cut
	}
	if cut := trim(); len(cut) != 0 {
		t.Errorf("cut at its slack already: %v", cut)
	}
	s.posts("ada", 100, 1)
	if cut := trim(); len(cut) != 1 || cut[0] != s.ids["ben"] {
		t.Errorf("cut %v, want ben", cut)
	}
	if got := int64(s.stored("ben")); got != 4+slack/2 {
		t.Errorf("%d entries are left, want the length and half the slack, %d", got, 4+slack/2)
	}
	if cut := trim(); len(cut) != 0 {
		t.Errorf("cut again: %v", cut)
	}
}

func TestACutTimelineKnowsWhenItIsTooShortAndIsRefilled(t *testing.T) {
	s := newShort(t)
	for _, id := range []string{"ada", "ben"} {
		s.person(id)
	}
	ada, ben := s.ids["ada"], s.ids["ben"]
	slack := timelinesql.Slack(4)
	storetest.Write(t, s.Store, func(tx *store.Tx) error { return storetest.Tie(tx, 2, ben, ada) })
	s.posts("ada", 1, 40)
	storetest.Write(t, s.Store, func(tx *store.Tx) error {
		_, _, _, err := timelinesql.TrimOwners(tx, s.timeline, 0,
			100)
		return err
	})

	// The posts go one by one, newest first. Right after a cut nothing is surplus.
	withdraw := func(rank int64) (short []timelinesql.Shortened) {
		t.Helper()
		storetest.Write(t, s.Store, func(tx *store.Tx) error {
			post := timelinesql.Posted{Author: ada, Rank: rank, Doc: 1000 + rank}
			if err := timelinesql.Unpost(tx, 3, post); err != nil {
				return err
			}
			gone := []timelinesql.FanOut{
				{Timeline: 3, Pair: 2, Author: ada, Doc: 1000 + rank, Rank: rank, Last: 1 << 40},
			}
			cut, err := timelinesql.Withdraw(tx, gone)
			if err != nil || len(cut) != 1 {
				return fmt.Errorf("withdrew from %v: %w", cut, err)
			}
			short, err = timelinesql.Shorten(tx, cut)
			return err
		})
		return short
	}
	if short := withdraw(40); len(short) != 1 || short[0].Owner != ben {
		t.Fatalf("nothing is surplus after a cut, and the loss is not noticed: %v", short)
	}
	storetest.Write(t, s.Store, func(tx *store.Tx) error { // counted again, there was enough
		many, err := timelinesql.CountAbove(tx, 3, []int64{ben}, 4+slack)
		if err != nil || many[ben] != 4+slack/2-1 {
			return fmt.Errorf("%d entries above the cut: %w", many[ben], err)
		}
		return timelinesql.SetSurplus(tx, 3, map[int64]int{ben: many[ben] - 4})
	})
	rank := int64(39)
	for ; ; rank-- {
		if short := withdraw(rank); len(short) > 0 {
			break
		}
	}
	if left := s.stored("ben"); left != 3 {
		t.Fatalf("noticed with %d entries left, want when there are fewer than 4", left)
	}
	storetest.Write(t, s.Store, func(tx *store.Tx) error {
		if cuts, err := timelinesql.LockCuts(tx, 3, []int64{ben}); err != nil || !cuts[ben] {
			return fmt.Errorf("no cut: %w", err)
		}
		return timelinesql.Refill(tx, s.timeline, ben)
	})
	if left := s.stored("ben"); left != 4+slack/2 {
		t.Errorf("refilled to %d, want %d", left, 4+slack/2)
	}
	for ; rank > 0; rank-- { // until everything fits, and the cut is no longer needed
		withdraw0(t, s, ada, rank)
	}
	storetest.Write(t, s.Store, func(tx *store.Tx) error { return timelinesql.Refill(tx, s.timeline, ben) })
	storetest.Write(t, s.Store, func(tx *store.Tx) error {
		if cuts, err := timelinesql.LockCuts(tx, 3, []int64{ben}); err != nil || cuts[ben] {
			return fmt.Errorf("everything fits and there is still a cut: %w", err)
		}
		return nil
	})
}

// Whoever holds a cut may want entries that somebody else is dropping, and must not be waited for.
func TestTimelinesOfWhoIsGoneAreDroppedWithoutWaiting(t *testing.T) {
	s := newShort(t)
	for _, id := range []string{"ada", "ben"} {
		s.person(id)
	}
	ben := s.ids["ben"]
	storetest.Write(t, s.Store, func(tx *store.Tx) error { return storetest.Tie(tx, 2, ben, s.ids["ada"]) })
	s.posts("ada", 1, 40)
	storetest.Write(t, s.Store, func(tx *store.Tx) error {
		_, _, _, err := timelinesql.TrimOwners(tx, s.timeline, 0,
			100)
		return err
	})
	drop := func() (left bool) {
		t.Helper()
		storetest.Write(t, s.Store, func(tx *store.Tx) error {
			err := tx.WaitBriefly()
			if err == nil {
				_, left, err = timelinesql.DropTimelines(tx, 3, []int64{ben}, 1000)
			}
			return err
		})
		return left
	}
	holder := storetest.Begin(s.Store)
	if cuts, err := timelinesql.LockCuts(holder, 3, []int64{ben}); err != nil || !cuts[ben] {
		t.Fatalf("no cut: %v", err)
	}
	if left := drop(); !left || s.stored("ben") != 0 {
		t.Errorf("%d entries, and it is said that something is left: %v", s.stored("ben"), left)
	}
	if err := storetest.Commit(holder); err != nil {
		t.Fatal(err)
	}
	if drop() {
		t.Error("something is left though nobody holds it")
	}
	storetest.Write(t, s.Store, func(tx *store.Tx) error {
		if cuts, err := timelinesql.LockCuts(tx, 3, []int64{ben}); err != nil || cuts[ben] {
			return fmt.Errorf("the cut is still there: %v, %w", cuts, err)
		}
		return nil
	})
}

// withdraw0 takes a post away without asking what became too short.
func withdraw0(t *testing.T, s short, author, rank int64) {
	t.Helper()
	storetest.Write(t, s.Store, func(tx *store.Tx) error {
		post := timelinesql.Posted{Author: author, Rank: rank, Doc: 1000 + rank}
		if err := timelinesql.Unpost(tx, 3, post); err != nil {
			return err
		}
		_, err := timelinesql.Withdraw(tx, []timelinesql.FanOut{{Timeline: 3, Pair: 2, Author: author, Doc: 1000 + rank,
			Rank: rank, Last: 1 << 40}})
		return err
	})
}

func TestWhatTheFactsDoNotJustifyIsFoundAndTakenOut(t *testing.T) {
	s := newShort(t)
	for _, id := range []string{"ada", "ben", "cora"} {
		s.person(id)
	}
	storetest.Write(t, s.Store, func(tx *store.Tx) error {
		for _, author := range []string{"ada", "cora"} {
			if err := storetest.Tie(tx, 2, s.ids["ben"], s.ids[author]); err != nil {
				return err
			}
		}
		return nil
	})
	s.posts("ada", 1, 3)
	s.posts("cora", 10, 2)
	storetest.Write(t, s.Store, func(tx *store.Tx) error { // facts change, and no clean-up follows
		if err := storetest.Untie(tx, 2, s.ids["ben"], s.ids["cora"]); err != nil {
			return err
		}
		return timelinesql.Unpost(tx, 3, timelinesql.Posted{Author: s.ids["ada"], Rank: 2, Doc: 1002})
	})
	storetest.Write(t, s.Store, func(tx *store.Tx) error {
		doubtful, err := timelinesql.Doubtful(tx, s.timeline, s.ids["ben"])
		if err != nil || len(doubtful) != 2 {
			return fmt.Errorf("doubtful are %v, want ada and cora: %w", doubtful, err)
		}
		lost, err := timelinesql.TakeOut(tx, s.timeline, []timelinesql.Subscription{{Owner: s.ids["ben"],
			Author: doubtful[0]}, {Owner: s.ids["ben"], Author: doubtful[1]}})
		if err != nil || len(lost) != 1 || lost[0].Lost != 3 {
			return fmt.Errorf("lost %v, want cora's two and ada's removed one: %w", lost, err)
		}
		return nil
	})
	if left := s.stored("ben"); left != 2 {
		t.Errorf("%d entries are left, want ada's other two", left)
	}
}

// What watches a timeline is told that an entry went and came back, though all is as it was.
func TestAnEntryThatCameBackIsAnother(t *testing.T) {
	s := newShort(t)
	s.person("ada")
	s.person("ben")
	storetest.Write(t, s.Store, func(tx *store.Tx) error { return storetest.Tie(tx, 2, s.ids["ben"], s.ids["ada"]) })
	s.posts("ada", 1, 1)
	signature := func() string {
		t.Helper()
		all, err := timelinesql.Signatures(t.Context(), s.Store, []timelinesql.Watched{{Timeline: s.timeline,
			Owner: factsql.Owner{N: s.ids["ben"]}, After: store.FromTheTop, Limit: 10}})
		if err != nil {
			t.Fatal(err)
		}
		return all[0]
	}
	before := signature()
	if again := signature(); again != before {
		t.Errorf("nothing has happened, and %s became %s", before, again)
	}
	run := func(sql string, args ...any) {
		t.Helper()
		if err := storetest.Exec(s.Store, fmt.Sprintf(sql, args...)); err != nil {
			t.Fatal(err)
		}
	}
	run("DELETE FROM entries WHERE owner = %d", s.ids["ben"])
	between := signature()
	run("INSERT INTO entries (timeline, owner, rank, doc, author) VALUES (3, %d, 1, 1001, %d)",
		s.ids["ben"], s.ids["ada"])
	if after := signature(); between == before || after == before {
		t.Errorf("an entry went and came back: %s, %s, %s", before, between, after)
	}
}
