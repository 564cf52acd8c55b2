package progress

import (
	"context"
	"strings"
	"time"

	"yalvo/internal/design/plan"
	"yalvo/internal/engine/running"
	"yalvo/internal/engine/store/queuesql"
)

// Parked is a piece of work that failed too often and waits for a person.
type Parked struct {
	Work     int64     `json:"work"` // its number
	Step     string    `json:"step"`
	Lane     string    `json:"lane"`
	About    string    `json:"about"` // the duplicate or the trigger it is for
	Change   int64     `json:"change,omitempty"`
	Attempts int       `json:"attempts"`
	Since    time.Time `json:"since"`
	Parked   time.Time `json:"parked"`
	Error    string    `json:"error"`
}

// Parked lists parked work, oldest first.
func (r *Reader) Parked(ctx context.Context, limit int) ([]Parked, error) {
	rows, err := queuesql.ParkedWork(ctx, r.Store, limit)
	if err != nil {
		return nil, err
	}
	v, err := r.IfAny(ctx)
	if err != nil {
		return nil, err
	}
	all := []Parked{}
	for _, work := range rows {
		p := Parked{work.Seq, work.Step.String(), work.Lane.String(), "", work.Change, work.Attempts, work.Since.UTC(),
			work.Parked.UTC(), strings.TrimSpace(work.Error)}
		if v != nil {
			p.About = v.Plan.NameOf(work.Subject)
		}
		all = append(all, p)
	}
	return all, nil
}

// Retry makes all parked work due again and returns how much there was.
func (r *Reader) Retry(ctx context.Context) (int64, error) {
	many, err := queuesql.Retry(ctx, r.Store, 0)
	r.Wake(plan.Lanes...)
	return many, err
}

// RetryOne makes one piece of parked work due again, by its number.
func (r *Reader) RetryOne(ctx context.Context, work int64) error {
	many, err := queuesql.Retry(ctx, r.Store, work)
	r.Wake(plan.Lanes...)
	return notParked(work, many, err)
}

// Drop gives up one piece of parked work. What it was to bring in line stays as
// it is, and an audit finds it.
func (r *Reader) Drop(ctx context.Context, work int64) error {
	many, err := queuesql.DropParked(ctx, r.Store, work)
	r.Settle()
	return notParked(work, many, err)
}

func notParked(work, many int64, err error) error {
	if err == nil && (many == 0 || work == 0) {
		return running.Refuse(running.CodeNotFound,
			"no work is parked under number %d: it may have been tried again or dropped already", work)
	}
	return err
}
