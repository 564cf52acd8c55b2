package proof

import (
	"context"
	"encoding/json"
	"time"

	"yalvo/internal/design"
	"yalvo/internal/design/plan"
	"yalvo/internal/engine/store/auditsql"
	"yalvo/internal/engine/store/factsql"
)

// Drift is a stored duplicate that differs from the facts.
type Drift struct {
	Seq       int64           `json:"seq"`
	Aspect    string          `json:"aspect"`
	Duplicate string          `json:"duplicate"`
	Kind      string          `json:"kind"`               // missing, surplus, different, dangling, orphaned or short
	Document  string          `json:"document,omitempty"` // the path of the holder; empty: it is gone
	Other     string          `json:"other,omitempty"`    // the path of what it comes from or leads to
	Stored    json.RawMessage `json:"stored"`
	Expected  json.RawMessage `json:"expected"`
	Since     *time.Time      `json:"since,omitempty"` // when the facts became so, as far as that is known
	Mended    *time.Time      `json:"mended,omitempty"`
}

// Drift is what an audit has found, in the order it was found, after a row.
func (p *Prover) Drift(ctx context.Context, audit, after int64, limit int) ([]Drift, error) {
	if _, err := p.AuditState(ctx, audit); err != nil {
		return nil, err
	}
	rows, err := auditsql.DriftOf(ctx, p.Store, audit, after, limit)
	if err != nil {
		return nil, err
	}
	v, err := p.Now(ctx)
	if err != nil {
		return nil, err
	}
	all := make([]Drift, len(rows))
	for i, r := range rows {
		d, there := v.Plan.Duplicate(r.Aspect, r.Name)
		if there {
			if r.Stored, err = p.inWords(ctx, d, r.Kind, r.Stored); err != nil {
				return nil, err
			}
			if r.Expected, err = p.inWords(ctx, d, r.Kind, r.Expected); err != nil {
				return nil, err
			}
		}
		all[i] = Drift{r.Seq, string(r.Aspect), r.Name, r.Kind, r.Path, r.OtherPath, r.Stored, r.Expected,
			utc(r.Since), utc(r.Mended)}
	}
	return all, nil
}

// inWords replaces what only the database understands, places in an order and
// row numbers, by times and paths.
func (p *Prover) inWords(ctx context.Context, d plan.Duplicate, kind string, raw json.RawMessage) (json.RawMessage,
	error) {
	if len(raw) == 0 || string(raw) == "null" {
		return raw, nil
	}
	switch {
	case d.Kind == plan.AspectTimeline && kind != auditsql.Short:
		return p.entryInWords(ctx, d.Timeline, raw)
	case d.Kind == plan.AspectPosted:
		rank, err := json.Number(raw).Int64()
		if err != nil {
			return nil, err
		}
		return json.Marshal(rankInWords(d.Timeline, rank))
	case d.Kind == plan.AspectContribution && timed(d.Summary):
		micros, err := json.Number(raw).Int64()
		if err != nil {
			return nil, err
		}
		return json.Marshal(design.FormatTime(time.UnixMicro(micros)))
	}
	return raw, nil
}

// timed tells whether contributions to a summary are times.
func timed(s *plan.Summary) bool {
	return s.Kind == design.Latest || s.Kind == design.Gather || s.Timed()
}

func (p *Prover) entryInWords(ctx context.Context, t *plan.Timeline, raw json.RawMessage) (json.RawMessage, error) {
	var e entryFound
	if err := json.Unmarshal(raw, &e); err != nil {
		return nil, err
	}
	keys, err := factsql.Keys(ctx, p.Store, []int64{e.Author})
	if err != nil {
		return nil, err
	}
	return json.Marshal(map[string]any{t.By.Name: keys[e.Author], "at": rankInWords(t, e.Rank)})
}

func rankInWords(t *plan.Timeline, rank int64) any {
	if t.Order != nil && t.Order.Type == design.Integer {
		return rank
	}
	return design.FormatTime(time.UnixMicro(rank))
}

// entryFound is what an audit notes of an entry.
type entryFound struct {
	Rank   int64 `json:"rank"`
	Author int64 `json:"author"`
}

// entriesIn are the entries that drift is about: the one that is stored, the one
// that should be, or both.
func entriesIn(found auditsql.Drift) ([]entryFound, error) {
	var all []entryFound
	for _, raw := range []json.RawMessage{found.Stored, found.Expected} {
		if len(raw) == 0 || string(raw) == "null" {
			continue
		}
		var e entryFound
		if err := json.Unmarshal(raw, &e); err != nil {
			return nil, err
		}
		all = append(all, e)
	}
	return all, nil
}
