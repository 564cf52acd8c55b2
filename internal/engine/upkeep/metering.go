package upkeep

import (
	"yalvo/internal/design/plan"
	"yalvo/internal/engine/metering"
	"yalvo/internal/engine/store/keptsql"
)

// rewrote counts a kept value that was to be written so often, and was in so many documents: what comes together is
// written once.
func (t *turn) rewrote(in *plan.Collection, name string, times, kept int64) {
	t.Tally.Add(metering.Of{Kind: metering.Kept, Name: in.Name + "." + name},
		metering.Counts{Times: times, Kept: kept})
}

// meterSums counts the sums that were applied, of which some changed nothing, and those documents that are still there.
func (t *turn) meterSums(sums deltas, given keptsql.Deltas, there []int64) {
	for _, names := range sums {
		for name, one := range names {
			t.rewrote(one.in, name, one.times, 0)
		}
	}
	for _, doc := range there {
		for name := range given[doc] {
			t.rewrote(sums[doc][name].in, name, 0, 1)
		}
	}
}

// heard counts what a turn wrote that has committed.
func (t *turn) heard() {
	for number, many := range t.Tx.Entries() {
		if timeline := t.Plan.TimelineNumbered(number); timeline != nil {
			t.Tally.Add(metering.Of{Kind: metering.Timeline, Name: timeline.Name},
				metering.Counts{Times: 1, Entries: many})
		}
	}
	t.workers.Meter.Heard(t.Tally)
}
