package versions

import (
	"yalvo/internal/design"
	"yalvo/internal/design/plan"
	"yalvo/internal/engine/running"
	"yalvo/internal/engine/store"
	"yalvo/internal/engine/store/versionsql"
)

// documents brings a stretch of a collection's documents to their new form, and
// lists what does not fit.
func (s step) documents() (bool, error) {
	c := s.Plan.Collection(s.build.Name)
	if c == nil {
		return true, nil
	}
	return s.overNext(c, func(s step, span store.Span, _ []int64) (int64, error) {
		return s.rewrite(c, span)
	})
}

// rewrite does it for those in a span, and tells how many are stored in another form.
func (s step) rewrite(c *plan.Collection, span store.Span) (int64, error) {
	docs, err := versionsql.LockSpan(s.tx, c, span)
	if err != nil {
		return 0, err
	}
	var ns []int64
	var fields []string
	var misfits []versionsql.Misfit
	for _, d := range docs {
		facts, mistakes, rewritten, err := s.upcast(c, d)
		if err != nil {
			return 0, err
		}
		if rewritten {
			ns, fields = append(ns, d.N), append(fields, facts)
		}
		for _, m := range mistakes {
			misfits = append(misfits, versionsql.MisfitOf(c.Number, d.N, 0, d.Version, m))
		}
	}
	if err := versionsql.Rewrite(s.tx, ns, fields, c.Shape); err != nil {
		return 0, err
	}
	if err := versionsql.DropMisfits(s.tx, c.Number, span, design.MistakeTaken, design.MistakeNoTarget); err != nil {
		return 0, err
	}
	return int64(len(ns)), versionsql.NoteMisfits(s.tx, misfits)
}

// upcast are a document's facts in the new form, what of them does not fit, and
// whether they are stored in another form.
func (s step) upcast(c *plan.Collection, d store.Document) (string, []design.Mistake, bool, error) {
	if d.Shape != c.Shape && s.Rewrites[c.Name] != nil {
		facts, mistakes := running.Upcast(s.Rewrites[c.Name], d.Fields, d.Created)
		return string(facts), mistakes, true, nil
	}
	facts, err := running.Decode(d.Fields)
	if err != nil {
		return "", nil, false, err
	}
	_, mistakes := c.Collection.AcceptWhole(facts)
	return "", mistakes, false, nil
}

// pairs does the same for a pair's own fields.
func (s step) pairs() (bool, error) {
	p := s.Plan.Pair(s.build.Name)
	if p == nil {
		return true, nil
	}
	rows, err := versionsql.LockPairs(s.tx, p.Number, s.build.Reached, s.build.Beside, s.width)
	if err != nil {
		return false, err
	}
	var changed []versionsql.PairRow
	unfit := map[[2]int64][]design.Mistake{}
	for _, row := range rows {
		s.build.Reached, s.build.Beside = row.B, row.A
		ends := [2]int64{row.B, row.A}
		if row.B == row.A && p.From == p.To && !p.Self {
			unfit[ends] = []design.Mistake{{Pointer: "/to", Code: design.MistakeSelf, Detail: pairedAlone}}
		}
		r := s.Rewrites[p.Name]
		if row.Shape != p.Shape && r != nil && r.Needed {
			facts, mistakes := running.Upcast(r, row.Fields, row.At)
			row.Fields = facts
			changed = append(changed, row)
			unfit[ends] = append(unfit[ends], mistakes...)
			continue
		}
		facts, err := running.Decode(row.Fields)
		if err != nil {
			return false, err
		}
		_, mistakes := design.AcceptAll(p.Fields, facts)
		unfit[ends] = append(unfit[ends], mistakes...)
	}
	if err := versionsql.RewritePairs(s.tx, p.Number, changed, p.Shape); err != nil {
		return false, err
	}
	if n := len(rows); n > 0 {
		span := store.Span{After: rows[0].B - 1, UpTo: rows[n-1].B}
		if err := versionsql.DropPairMisfits(s.tx, p.Number, span, rows[0].A, rows[n-1].A); err != nil {
			return false, err
		}
	}
	s.build.Rows += int64(len(rows))
	s.build.Written += int64(len(changed))
	return len(rows) < s.width, s.notePairs(p, rows, unfit)
}

func (s step) notePairs(p *plan.Pair, rows []versionsql.PairRow, unfit map[[2]int64][]design.Mistake) error {
	var some []versionsql.PairRow
	for _, row := range rows {
		if len(unfit[[2]int64{row.B, row.A}]) > 0 {
			some = append(some, row)
		}
	}
	stamps, err := versionsql.StampsOf(s.tx, p.Number, some)
	if err != nil {
		return err
	}
	var misfits []versionsql.Misfit
	for i, row := range some {
		for _, m := range unfit[[2]int64{row.B, row.A}] {
			misfits = append(misfits, versionsql.MisfitOf(p.Number, row.B, row.A, stamps[i], m))
		}
	}
	return versionsql.NoteMisfits(s.tx, misfits)
}
