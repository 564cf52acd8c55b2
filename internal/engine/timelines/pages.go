package timelines

import (
	"context"
	"encoding/json"

	"yalvo/internal/design"
	"yalvo/internal/design/plan"
	"yalvo/internal/engine/memory"
	"yalvo/internal/engine/running"
	"yalvo/internal/engine/store"
	"yalvo/internal/engine/store/readsql"
	"yalvo/internal/engine/store/timelinesql"
)

// aroundValue is what is around a value that rules ask for, in memory.
const aroundValue = 64

// sizeOf is about what an entry takes in memory.
func sizeOf(e *Entry) int {
	return memory.Around + len(e.ID) + len(e.Path) + len(e.Author) + len(e.Facts) + len(e.Kept) +
		aroundValue*len(e.values)
}

// remembered are the entries at some places of a timeline that are known, nil for the others.
func (r *Reader) remembered(now running.Era, t *plan.Timeline, since readsql.Since,
	places []timelinesql.Place) []*Entry {
	asked := make([]memory.Asked, len(places))
	for i, p := range places {
		asked[i] = memory.Asked{Key: memory.Key{Timeline: t.Number, Doc: p.Doc}, Versions: p.Versions,
			Unwritten: p.Certain}
	}
	entries := make([]*Entry, len(places))
	for i, what := range r.memory.Known(now, since, asked) {
		entries[i], _ = what.(*Entry)
	}
	return entries
}

// show is what the entries at some places show, nil for those whose documents
// have just been removed. There are fewer than places if they are large: see
// [store.PageBytes].
func (r *Reader) show(ctx context.Context, v *running.Version, t *plan.Timeline, since readsql.Since,
	places []timelinesql.Place) ([]*Entry, error) {
	now := r.Era(v)
	entries := r.remembered(now, t, since, places)
	var unknown map[int64][]int
	var docs []int64
	for i, p := range places {
		if entries[i] == nil && (p.Certain || p.Document.Valid) {
			if unknown == nil {
				unknown = map[int64][]int{}
			}
			unknown[p.Doc] = append(unknown[p.Doc], i)
			docs = append(docs, p.Doc)
		}
	}
	if len(docs) == 0 {
		return entries, nil
	}
	found, all, err := timelinesql.Shown(ctx, r.Store, docs)
	if err != nil {
		return nil, err
	}
	covered := len(places)
	if !all {
		covered = unknown[found[len(found)-1].Doc][0] + 1
	}
	for _, row := range found {
		e, err := carried(t, row)
		e.key = row.Key
		if err == nil && v.Law.Guards() {
			e.values, err = v.RuleValues(t.Entries, row.Stored())
		}
		if err == nil && obeying(v, t) {
			e.links, err = linksOf(t.Entries, row.Stored())
		}
		if err != nil {
			return nil, err
		}
		for _, i := range unknown[row.Doc] {
			entries[i] = &e
		}
		r.memory.Learn(now, memory.Learned{Key: memory.Key{Timeline: t.Number, Doc: row.Doc}, Versions: row.Versions,
			Seen: row.Seen, What: &e, Size: sizeOf(&e)})
	}
	return entries[:covered], nil
}

// linksOf are the references of a document.
func linksOf(c *plan.Collection, d store.Document) (map[string]json.RawMessage, error) {
	links := map[string]json.RawMessage{}
	names := design.NamesOf(c.References, func(r *plan.Reference) string { return r.Name })
	return links, running.Pick(links, running.See(c, d).Facts, names)
}
