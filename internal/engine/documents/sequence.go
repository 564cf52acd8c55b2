package documents

import (
	"context"
	"errors"
	"time"

	"yalvo/internal/design/access"
	"yalvo/internal/design/expr"
	"yalvo/internal/design/plan"
	"yalvo/internal/engine/judging"
	"yalvo/internal/engine/running"
	"yalvo/internal/engine/store"
	"yalvo/internal/engine/store/factsql"
	"yalvo/internal/engine/store/readsql"
	"yalvo/internal/engine/store/rulesql"
)

// MostJudged is how many rows are looked through for one page of what a viewer may read.
// A page for which that was not enough says where to go on.
const MostJudged = 10_000

// ChunkJudged is how many rows are judged at once, at most.
const ChunkJudged = 500

// Sequence is a sequence of which a page is read.
type Sequence[T any] struct {
	Read     func(after Boundary, filter rulesql.Filter, limit int) ([]T, error)
	Boundary func(T) Boundary
	Size     func(T) int
	May      func([]T) ([]bool, error) // which the viewer may see; nil: all

	// What the database can tell of that, and whether that is all.
	Filter func() (filter rulesql.Filter, exact bool, err error)
	Simple bool // of pages of linked documents: nothing but the rule for these has a say
}

// Page reads a page from after a boundary, and where the next one begins if there is more.
// What the viewer may not see is passed over, and the page is full nevertheless.
func (s Sequence[T]) Page(after Boundary, limit int) ([]T, *Boundary, error) {
	var filter rulesql.Filter
	exact := s.May == nil
	if !exact {
		var err error
		if filter, exact, err = s.Filter(); err != nil {
			return nil, nil, err
		}
	}
	if !exact {
		return s.judged(after, filter, limit)
	}
	rows, err := s.Read(after, filter, limit+1)
	if err != nil {
		return nil, nil, err
	}
	rows, cut := cutPage(rows, limit, s.Size)
	if !cut {
		return rows, nil, nil
	}
	next := s.Boundary(rows[len(rows)-1])
	return rows, &next, nil
}

// judged reads a page of what the viewer may see, of what the database lets through.
func (s Sequence[T]) judged(after Boundary, filter rulesql.Filter, limit int) ([]T, *Boundary, error) {
	var page []T
	bytes, chunk := 0, limit+1
	began := time.Now()
	for looked := 0; looked < MostJudged && (looked == 0 || time.Since(began) < access.RuleTime); chunk = min(2*chunk,
		ChunkJudged) {
		rows, err := s.Read(after, filter, chunk)
		if err != nil || len(rows) == 0 {
			return page, nil, err
		}
		seen, err := s.May(rows)
		if errors.Is(err, access.ErrBudget) && looked > 0 { // it goes on with the next request
			return page, &after, nil
		}
		if err != nil {
			return nil, nil, err
		}
		all := 0
		for i, row := range rows {
			all += s.Size(row)
			if !seen[i] {
				after = s.Boundary(row)
				continue
			}
			if len(page) == limit || bytes >= store.PageBytes {
				next := s.Boundary(page[len(page)-1])
				return page, &next, nil
			}
			page, after = append(page, row), s.Boundary(row)
			bytes += s.Size(row)
		}
		if len(rows) < chunk && all < store.PageBytes { // there were no more
			return page, nil, nil
		}
		looked += len(rows)
	}
	return page, &after, nil
}

// judgedDocuments are what of some stored documents a viewer may read.
func judgedDocuments(j *judging.Judge, c *plan.Collection) func([]store.Document) ([]bool, error) {
	if j == nil {
		return nil
	}
	return func(docs []store.Document) ([]bool, error) { return j.Readable(c, docs) }
}

// JudgedPairs are what of the other ends of a document's pairs a viewer may read: the
// document and the pair.
func JudgedPairs(j *judging.Judge, p *plan.Pair, key string, fromSide bool) func([]readsql.Linked) ([]bool, error) {
	if j == nil {
		return nil
	}
	here, there := p.To, p.From
	if fromSide {
		here, there = p.From, p.To
	}
	this := j.Law.Document(here.Collection, key, nil)
	return func(rows []readsql.Linked) ([]bool, error) {
		return judging.Allowed(j, rows, func(row readsql.Linked) ([]access.Condition, error) {
			values, err := j.RuleValues(there, row.Document)
			if err != nil {
				return nil, err
			}
			other := j.Law.Document(there.Collection, row.Key, values)
			from, to := other, this
			if fromSide {
				from, to = this, other
			}
			pair, err := pairRead(j, p, from, to, row.PairFields)
			return append(j.Law.Reading(there.Collection, other), pair...), err
		})
	}
}

// pairRead are the conditions to read a pair.
func pairRead(j *judging.Judge, p *plan.Pair, from, to *expr.Document, fields []byte) ([]access.Condition, error) {
	var facts map[string]any
	if len(p.Fields) > 0 {
		var err error
		if facts, err = running.Typed(p.Fields, fields); err != nil {
			return nil, err
		}
	}
	return j.Law.ReadingPair(p.Pair, from, to, facts), nil
}

// mayRead refuses what hangs on a document to who may not read that.
func (r *Reader) mayRead(ctx context.Context, j *judging.Judge, c *plan.Collection, key string) error {
	if j == nil {
		return nil
	}
	doc, found, err := factsql.Document(r.Store.Looking(ctx), c, key)
	if err == nil && !found {
		err = running.NotFound(c, key)
	}
	if err != nil {
		return err
	}
	return j.MayRead(c, doc)
}
