package engine

import (
	"errors"

	"yalvo/internal/plan"
	"yalvo/internal/store"
)

// errDesignMoved: another service applied a design since this write was planned.
var errDesignMoved = errors.New("the design has changed")

// cause says whom or what a change is owed to.
type cause struct {
	actor  string // the account that asked, empty if none did
	change int64  // the client's change it follows from, 0 if it is that itself
	depth  int64  // how many triggers in a row led to it

	forgotten int64 // of a removal: the number under which it is forgotten
}

// from is the cause of what follows from a change at a position.
func (c cause) from(position int64) cause {
	if c.change == 0 {
		c.change = position
	}
	return c
}

// commit appends a change to the journal with the work that follows from it,
// and returns its position. Work that follows from what follows from a client's
// change is waited for by that change's readers.
func (r *running) commit(tx *store.Tx, rec store.Record, change plan.Change, why cause) (int64, error) {
	rec.Actor, rec.Cause, change.Depth = why.actor, why.change, why.depth
	due := r.plan.Due(change)
	if why.change == 0 {
		position, version, err := tx.JournalDue(rec, due)
		return position, r.stillHolds(version, err)
	}
	position, err := r.record(tx, rec)
	if err != nil {
		return 0, err
	}
	return position, tx.AppendDue(why.change, due)
}

// record appends a change to the journal and returns its position.
func (r *running) record(tx *store.Tx, rec store.Record) (int64, error) {
	positions, version, err := tx.Journal(rec)
	if err := r.stillHolds(version, err); err != nil {
		return 0, err
	}
	return positions[0], nil
}

func (r *running) stillHolds(version int, err error) error {
	if err == nil && version != r.version {
		return errDesignMoved
	}
	return err
}
