package proof

import (
	"context"

	"yalvo/internal/design"
	"yalvo/internal/design/plan"
	"yalvo/internal/engine/store/factsql"
)

// Removal is what the removal of a document would take along.
type Removal struct {
	Document  string  `json:"document"`
	Documents []Found `json:"documents"` // other documents, by collection
	Pairs     []Found `json:"pairs"`     // pairs that would end, by kind
	Places    []Place `json:"places"`    // where the document itself is duplicated to
	More      bool    `json:"more"`      // there are more: counting ended at [mostHanging] documents
}

// mostHanging is how many documents are counted.
const mostHanging = 20_000

// Removal counts what hangs on a document. Nothing is removed.
func (p *Prover) Removal(ctx context.Context, path string) (Removal, error) {
	v, err := p.Now(ctx)
	if err != nil {
		return Removal{}, err
	}
	c, doc, err := p.Find(ctx, v, path)
	if err != nil {
		return Removal{}, err
	}
	var removing, pairs []plan.Number
	for _, one := range v.Plan.Collections {
		for _, ref := range one.References {
			if ref.WhenGone == design.GoneRemove {
				removing = append(removing, ref.Number)
			}
		}
	}
	for _, pair := range v.Plan.Pairs {
		pairs = append(pairs, pair.Number)
	}
	counts, err := factsql.FindHanging(ctx, p.Store, doc.N, removing, pairs, mostHanging)
	if err != nil {
		return Removal{}, err
	}
	out := Removal{Document: c.Path(doc.Key), Documents: []Found{}, Pairs: []Found{}}
	all := int64(0)
	for _, h := range counts {
		if h.Pair {
			out.Pairs = append(out.Pairs, Found{v.Plan.PairNumbered(h.Kind).Name, h.Many})
			continue
		}
		if c := v.Plan.CollectionNumbered(h.Kind); c != nil {
			out.Documents = append(out.Documents, Found{c.Name, h.Many})
		}
		all += h.Many
	}
	out.More = all >= mostHanging-1
	out.Places, err = p.placesOf(ctx, c, doc)
	return out, err
}
