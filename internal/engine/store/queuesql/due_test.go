package queuesql_test

import (
	"encoding/json"
	"errors"
	"fmt"
	"slices"
	"strings"
	"testing"
	"time"

	"yalvo/internal/engine/store/storetest"
	"yalvo/tests/scratch"

	"yalvo/internal/design/plan"
	"yalvo/internal/engine/store"
	"yalvo/internal/engine/store/factsql"
	"yalvo/internal/engine/store/keptsql"
	"yalvo/internal/engine/store/queuesql"
)

func TestMain(m *testing.M) { scratch.Main(m) }

// docs are the documents of claimed work, in order.
func docs(due []queuesql.Due) string {
	var all []string
	for _, d := range due {
		all = append(all, fmt.Sprint(d.Doc))
	}
	return strings.Join(all, " ")
}

func deliveries(n ...int64) (work []plan.Work) {
	for _, doc := range n {
		work = append(work, plan.DeliverEntry(plan.Entry{Timeline: 1, Author: 7, Doc: doc, Rank: 100 + doc}, false))
	}
	return work
}

func TestOnlyLanesWhoseTimeHasComeHaveWorkDue(t *testing.T) {
	s := storetest.Open(t)
	due := func(want ...plan.Lane) {
		t.Helper()
		if got, err := queuesql.LookForWork(t.Context(), s); err != nil || !slices.Equal(got.Lanes, want) {
			t.Errorf("work is due in lanes %v: got %v, %v", want, got, err)
		}
	}
	due()
	storetest.Write(t, s, func(tx *store.Tx) error {
		return queuesql.AppendDue(tx, 5, append(deliveries(1, 2), plan.AddTo(2, 9, -1)))
	})
	due(plan.Counting, plan.Delivering)
	storetest.Write(t, s, func(tx *store.Tx) error {
		all, _, err := queuesql.ClaimDue(tx, plan.Counting, 1)
		if err != nil || len(all) != 1 {
			return fmt.Errorf("claimed %v, %v", all, err)
		}
		return queuesql.PostponeDue(tx, time.Hour, all[0])
	})
	due(plan.Delivering)
}

func TestWorkIsTakenOnceOldestFirstAndByLane(t *testing.T) {
	s := storetest.Open(t)
	storetest.Write(t, s, func(tx *store.Tx) error {
		return queuesql.AppendDue(tx, 5, append(deliveries(1, 2, 3), plan.AddTo(2, 9, -1)))
	})
	claim := func(tx *store.Tx, lane plan.Lane, limit int) string {
		t.Helper()
		due, _, err := queuesql.ClaimDue(tx, lane, limit)
		if err != nil {
			t.Fatal(err)
		}
		return docs(due)
	}
	first, second := storetest.Begin(s), storetest.Begin(s)
	if got := claim(first, plan.Delivering, 2); got != "1 2" {
		t.Errorf("the first worker gets %q", got)
	}
	if got := claim(second, plan.Delivering, 9); got != "3" {
		t.Errorf("the second worker gets %q", got)
	}
	if got := claim(second, plan.Counting, 9); got != "9" {
		t.Errorf("from the other lane it gets %q", got)
	}
	for _, tx := range []*store.Tx{first, second} {
		if err := storetest.Commit(tx); err != nil {
			t.Fatal(err)
		}
	}
	storetest.Write(t, s, func(tx *store.Tx) error {
		if got := claim(tx, plan.Delivering, 9); got != "1 2 3" {
			t.Errorf("what nobody finished is %q", got)
		}
		return nil
	})
}

func TestWhoHasMuchDueDoesNotHoldUpWhoHasLittle(t *testing.T) {
	s := storetest.Open(t)
	storetest.Write(t, s, func(tx *store.Tx) error {
		var work []plan.Work
		for owner := range int64(500) {
			work = append(work, plan.SubscribeTo(1, owner, 7))
		}
		return queuesql.AppendDue(tx, 5, append(work, plan.SubscribeTo(1, 1, 8), plan.SubscribeTo(1, 1, 6)))
	})
	turns := &queuesql.Turns{}
	var authors []int64
	storetest.Write(t, s, func(tx *store.Tx) error {
		due, _, err := queuesql.ClaimFairly(tx, queuesql.Subscriptions, turns, 100)
		for _, d := range due {
			if !slices.Contains(authors, d.Key) {
				authors = append(authors, d.Key)
			}
		}
		return err
	})
	if !slices.Equal(authors, []int64{6, 7, 8}) {
		t.Errorf("a claim of a hundred is of authors %v, want all three", authors)
	}
}

func TestALongStepGoesToTheEndOfItsLaneAndKeepsItsPlace(t *testing.T) {
	s := storetest.Open(t)
	storetest.Write(t, s, func(tx *store.Tx) error { return queuesql.AppendDue(tx, 5, deliveries(1, 2)) })
	storetest.Write(t, s, func(tx *store.Tx) error {
		due, _, err := queuesql.ClaimDue(tx, plan.Delivering, 1)
		if err != nil {
			return err
		}
		return queuesql.ContinueDue(tx, []queuesql.Progress{{Due: due[0], Next: 40, Passed: 40}})
	})
	storetest.Write(t, s, func(tx *store.Tx) error {
		due, _, err := queuesql.ClaimDue(tx, plan.Delivering, 9)
		if err != nil {
			return err
		}
		if docs(due) != "2 1" || due[1].Cursor != 40 || due[1].Change != 5 || due[1].Rank != 101 {
			t.Errorf("got %+v", due)
		}
		return nil
	})
	if got, err := queuesql.UnsettledChange(t.Context(), s, 5); err != nil || !got.Due {
		t.Errorf("its reader is told that it is settled (%v)", err)
	}
}

func TestFailingWorkPausesLongerEachTimeAndIsParked(t *testing.T) {
	s := storetest.Open(t)
	storetest.Write(t, s, func(tx *store.Tx) error { return queuesql.AppendDue(tx, 5, deliveries(1)) })
	claim := func() (due []queuesql.Due) {
		t.Helper()
		storetest.Write(t, s, func(tx *store.Tx) error {
			var err error
			due, _, err = queuesql.ClaimDue(tx, plan.Delivering, 9)
			return err
		})
		return due
	}
	d := claim()[0]
	var last time.Duration
	for attempt := 1; attempt < queuesql.MaxAttempts; attempt++ {
		parked, err := queuesql.FailDue(t.Context(), s, d, errors.New("broken"), false, 100*time.Millisecond)
		if err != nil || parked {
			t.Fatalf("attempt %d: parked %v, %v", attempt, parked, err)
		}
		if len(claim()) != 0 {
			t.Fatalf("attempt %d: no pause", attempt)
		}
		pause, err := storetest.Pause(s, int(d.Lane), d.Seq)
		if err != nil || pause <= last {
			t.Errorf("attempt %d: a pause of %v after one of %v (%v)", attempt, pause, last, err)
		}
		last = pause
		d.Attempts++
	}
	parked, err := queuesql.FailDue(t.Context(), s, d, errors.New("still broken"), false, 100*time.Millisecond)
	if err != nil || !parked {
		t.Fatalf("not parked after %d attempts (%v)", queuesql.MaxAttempts, err)
	}
	work, err := queuesql.ParkedWork(t.Context(), s, 9)
	if err != nil || len(work) != 1 || work[0].Error != "still broken" || work[0].Doc != 1 ||
		work[0].Attempts != queuesql.MaxAttempts {
		t.Errorf("parked: %+v (%v)", work, err)
	}
	if got, err := queuesql.UnsettledChange(t.Context(), s, 5); err != nil || got.Due || !got.Parked {
		t.Errorf("a reader of the change is told: %+v (%v)", got, err)
	}
	if got, err := queuesql.Unsettled(t.Context(), s, queuesql.Wanted{UpTo: 9}); err != nil || got[0].Due ||
		got[0].Parked {
		t.Errorf("a reader of everything is held up: %+v (%v)", got, err)
	}
	if n, err := queuesql.Retry(t.Context(), s, 0); err != nil || n != 1 {
		t.Errorf("retried %d (%v)", n, err)
	}
	if got := claim(); docs(got) != "1" || got[0].Attempts != 0 {
		t.Errorf("after the retry: %+v", got)
	}
}

func TestDeltasOfSeveralCountsBecomeOneUpdate(t *testing.T) {
	s := storetest.Open(t)
	var ns []int64
	storetest.Write(t, s, func(tx *store.Tx) error {
		for _, key := range []string{"a", "b"} {
			n, err := storetest.Put(tx, 1, key, `{"likes":5,"most":5,"least":null,"name":"x"}`)
			if err != nil {
				return err
			}
			ns = append(ns, n)
		}
		add := func(by json.Number) keptsql.Delta { return keptsql.Delta{How: keptsql.Add, By: by} }
		there, err := keptsql.ApplyDeltas(tx, keptsql.Deltas{
			ns[0]: {"likes": add("-2"), "notes": add("3"), "most": {How: keptsql.AtLeast, By: "4"}},
			ns[1]: {"likes": add("1.50"), "most": {How: keptsql.AtLeast, By: "7.0"},
				"least": {How: keptsql.AtMost, By: "7"}},
			999: {"likes": add("1")}})
		if len(there) != 2 {
			t.Errorf("added to %v, and one of three is gone", there)
		}
		return err
	})
	for key, want := range map[string]string{"a": `{"most": 5, "name": "x", "least": null, "likes": 3, "notes": 3}`,
		"b": `{"most": 7, "name": "x", "least": 7, "likes": 6.5}`} {
		d, found, err := factsql.Document(s.Looking(t.Context()), &plan.Collection{Number: 1}, key)
		if err != nil || !found || string(d.Kept) != want {
			t.Errorf("%s: %s (%v)", key, d.Kept, err)
		}
	}
}
