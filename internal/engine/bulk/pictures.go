package bulk

import (
	"slices"
	"strings"

	"yalvo/internal/design"
	"yalvo/internal/design/plan"
	"yalvo/internal/engine/store"
	"yalvo/internal/engine/store/picturesql"
)

// pictures counts those of some documents, which were there or have been made, that refer to
// pictures which are not there. Of those that were there before their pictures came it notes that
// they refer to them; of others that is noted as they are written.
func (l loading) pictures(c *plan.Collection, lines []*parsed, there map[string]store.Document,
	made map[string]int64) error {
	var refer [][]string
	var before []int64
	for _, p := range lines {
		named := design.PicturesIn(c.Fields, p.facts)
		old, was := there[p.key]
		if len(named) == 0 || !was && made[p.key] == 0 {
			continue
		}
		ids := make([]string, len(named))
		for i, at := range named {
			ids[i] = strings.TrimPrefix(at.Name, design.PicturePrefix)
		}
		refer = append(refer, ids)
		if was {
			before = append(before, old.N)
		}
	}
	if len(refer) == 0 {
		return nil
	}
	known, err := picturesql.KnownPictures(l.tx, slices.Concat(refer...))
	if err != nil {
		return err
	}
	slices.Sort(known)
	for _, ids := range refer {
		if slices.ContainsFunc(ids, func(id string) bool { _, is := slices.BinarySearch(known, id); return !is }) {
			l.out.WithoutPictures++
		}
	}
	return picturesql.NotePictures(l.tx, before)
}
