package access_test

import (
	"context"
	"errors"
	"testing"
	"time"

	"yalvo/internal/design/access"
)

// A request has so much time for rules, whatever evaluators it asks; when it has none left it is told so.
func TestRulesHaveABudget(t *testing.T) {
	t.Parallel()
	ctx := access.WithBudget(t.Context(), time.Millisecond)
	spend := func() error {
		return access.BudgetOf(ctx).Spend(func() {
			for began := time.Now(); time.Since(began) < 2*time.Millisecond; { // as a rule that takes long
			}
		})
	}
	if err := spend(); err != nil {
		t.Error("the first is worked out:", err)
	}
	if err := spend(); !errors.Is(err, access.ErrBudget) {
		t.Error("there is no time left:", err)
	}
	if err := access.BudgetOf(context.Background()).Spend(func() {}); err != nil {
		t.Error("whoever has no budget has any time:", err)
	}
}
