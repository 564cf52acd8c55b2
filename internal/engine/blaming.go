package engine

import (
	"slices"

	"yalvo/internal/plan"
	"yalvo/internal/store"
)

// unexplained leaves out what only follows from drift that the audit has found
// already in what a duplicate rests on: a count is not wrong because an index
// it could be recounted from is.
func unexplained(tx *store.Tx, audit int64, d plan.Duplicate, found []store.Drift) ([]store.Drift, error) {
	for _, rest := range d.RestsOn() {
		docs, others, err := tx.DriftIn(audit, rest.Kind, rest.Name)
		if err != nil {
			return nil, err
		}
		if len(docs) == 0 {
			continue
		}
		shownIn := map[int64]bool{}
		if rest.How == plan.SourceHolder {
			if shownIn, err = targetsOf(tx, d.Summary, docs); err != nil {
				return nil, err
			}
		}
		found = slices.DeleteFunc(found, func(f store.Drift) bool {
			switch rest.How {
			case plan.SameHolder:
				return docs[f.Doc]
			case plan.HolderIsEnd:
				return others[f.Doc]
			case plan.EndIsHolder:
				return docs[f.Other]
			case plan.SameEnd:
				return others[f.Other]
			case plan.AcrossPair:
				return docs[f.Doc] && others[f.Other] || docs[f.Other] && others[f.Doc]
			}
			return shownIn[f.Doc]
		})
	}
	return found, nil
}

func targetsOf(tx *store.Tx, s *plan.Summary, sources map[int64]bool) (map[int64]bool, error) {
	targets := map[int64]bool{}
	for source := range sources {
		some, err := tx.TargetsOf(s.Number, source, 0, auditDocuments)
		if err != nil {
			return nil, err
		}
		for _, t := range some {
			targets[t] = true
		}
	}
	return targets, nil
}
