package facts

import (
	"yalvo/internal/design/plan"
	"yalvo/internal/engine/running"
	"yalvo/internal/engine/store/factsql"
	"yalvo/internal/engine/store/queuesql"
)

// Cause says whom or what a change follows from.
type Cause struct {
	Actor  string // the account that asked, empty if none did
	Change int64  // the client's change it follows from, 0 if it is that itself
	plan.Mark
}

// Journalled is the change as the journal names it: none, if an audit made the
// work due that this follows from.
func (c Cause) Journalled() int64 { return max(0, c.Change) }

// from is the cause of what follows from a change at a position.
func (c Cause) from(position int64) Cause {
	if c.Change == 0 {
		c.Change = position
	}
	return c
}

// commit appends a change to the journal with the work that follows from it,
// and returns its position. Work that follows from what follows from a client's
// change is waited for by that change's readers.
func (u Unit) commit(rec factsql.Record, change plan.Change, why Cause) (int64, error) {
	rec.Actor, rec.Cause, change.Mark = why.Actor, why.Journalled(), why.Mark
	due := u.Plan.Due(change)
	if why.Change == 0 {
		position, version, err := factsql.JournalDue(u.Tx, rec, due)
		return position, u.stillHolds(version, err)
	}
	position, err := u.record(rec)
	if err != nil {
		return 0, err
	}
	return position, queuesql.AppendDue(u.Tx, why.Change, due)
}

// record appends a change to the journal and returns its position.
func (u Unit) record(rec factsql.Record) (int64, error) {
	positions, version, err := factsql.Journal(u.Tx, rec)
	if err := u.stillHolds(version, err); err != nil {
		return 0, err
	}
	return positions[0], nil
}

// stillHolds gives the unit up if the design has moved on since it was planned.
func (u Unit) stillHolds(version int, err error) error {
	if err == nil && version != u.Number {
		return running.ErrMoved
	}
	return err
}
