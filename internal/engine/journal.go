package engine

import (
	"errors"

	"yalvo/internal/plan"
	"yalvo/internal/store"
)

// errDesignMoved: another service applied a design since this write was planned.
var errDesignMoved = errors.New("the design has changed")

// record appends a client's change to the journal and returns its position.
func (r *running) record(tx *store.Tx, rec store.Record) (int64, error) {
	positions, version, err := tx.Journal(rec)
	if err != nil {
		return 0, err
	}
	if version != r.version {
		return 0, errDesignMoved
	}
	return positions[0], nil
}

// recordAndFollow appends a client's change and its due work at once.
func (r *running) recordAndFollow(tx *store.Tx, rec store.Record, change plan.Change) (int64, error) {
	position, version, err := tx.JournalDue(rec, r.plan.Due(change))
	if err == nil && version != r.version {
		err = errDesignMoved
	}
	return position, err
}

// follow appends the due work of a change.
func (r *running) follow(tx *store.Tx, position int64, change plan.Change) error {
	return tx.AppendDue(position, r.plan.Due(change))
}
