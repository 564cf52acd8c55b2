package proof

import (
	"context"
	"errors"
	"time"

	"yalvo/internal/design/access"
	"yalvo/internal/engine/running"
)

// Try tells whether an account, or a stranger if it is empty, would be allowed to do
// something by the design in force, and why. Nothing is done.
func (p *Prover) Try(ctx context.Context, account string, trial access.Trial) (access.Outcome, error) {
	v, err := p.Now(ctx)
	if err != nil {
		return access.Outcome{}, err
	}
	out, err := v.Law.Evaluator(p.KnownTo(ctx, v), account, time.Now()).Try(trial)
	var mistake *access.Mistake
	if errors.As(err, &mistake) {
		err = running.Refuse(running.CodeCannotTry, "%s", mistake.Detail)
	}
	return out, err
}
