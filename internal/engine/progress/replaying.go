package progress

import (
	"context"
	"slices"

	"yalvo/internal/design"
	"yalvo/internal/design/plan"
	"yalvo/internal/engine/running"
	"yalvo/internal/engine/store"
	"yalvo/internal/engine/store/queuesql"
)

// Replay has everything that set off a trigger at or after a position sent
// again, with the same ids, and returns how much that is.
func (r *Reader) Replay(ctx context.Context, trigger string, from int64) (int64, error) {
	v, err := r.Now(ctx)
	if err != nil {
		return 0, err
	}
	at := slices.IndexFunc(v.Plan.Triggers, func(t *plan.Trigger) bool { return t.Name == trigger })
	if at < 0 {
		return 0, running.Refuse(running.CodeUnknownName, "the design has no trigger %q: %s", design.Clip(trigger),
			design.Meant(trigger, design.NamesOf(v.Plan.Triggers, func(t *plan.Trigger) string { return t.Name })))
	}
	t := v.Plan.Triggers[at]
	var many int64
	err = r.Store.Write(ctx, func(tx *store.Tx) error {
		many = 0
		for i, s := range t.Steps {
			if s.Do != design.DoSend {
				continue
			}
			n, err := queuesql.ResendEvents(tx, t.Number, from, i)
			if err != nil {
				return err
			}
			many += n
		}
		return nil
	})
	r.Wake(plan.Sending)
	return many, err
}
