package versions

import (
	"maps"
	"math/big"
	"slices"
	"strings"

	"yalvo/internal/design"
	"yalvo/internal/design/plan"
	"yalvo/internal/engine/store"
	"yalvo/internal/engine/store/auditsql"
	"yalvo/internal/engine/store/factsql"
	"yalvo/internal/engine/store/keptsql"
	"yalvo/internal/engine/store/loadsql"
	"yalvo/internal/engine/store/queuesql"
	"yalvo/internal/engine/store/versionsql"
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
		if err := versionsql.HoldDocuments(s.tx, c.Number, span); err != nil {
			return 0, err
		}
		return versionsql.BuildPosted(s.tx, d.Timeline, span)
	case plan.AspectContribution:
		return s.contributions(d.Summary, span)
	case plan.AspectTimeline:
		return versionsql.BuildEntries(s.tx, d.Timeline, docs)
	}
	if err := keptsql.LockKept(s.tx, docs); err != nil {
		return 0, err
	}
	switch d.Kind {
	case plan.AspectCount:
		return versionsql.BuildCounts(s.tx, d.Count, docs, span)
	case plan.AspectSum:
		return versionsql.BuildSums(s.tx, d.Summary, docs, span)
	case plan.AspectFrozen:
		_, loaded, err := loadsql.LoadBefore(s.tx, *s.build)
		if err != nil {
			return 0, err
		}
		return versionsql.BuildFrozen(s.tx, d.Copy, docs, !loaded)
	case plan.AspectCopy:
		written, err := keptsql.Recopy(s.tx, d.Copy, docs)
		return int64(len(written)), err
	}
	written, err := upkeep.Rechoose(s.tx, d.Summary, docs)
	return int64(len(written)), err
}

// references makes the index of a reference. What names nothing does not fit.
func (s step) references(ref *plan.Reference, span store.Span) (int64, error) {
	if err := versionsql.HoldDocuments(s.tx, ref.In.Number, span); err != nil {
		return 0, err
	}
	written, lost, err := versionsql.BuildReferences(s.tx, ref, span)
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
	after, loaded, err := loadsql.LoadBefore(s.tx, *s.build)
	if err != nil || !loaded || ref.WhenGone == design.GoneRefuse {
		return lost, err // nothing would end it: a person decides
	}
	loose, err := factsql.LooseIn(s.tx, ref, store.Span{After: max(span.After, after), UpTo: span.UpTo})
	if err != nil || len(loose) == 0 {
		return lost, err
	}
	nowhere, err := factsql.PointNowhere(s.tx, ref, loose)
	if err != nil {
		return nil, err
	}
	lost = slices.DeleteFunc(lost, func(n int64) bool { return slices.Contains(loose, n) })
	return lost, queuesql.AppendDue(s.tx, s.asking(), []plan.Work{plan.EndOf(plan.EndReference, ref.Number,
		nowhere, plan.Mark{})})
}

// uniques notes values that no two documents may share. Whose value another one
// has does not fit.
func (s step) uniques(d plan.Duplicate, span store.Span) (int64, error) {
	if err := versionsql.HoldDocuments(s.tx, d.Walked.Number, span); err != nil {
		return 0, err
	}
	written, second, err := versionsql.BuildUniques(s.tx, d.Unique, d.Walked.Number, span)
	if err != nil {
		return 0, err
	}
	return written, s.note(d.Walked, span, d.Unique.Name, second, design.MistakeTaken,
		"another document has this value")
}

// note lists documents of which one field does not fit.
func (s step) note(c *plan.Collection, span store.Span, field string, docs []int64, code, detail string) error {
	if err := versionsql.DropMisfitsOf(s.tx, c.Number, span, field, code); err != nil {
		return err
	}
	versions, err := versionsql.VersionsOf(s.tx, docs)
	if err != nil {
		return err
	}
	var all []versionsql.Misfit
	for doc, version := range versions {
		all = append(all, versionsql.Misfit{Subject: c.Number, Doc: doc, Stamp: version, Field: field, Code: code,
			Pointer: "/" + field, Detail: detail})
	}
	return versionsql.NoteMisfits(s.tx, all)
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
	rows, err := auditsql.ContributionsIn(s.tx, summary.Number, span)
	if err != nil {
		return 0, err
	}
	was, err := upkeep.Stored(rows)
	if err != nil {
		return 0, err
	}
	var drop []keptsql.Link
	var put []keptsql.Contribution
	for l := range was {
		if is[l] == nil {
			drop = append(drop, l)
		}
	}
	maps.DeleteFunc(is, func(l keptsql.Link, value *big.Rat) bool { return was[l] != nil && was[l].Cmp(value) == 0 })
	for l, value := range is {
		put = append(put, keptsql.Contribution{Link: l, Value: upkeep.Decimal(value)})
	}
	return int64(len(drop) + len(put)), keptsql.Contribute(s.tx, summary.Number, drop, put)
}

func cut(name string) (before, after string, found bool) { return cutAt(name, ".") }

func cutAt(name, at string) (before, after string, found bool) { return strings.Cut(name, at) }
