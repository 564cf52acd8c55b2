package access

import (
	"context"
	"errors"
	"sync/atomic"
	"time"
)

// Budget is the time that rules may take for one request, whatever it is about: to read what they are asked about,
// and to work them out. Courts share it. Nil is no bound.
type Budget struct{ left atomic.Int64 }

// ErrBudget is why rules were not worked out: the request has used up its time for that.
var ErrBudget = errors.New("the rules for this take more time than a request may have")

// RuleTime is how long a request may work out rules.
const RuleTime = time.Second

type budgetKey struct{}

// WithBudget gives a request its time for rules.
func WithBudget(ctx context.Context, most time.Duration) context.Context {
	b := &Budget{}
	b.left.Store(int64(most))
	return context.WithValue(ctx, budgetKey{}, b)
}

// BudgetOf is the time for rules that a context has, nil for any.
func BudgetOf(ctx context.Context) *Budget {
	b, _ := ctx.Value(budgetKey{}).(*Budget)
	return b
}

// Spend runs something that takes time for rules, unless there is none left: then the error is [ErrBudget].
func (b *Budget) Spend(run func()) error {
	if b == nil {
		run()
		return nil
	}
	if b.left.Load() <= 0 {
		return ErrBudget
	}
	began := time.Now()
	run()
	b.left.Add(-int64(time.Since(began)))
	return nil
}
