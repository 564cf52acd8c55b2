package upkeep

import (
	"slices"
	"testing"

	"yalvo/internal/design/plan"
	"yalvo/internal/engine/store/queuesql"
	"yalvo/internal/engine/store/timelinesql"
)

func TestFollowsAreTakenTogetherUntilTheyBringInTooMuch(t *testing.T) {
	subscriptions := func(many ...int) (all []timelinesql.Subscription) {
		for i, m := range many {
			all = append(all, timelinesql.Subscription{Owner: int64(i), Many: m})
		}
		return all
	}
	for _, c := range []struct {
		given []timelinesql.Subscription
		want  []int64
	}{
		{subscriptions(800, 3, 0), []int64{2, 1, 0}},
		{subscriptions(bringLimit+1, 1), []int64{1}},
		{subscriptions(bringLimit + 1), []int64{0}}, // one always goes
		{nil, nil},
	} {
		var got []int64
		for _, s := range asManyAsFit(c.given) {
			got = append(got, s.Owner)
		}
		if !slices.Equal(got, c.want) {
			t.Errorf("%v: got %v, want %v", c.given, got, c.want)
		}
	}
}

func TestRowsForTheSameEntryAreMergedOnlyIfOneReaderWaits(t *testing.T) {
	row := func(seq, author, doc, change int64) queuesql.Due {
		entry := plan.Entry{Timeline: 1, Author: author, Doc: doc}
		return queuesql.Due{Seq: seq, Change: change, Work: plan.DeliverEntry(entry, false)}
	}
	kept, repeated := withoutRepeats([]queuesql.Due{row(1, 7, 9, 100), row(2, 7, 9, 100), row(3, 7, 9, 101),
		row(4, 8, 9, 100), row(5, 7, 10, 100)})
	var seqs []int64
	for _, d := range kept {
		seqs = append(seqs, d.Seq)
	}
	if !slices.Equal(seqs, []int64{1, 5}) || len(repeated) != 1 || repeated[0].Seq != 2 {
		t.Errorf("kept %v, repeated %v: rows 3 and 4 must wait for turns of their own", seqs, repeated)
	}
}

func TestATransactionDoesOneKindOfWorkOnTimelines(t *testing.T) {
	entry := plan.Entry{Timeline: 1, Author: 2, Doc: 3}
	due := []queuesql.Due{{Seq: 1, Work: plan.DeliverEntry(entry, false)}, {Seq: 2, Work: plan.WithdrawEntry(entry)},
		{Seq: 3, Work: plan.SubscribeTo(1, 4, 2)},
		{Seq: 4, Work: plan.DeliverEntry(plan.Entry{Timeline: 2, Author: 2}, false)}}
	if got := alike(due); len(got) != 1 || got[0].Seq != 1 {
		t.Errorf("got %v", got)
	}
}
