package versions

import (
	"maps"
	"math/big"
	"slices"
	"strings"

	"yalvo/internal/design"
	"yalvo/internal/design/plan"
	"yalvo/internal/engine/store"
	"yalvo/internal/engine/upkeep"
)

// put derives a duplicate anew for some documents, under the locks that upkeep of
// the same thing takes, and tells how much was written.
func (s step) put(d plan.Duplicate, c *plan.Collection, docs []int64, span store.Span) (int64, error) {
	switch d.Kind {
	case plan.AspectReference:
		return s.references(d.Reference, span)
	case plan.AspectUnique:
		return s.uniques(d, span)
	case plan.AspectPosted:
		if err := s.tx.HoldDocuments(c.Number, span); err != nil {
			return 0, err
		}
		return s.tx.BuildPosted(d.Timeline, span)
	case plan.AspectContribution:
		return s.contributions(d.Summary, span)
	case plan.AspectTimeline:
		return s.tx.BuildEntries(d.Timeline, docs)
	}
	if err := s.tx.LockKept(docs); err != nil {
		return 0, err
	}
	switch d.Kind {
	case plan.AspectCount:
		return s.tx.BuildCounts(d.Count, docs, span)
	case plan.AspectSum:
		return s.tx.BuildSums(d.Summary, docs, span)
	case plan.AspectFrozen:
		return s.tx.BuildFrozen(d.Copy, docs)
	case plan.AspectCopy:
		written, err := s.tx.Recopy(d.Copy, docs)
		return int64(len(written)), err
	}
	written, err := upkeep.Rechoose(s.tx, d.Summary, docs)
	return int64(len(written)), err
}

// references makes the index of a reference. What names nothing does not fit.
func (s step) references(ref *plan.Reference, span store.Span) (int64, error) {
	if err := s.tx.HoldDocuments(ref.In.Number, span); err != nil {
		return 0, err
	}
	written, lost, err := s.tx.BuildReferences(ref, span)
	if err != nil {
		return 0, err
	}
	if ref.WhenGone == design.GoneLeave {
		lost = nil // the design says that this may be
	}
	if len(lost) > 0 {
		if lost, err = s.endLoose(ref, span, lost); err != nil {
			return 0, err
		}
	}
	return written, s.note(ref.In, span, ref.Name, lost, design.MistakeNoTarget,
		"there is no such document of "+ref.To.Name)
}

// endLoose has references of loaded documents that name nothing come to the end that the design has for them, as if
// what they name had just gone: all but those that are listed, as their lines said. It returns the others.
func (s step) endLoose(ref *plan.Reference, span store.Span, lost []int64) (stay []int64, err error) {
	after, loaded, err := s.tx.LoadBefore(*s.build)
	if err != nil || !loaded || ref.WhenGone == design.GoneRefuse {
		return lost, err // nothing would end it: a person decides
	}
	loose, err := s.tx.LooseIn(ref, store.Span{After: max(span.After, after), UpTo: span.UpTo})
	if err != nil || len(loose) == 0 {
		return lost, err
	}
	nowhere, err := s.tx.PointNowhere(ref, loose)
	if err != nil {
		return nil, err
	}
	lost = slices.DeleteFunc(lost, func(n int64) bool { return slices.Contains(loose, n) })
	return lost, s.tx.AppendDue(0, []plan.Work{plan.EndOf(plan.EndReference, ref.Number, nowhere, plan.Mark{})})
}

// uniques notes values that no two documents may share. Whose value another one
// has does not fit.
func (s step) uniques(d plan.Duplicate, span store.Span) (int64, error) {
	if err := s.tx.HoldDocuments(d.Walked.Number, span); err != nil {
		return 0, err
	}
	written, second, err := s.tx.BuildUniques(d.Unique, d.Walked.Number, span)
	if err != nil {
		return 0, err
	}
	return written, s.note(d.Walked, span, d.Unique.Name, second, design.MistakeTaken,
		"another document has this value")
}

// note lists documents of which one field does not fit.
func (s step) note(c *plan.Collection, span store.Span, field string, docs []int64, code, detail string) error {
	if err := s.tx.DropMisfitsOf(c.Number, span, field, code); err != nil {
		return err
	}
	versions, err := s.tx.VersionsOf(docs)
	if err != nil {
		return err
	}
	var all []store.Misfit
	for doc, version := range versions {
		all = append(all, store.Misfit{Subject: c.Number, Doc: doc, Stamp: version, Field: field, Code: code,
			Pointer: "/" + field, Detail: detail})
	}
	return s.tx.NoteMisfits(all)
}

// contributions works out what the sources in a span contribute. The sums are made
// of these afterwards.
func (s step) contributions(summary *plan.Summary, span store.Span) (int64, error) {
	sources, err := upkeep.SourcesIn(s.tx, summary, span)
	if err != nil {
		return 0, err
	}
	is, err := upkeep.ContributionsOf(summary, sources)
	if err != nil {
		return 0, err
	}
	rows, err := s.tx.ContributionsIn(summary.Number, span)
	if err != nil {
		return 0, err
	}
	was, err := upkeep.Stored(rows)
	if err != nil {
		return 0, err
	}
	var drop []store.Link
	var put []store.Contribution
	for l := range was {
		if is[l] == nil {
			drop = append(drop, l)
		}
	}
	maps.DeleteFunc(is, func(l store.Link, value *big.Rat) bool { return was[l] != nil && was[l].Cmp(value) == 0 })
	for l, value := range is {
		put = append(put, store.Contribution{Link: l, Value: upkeep.Decimal(value)})
	}
	return int64(len(drop) + len(put)), s.tx.Contribute(summary.Number, drop, put)
}

func cut(name string) (before, after string, found bool) { return cutAt(name, ".") }

func cutAt(name, at string) (before, after string, found bool) { return strings.Cut(name, at) }
