package proof

import (
	"context"
	"slices"

	"yalvo/internal/design"
	"yalvo/internal/design/plan"
	"yalvo/internal/engine/running"
	"yalvo/internal/engine/store"
	"yalvo/internal/engine/store/auditsql"
)

// audited is a scope made ready: what to walk, and where.
type audited struct {
	walks []walk
	only  int64 // one document's row number, 0 for all
}

// walk is one duplicate's turn in an audit.
type walk struct {
	plan.Duplicate
	into bool // of one document: the sources of its summary are walked, not the document itself
}

// mayBegin refuses to audit what is only being derived.
func mayBegin(v *running.Version, scope Scope, what audited) error {
	if v.Loading() {
		return running.Refuse(running.CodeBuilding, "facts are being loaded, and nothing derived follows them yet: "+
			"audit when that is done")
	}
	finished := func(w walk) bool { return !v.IsBuilding(w.Duplicate) }
	if scope.Name != "" && !slices.ContainsFunc(what.walks, finished) {
		return running.Refuse(running.CodeBuilding, "%s is being derived anew: audit it when that is done", scope.Name)
	}
	return nil
}

func (p *Prover) inScope(ctx context.Context, v *running.Version, scope Scope) (audited, error) {
	all := v.Plan.Duplicates()
	named := all
	if scope.Name != "" {
		named = slices.DeleteFunc(slices.Clone(all), func(d plan.Duplicate) bool { return d.Name != scope.Name })
		if len(named) == 0 {
			return audited{}, running.Refuse(running.CodeUnknownName, "the design has no duplicate %q: %s",
				design.Clip(scope.Name), design.Meant(scope.Name, namesOf(all)))
		}
	}
	if scope.Document == "" {
		return audited{walks: walksOf(named, nil)}, nil
	}
	c, key, err := v.Locate(scope.Document)
	if err != nil {
		return audited{}, err
	}
	what := audited{walks: walksOf(named, c)}
	if what.only, err = p.Number(ctx, c, key); err != nil {
		return what, err
	}
	if len(what.walks) == 0 {
		return what, running.Refuse(running.CodeUnknownName, "%s holds no %q", scope.Document, scope.Name)
	}
	return what, nil
}

// walksOf are the walks through some duplicates; of one document, if a
// collection is given, through what it holds and what adds up to that.
func walksOf(duplicates []plan.Duplicate, of *plan.Collection) []walk {
	var walks []walk
	for _, d := range duplicates {
		if of == nil || d.Walked == of {
			walks = append(walks, walk{Duplicate: d})
		}
		if of != nil && d.Kind == plan.AspectContribution && d.Summary.In == of {
			walks = append(walks, walk{d, true})
		}
	}
	return walks
}

func namesOf(duplicates []plan.Duplicate) []string {
	var names []string
	for _, d := range duplicates {
		if !slices.Contains(names, d.Name) {
			names = append(names, d.Name)
		}
	}
	return names
}

// How many documents one step of an audit walks.
const (
	auditDocuments = 2000
	auditSources   = 500
	auditOwners    = 250
	auditInto      = 20_000 // sources of one document
)

// stride is how many documents the next step of an audit walks. Where they
// hold little, more of them are walked at a time.
type stride struct {
	audit int64
	name  string
	kind  plan.Aspect
	width int
}

const (
	strideRows = 20_000 // what a step should compare at least
	strideMost = 20_000
)

func (p *Prover) stride(audit int64, d plan.Duplicate) int {
	if s := p.striding; s.audit == audit && s.name == d.Name && s.kind == d.Kind {
		return s.width
	}
	p.striding = stride{audit, d.Name, d.Kind, firstStride(d.Kind)}
	return p.striding.width
}

func (p *Prover) adjust(d plan.Duplicate, rows int64) {
	if rows < strideRows && d.Kind != plan.AspectContribution {
		p.striding.width = min(2*p.striding.width, strideMost)
	}
}

func firstStride(aspect plan.Aspect) int {
	switch aspect {
	case plan.AspectTimeline, plan.AspectPosted:
		return auditOwners
	case plan.AspectContribution, plan.AspectChoice:
		return auditSources
	}
	return auditDocuments
}

// stretch is a part of a walk that is looked at together.
type stretch struct {
	span      store.Span
	documents int64 // how many there are in it
	last      bool
}

// next is the stretch of a walk after a row number.
func (p *Prover) next(tx *store.Tx, audit, after int64, w walk, only int64) (s stretch, err error) {
	limit := auditInto
	switch {
	case w.into:
		s.span, s.documents, err = auditsql.SourceSpan(tx, w.Summary, only, after, limit)
	case only != 0:
		return stretch{store.Span{After: only - 1, UpTo: only}, 1, true}, nil
	default:
		limit = p.stride(audit, w.Duplicate)
		s.span, s.documents, err = auditsql.Span(tx, w.Walked.Number, after, limit)
	}
	s.last = s.documents < int64(limit)
	return s, err
}
