package versions

import (
	"context"

	"yalvo/internal/design/plan"
	"yalvo/internal/engine/running"
	"yalvo/internal/engine/store/factsql"
	"yalvo/internal/engine/store/versionsql"
)

// Misfits are the documents of a collection, or the pairs of a kind, of which one
// field does not fit the design in one way.
type Misfits struct {
	Of       string   `json:"of"`    // the collection or pair
	Field    string   `json:"field"` // the field
	Code     string   `json:"code"`  // as of the mistakes of a request
	Many     int64    `json:"many"`
	Examples []Misfit `json:"examples"` // the first few, or a page of them
	Next     int64    `json:"next,omitempty"`
}

// Misfit is a document or pair that does not fit.
type Misfit struct {
	Path    string `json:"path"` // of a pair: the paths of both ends
	Pointer string `json:"pointer"`
	Detail  string `json:"detail"`
}

// Misfits counts what does not fit, with a few examples of each kind.
func (k *Keeper) Misfits(ctx context.Context) ([]Misfits, error) {
	v, err := k.Now(ctx)
	if err != nil {
		return nil, err
	}
	counts, err := versionsql.MisfitCounts(ctx, k.Store)
	if err != nil {
		return nil, err
	}
	all := []Misfits{}
	for _, c := range counts {
		m := Misfits{Field: c.Field, Code: c.Code, Many: c.Many}
		if m.Of = nameOf(v.Plan, c.Subject); m.Of == "" {
			continue // of a collection that is being dropped
		}
		if err := k.examples(ctx, v, &m, c, 0, examplesShown); err != nil {
			return nil, err
		}
		all = append(all, m)
	}
	return all, nil
}

// MisfitsOf is a page of those of one field, in one way, after a document by its
// number; 0 for the first page.
func (k *Keeper) MisfitsOf(ctx context.Context, of, field, code string, after int64, limit int) (Misfits, error) {
	v, err := k.Now(ctx)
	if err != nil {
		return Misfits{}, err
	}
	if v.Plan.Collection(of) == nil && v.Plan.Pair(of) == nil {
		return Misfits{}, running.Refuse(running.CodeUnknownName, "%s", v.Plan.Design.NoSuch("collection or pair", of))
	}
	m := Misfits{Of: of, Field: field, Code: code, Examples: []Misfit{}}
	counts, err := versionsql.MisfitCounts(ctx, k.Store)
	if err != nil {
		return m, err
	}
	for _, c := range counts {
		if c.Subject == subject(v.Plan, of) && c.Field == field && c.Code == code {
			m.Many = c.Many
			return m, k.examples(ctx, v, &m, c, after, limit)
		}
	}
	return m, nil
}

func (k *Keeper) examples(ctx context.Context, v *running.Version, m *Misfits, of versionsql.MisfitCount, after int64,
	limit int) error {
	rows, err := versionsql.Misfits(ctx, k.Store, of, after, limit+1)
	if err != nil {
		return err
	}
	if len(rows) > limit {
		rows = rows[:limit]
		m.Next = rows[limit-1].Doc
	}
	var ns []int64
	for _, r := range rows {
		ns = append(ns, r.Doc, r.Other)
	}
	keys, err := factsql.Keys(ctx, k.Store, ns)
	if err != nil {
		return err
	}
	m.Examples = []Misfit{}
	for _, r := range rows {
		one := Misfit{Pointer: "/facts" + r.Pointer, Detail: r.Detail}
		if c := v.Plan.Collection(m.Of); c != nil {
			one.Path = c.Path(keys[r.Doc])
		} else if p := v.Plan.Pair(m.Of); p != nil {
			one.Path = running.EndsOf(p, keys[r.Other], keys[r.Doc]).String()
		}
		m.Examples = append(m.Examples, one)
	}
	return nil
}

func nameOf(p *plan.Plan, n plan.Number) string {
	if c := p.CollectionNumbered(n); c != nil {
		return c.Name
	}
	if pair := p.PairNumbered(n); pair != nil {
		return pair.Name
	}
	return ""
}
