package upkeep

import (
	"context"

	"yalvo/internal/design/plan"
	"yalvo/internal/engine/store"
	"yalvo/internal/engine/store/queuesql"
)

// lane says how the work of a lane is done.
type lane struct {
	workers int
	claim   int  // the most rows a worker takes at once
	facts   bool // it writes facts, which are to be durable when it has committed
	counted bool // what a developer wrote is worked out: an attempt is counted before it is made
	carry   func(*turn, []queuesql.Due) error
}

func lanes() map[plan.Lane]lane {
	return map[plan.Lane]lane{
		plan.Counting:   {1, 5000, false, false, (*turn).count},
		plan.Copying:    {1, 64, false, false, (*turn).recopy},
		plan.Delivering: {fanOutWorkers + 1, 256, false, false, (*turn).deliver},
		plan.Ending:     {1, 1, true, false, (*turn).end},
		plan.Trimming:   {1, 1, false, false, (*turn).trim},
		plan.Reacting:   {1, 1, true, true, (*turn).react},
	}
}

// begin is how a lane's transactions are run.
func (l lane) begin(s *store.Store) func(context.Context, func(*store.Tx) error) error {
	if l.facts {
		return s.Write
	}
	return s.Upkeep
}

// claim takes work, and tells which version of the design is in force.
type claim func(*store.Tx) (claimed []queuesql.Due, design int, err error)

// claimer is how a worker of a lane takes work.
func claimer(name plan.Lane, l lane, nth int) claim {
	switch name {
	case plan.Delivering:
		return deliveryClaimer(l, nth)
	case plan.Ending:
		return func(tx *store.Tx) ([]queuesql.Due, int, error) { return queuesql.ClaimAlike(tx, name, endDocuments) }
	}
	return func(tx *store.Tx) ([]queuesql.Due, int, error) { return queuesql.ClaimDue(tx, name, l.claim) }
}

// deliveryClaimer takes one kind of work on timelines after the other, and of
// each the same share for every author. A fan-out that is on its way is taken
// by itself: its other part is another worker's. One worker takes only entries
// on their first way out, so that they need not wait for a long chunk or for a
// burst of follows.
func deliveryClaimer(l lane, nth int) claim {
	kinds := []kindOfWork{
		fairly(queuesql.FreshEntries, l.claim),
		{func(tx *store.Tx) ([]queuesql.Due, int, error) { return queuesql.ClaimLong(tx, plan.Delivering) },
			func(steps []plan.Step) bool {
				return queuesql.FreshEntries.Among(steps) || queuesql.FreshWithdrawals.Among(steps)
			}},
		fairly(queuesql.FreshWithdrawals, l.claim), fairly(queuesql.Subscriptions, l.claim), fairly(queuesql.Refills,
			1),
		fairly(queuesql.Recounts, l.claim), fairly(queuesql.DeliveryChanges, 1),
	}
	if nth >= fanOutWorkers {
		kinds = kinds[:1]
	}
	next := 0
	return func(tx *store.Tx) ([]queuesql.Due, int, error) {
		steps, err := queuesql.Steps(tx)
		if err != nil || len(steps) == 0 {
			return nil, 0, err
		}
		for range kinds {
			kind := kinds[next]
			next = (next + 1) % len(kinds)
			if !kind.among(steps) {
				continue
			}
			if claimed, design, err := kind.claim(tx); err != nil || len(claimed) > 0 {
				return claimed, design, err
			}
		}
		return nil, 0, nil
	}
}

// kindOfWork is how one kind is taken, and whether it is among steps of which some is due.
type kindOfWork struct {
	claim claim
	among func(steps []plan.Step) bool
}

func fairly(kind queuesql.TimelineWork, limit int) kindOfWork {
	turns := &queuesql.Turns{}
	return kindOfWork{
		func(tx *store.Tx) ([]queuesql.Due, int, error) { return queuesql.ClaimFairly(tx, kind, turns, limit) },
		kind.Among,
	}
}
