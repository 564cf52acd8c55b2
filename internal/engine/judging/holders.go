package judging

import (
	"encoding/json"
	"sync/atomic"

	"yalvo/internal/design"
	"yalvo/internal/design/expr"
	"yalvo/internal/design/plan"
	"yalvo/internal/engine/running"
	"yalvo/internal/engine/store"
)

// Holder is a document whose kept values are to be shown to a viewer who may read it.
type Holder struct {
	Of     *plan.Collection
	Key    string
	N      int64                      // its row number, 0 if that is not known
	Links  map[string]json.RawMessage // its references, nil: not known
	Values map[string]any             // as rules see it, nil: not known
	Kept   json.RawMessage

	stored *store.Document // links and values are taken out of it when they are needed
	own    bool            // it is shown with its own kept values: others are as somebody has copied them
	points *points         // of an element: where the reference leads that a rule asks for
}

// points is remembered with a text that shows an element. It never changes.
type points = atomic.Pointer[pointed]

// HolderOf is a stored document as one.
func HolderOf(c *plan.Collection, d *store.Document, kept json.RawMessage) *Holder {
	return &Holder{Of: c, Key: d.Key, N: d.N, Kept: kept, stored: d}
}

// links are the references of a holder, nil if they are not known.
func (h *Holder) links() (map[string]json.RawMessage, error) {
	if h.Links == nil && h.stored != nil {
		h.Links = map[string]json.RawMessage{}
		names := design.NamesOf(h.Of.References, func(r *plan.Reference) string { return r.Name })
		return h.Links, running.Pick(h.Links, running.See(h.Of, *h.stored).Facts, names)
	}
	return h.Links, nil
}

// holding is a holder as rules see it.
func (j *Judge) holding(h *Holder) (*expr.Document, error) {
	var err error
	if h.Values == nil && h.stored != nil {
		h.Values, err = j.RuleValues(h.Of, *h.stored)
	}
	return j.Law.Document(h.Of.Collection, h.Key, h.Values), err
}
