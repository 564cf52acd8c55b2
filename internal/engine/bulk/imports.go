package bulk

import (
	"context"
	"encoding/json"
	"time"

	"yalvo/internal/engine/store/loadsql"
)

// Brought is what bringing an app along came to: see package bring.
type Brought struct {
	At        time.Time `json:"at"`
	Documents int       `json:"documents"`
	Pairs     int       `json:"pairs"`
	Checked   int       `json:"checked"` // old duplicates that were compared
	Wrong     []Wrong   `json:"wrong"`
}

// Wrong is one kind of thing that was wrong in one place.
type Wrong struct {
	Kind     string    `json:"kind"`
	Where    string    `json:"where"`
	Many     int       `json:"many"`
	Examples []Example `json:"examples"`
}

// Example is one of them.
type Example struct {
	What string `json:"what"`
	Had  string `json:"had,omitempty"`
	Is   string `json:"is,omitempty"`
}

// NoteBrought remembers a report.
func (m *Mover) NoteBrought(ctx context.Context, b Brought) error {
	raw, err := json.Marshal(b)
	if err != nil {
		return err
	}
	return loadsql.AddBrought(ctx, m.Store, raw)
}

// Broughts are the reports that are remembered, newest first.
func (m *Mover) Broughts(ctx context.Context) ([]Brought, error) {
	rows, err := loadsql.ReadBrought(ctx, m.Store)
	if err != nil {
		return nil, err
	}
	all := make([]Brought, len(rows))
	for i, r := range rows {
		if err := json.Unmarshal(r.Report, &all[i]); err != nil {
			return nil, err
		}
		all[i].At = r.At.UTC()
	}
	return all, nil
}
