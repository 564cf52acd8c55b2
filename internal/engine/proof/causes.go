package proof

import (
	"slices"

	"yalvo/internal/design/plan"
	"yalvo/internal/engine/store"
	"yalvo/internal/engine/store/auditsql"
)

// unexplained leaves out what only follows from drift that the audit has found
// already in what a duplicate is based on: a count is not wrong because an index
// it could be recounted from is.
func unexplained(tx *store.Tx, audit int64, d plan.Duplicate, found []auditsql.Drift) ([]auditsql.Drift, error) {
	for _, basis := range d.BasedOn() {
		if len(found) == 0 {
			return nil, nil
		}
		explains, err := explanation(tx, audit, d, basis, found)
		if err != nil {
			return nil, err
		}
		found = slices.DeleteFunc(found, explains)
	}
	return found, nil
}

// explanation tells which findings follow from drift in a basis.
func explanation(tx *store.Tx, audit int64, d plan.Duplicate, basis plan.Basis,
	found []auditsql.Drift) (func(auditsql.Drift) bool, error) {
	var about []int64
	for _, f := range found {
		about = append(about, f.Doc, f.Other)
	}
	if basis.How == plan.SourceHolder {
		shownIn, err := auditsql.DriftShownIn(tx, audit, basis.Kind, basis.Name, d.Summary.Number, about)
		return func(f auditsql.Drift) bool { return shownIn[f.Doc] }, err
	}
	docs, others, err := auditsql.DriftIn(tx, audit, basis.Kind, basis.Name, about)
	return func(f auditsql.Drift) bool {
		switch basis.How {
		case plan.SameHolder:
			return docs[f.Doc]
		case plan.HolderIsEnd:
			return others[f.Doc]
		case plan.EndIsHolder:
			return docs[f.Other]
		case plan.SameEnd:
			return others[f.Other]
		}
		return docs[f.Doc] && others[f.Other] || docs[f.Other] && others[f.Doc] // plan.AcrossPair
	}, err
}
