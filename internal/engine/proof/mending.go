package proof

import (
	"bytes"
	"context"
	"slices"
	"strings"

	"yalvo/internal/design"
	"yalvo/internal/design/plan"
	"yalvo/internal/engine/facts"
	"yalvo/internal/engine/running"
	"yalvo/internal/engine/store"
	"yalvo/internal/engine/store/auditsql"
	"yalvo/internal/engine/store/factsql"
	"yalvo/internal/engine/store/keptsql"
	"yalvo/internal/engine/store/picturesql"
	"yalvo/internal/engine/store/queuesql"
	"yalvo/internal/engine/upkeep"
)

// Mend has an audit that has finished go on: it repairs what it found, each
// from the facts as they then are, and looks at it again.
func (p *Prover) Mend(ctx context.Context, id int64) (Audit, error) {
	a, err := p.AuditState(ctx, id)
	if err != nil {
		return a, err
	}
	begun, err := auditsql.BeginMending(ctx, p.Store, id)
	if err != nil {
		return a, err
	}
	if !begun {
		return a, running.Refuse(running.CodeConflict,
			"audit %d is %s: what it finds can be mended when it has finished", id, a.State)
	}
	p.wakeAuditor()
	return p.AuditState(ctx, id)
}

// mendRounds is how often everything is looked at again after something was
// mended. Each round can bring out what rests on what was mended before.
const mendRounds = 8

// mendSome mends one thing that an audit found and goes on after it. One
// transaction holds the locks of one thing only. It is false while there is
// nothing to do but wait for due work.
func (p *Prover) mendSome(ctx context.Context, v *running.Version, tx *store.Tx) (bool, error) {
	a, there, err := auditsql.ClaimAudit(tx)
	if err != nil || !there || a.Step < a.Steps {
		return there, err
	}
	if err := inForce(tx, v); err != nil {
		return false, err
	}
	left, err := auditsql.DriftLeft(tx, a.ID, a.Reached, 1)
	if err != nil {
		return false, err
	}
	if len(left) == 0 {
		return p.nextRound(ctx, tx, &a)
	}
	found := left[0]
	// else it was found under a design that is no longer in force
	if d, there := v.Plan.Duplicate(found.Aspect, found.Name); there {
		m := mender{v, tx, mendChange(a.ID)}
		if err := m.untilRight(a.ID, d, found); err != nil {
			return false, err
		}
	}
	a.Reached = found.Seq
	p.Wake(tx.Lanes()...)
	return true, auditsql.SaveAudit(tx, a)
}

// mendChange is what due work is waited for with that an audit has made due. It
// is no change of facts, so it is none that the journal knows.
func mendChange(audit int64) int64 { return -audit }

// nextRound looks at everything once more if something was mended: what rests on
// it was left out until now. It waits until the work that mending has made due
// is done. What was not mended is found again if it is still wrong.
func (p *Prover) nextRound(ctx context.Context, tx *store.Tx, a *auditsql.Audit) (bool, error) {
	work, err := queuesql.UnsettledChange(ctx, p.Store, mendChange(a.ID))
	if err != nil || work.Due && !work.Parked {
		return false, err
	}
	mended, err := auditsql.MendedSince(tx, a.ID, a.Round)
	if err != nil {
		return false, err
	}
	if mended == 0 || a.Round >= mendRounds {
		return true, endAudit(tx, a)
	}
	dropped, err := auditsql.DropUnmended(tx, a.ID)
	if err != nil {
		return false, err
	}
	a.Drifted -= dropped
	a.Round, a.Step, a.Reached = a.Round+1, 0, 0
	return true, auditsql.SaveAudit(tx, *a)
}

// mender repairs what an audit has found. Each way takes the locks that upkeep
// of the same thing takes, and then looks at the facts anew.
type mender struct {
	*running.Version
	tx     *store.Tx
	change int64 // what the work it makes due is waited for with
}

// mendSteps is how often one thing is mended that is wrong in another way each time: an entry of another author is
// taken out first, and then put in.
const mendSteps = 3

// untilRight mends one thing, audits it once more and notes that it is mended, if it is.
func (m mender) untilRight(audit int64, d plan.Duplicate, found auditsql.Drift) error {
	was := found
	for range mendSteps {
		if err := m.mend(d, was); err != nil {
			return err
		}
		still, _, err := check(m.Version, m.tx, d, store.Span{After: found.Doc - 1, UpTo: found.Doc})
		if err != nil {
			return err
		}
		i := slices.IndexFunc(still, func(s auditsql.Drift) bool {
			return s.Doc == found.Doc && s.Other == found.Other
		})
		if i < 0 {
			return auditsql.MarkMended(m.tx, audit, found.Seq)
		}
		if still[i].Kind == was.Kind && bytes.Equal(still[i].Stored, was.Stored) {
			return nil
		}
		was = still[i]
	}
	return nil
}

func (m mender) mend(d plan.Duplicate, found auditsql.Drift) error {
	switch d.Kind {
	case plan.AspectReference:
		return m.reference(d.Reference, found)
	case plan.AspectUnique:
		return m.unique(d, found.Doc)
	case plan.AspectPicture:
		return m.pictures(d.Walked, found.Doc)
	case plan.AspectPair:
		return m.pair(d.Pair, found)
	case plan.AspectNested:
		return m.end(plan.EndNested, d.Walked.Number, found.Other)
	case plan.AspectKept:
		return m.holding(d.Walked, found)
	case plan.AspectPosted:
		return auditsql.MendPosted(m.tx, d.Timeline, found.Doc, found.Other)
	case plan.AspectContribution:
		return m.contribution(d.Summary, found)
	case plan.AspectTimeline:
		return m.entry(d.Timeline, found)
	}
	return m.kept(d, found.Doc)
}

func (m mender) end(s plan.Step, subject plan.Number, gone int64) error {
	return queuesql.AppendDue(m.tx, m.change, []plan.Work{plan.EndOf(s, subject, gone, plan.Mark{})})
}

// reference points the index where the document's field says. One that points
// at nothing comes to the end the design has for that.
func (m mender) reference(ref *plan.Reference, found auditsql.Drift) error {
	docs, err := factsql.LockNumbered(m.tx, ref.In, []int64{found.Doc})
	if err != nil {
		return err
	}
	if len(docs) == 0 {
		return factsql.SetPointers(m.tx, found.Doc, map[plan.Number]int64{ref.Number: 0})
	}
	if found.Kind == auditsql.Dangling {
		return m.dangling(ref, found)
	}
	fields, err := running.Decode(docs[0].Fields)
	if err != nil {
		return err
	}
	key, _ := fields[ref.Name].(string)
	at := running.Address(ref.To, key)
	targets, err := factsql.LockTargets(m.tx, []store.Address{at}, factsql.Existing)
	if err != nil {
		return err
	}
	return factsql.SetPointers(m.tx, found.Doc, map[plan.Number]int64{ref.Number: targets[at].N})
}

// dangling has a reference to nothing come to its end.
func (m mender) dangling(ref *plan.Reference, found auditsql.Drift) error {
	if ref.WhenGone == design.GoneRefuse {
		return nil // the design says that this cannot be: a person decides
	}
	gone, err := found.Other, error(nil)
	if gone == 0 { // what it names is not known ever to have been there
		if gone, err = factsql.PointNowhere(m.tx, ref, []int64{found.Doc}); err != nil {
			return err
		}
	}
	return m.end(plan.EndReference, ref.Number, gone)
}

// pair drops a pair whose end is not there, and ends one that should have been ended.
func (m mender) pair(p *plan.Pair, found auditsql.Drift) error {
	if found.Kind != auditsql.Surplus {
		return auditsql.DropPair(m.tx, p.Number, found.Other, found.Doc)
	}
	ends, err := factsql.Numbered(m.tx, []int64{found.Doc, found.Other})
	if err != nil {
		return err
	}
	keys := map[int64]string{}
	for _, d := range ends {
		keys[d.N] = d.Key
	}
	link := running.Link{Pair: p.Name, From: keys[found.Other], To: keys[found.Doc]}
	_, err = facts.Unit{Version: m.Version, Tx: m.tx}.UnsetPair(link, facts.Cause{Change: m.change})
	return err
}

// unique notes the document's value. One that is taken by another stays, and is
// told again.
func (m mender) unique(d plan.Duplicate, doc int64) error {
	if _, err := factsql.LockNumbered(m.tx, d.Walked, []int64{doc}); err != nil {
		return err
	}
	_, err := factsql.SetUnique(m.tx, d.Unique, doc)
	return err
}

// pictures notes which pictures a document refers to.
func (m mender) pictures(c *plan.Collection, doc int64) error {
	if _, err := factsql.LockNumbered(m.tx, c, []int64{doc}); err != nil {
		return err
	}
	return picturesql.MendPictures(m.tx, doc)
}

// holding gives a document the kept values of its collection, no more.
func (m mender) holding(c *plan.Collection, found auditsql.Drift) error {
	docs, err := factsql.LockNumbered(m.tx, c, []int64{found.Doc})
	if err != nil {
		return err
	}
	if len(docs) == 0 {
		return auditsql.DropKept(m.tx, found.Doc)
	}
	if err := auditsql.HoldKept(m.tx, c, found.Doc, keptNames(c)); err != nil {
		return err
	}
	for _, d := range m.Plan.Duplicates() {
		if d.Walked != c || !slices.Contains(keptAspects, d.Kind) {
			continue
		}
		if err := m.kept(d, found.Doc); err != nil {
			return err
		}
	}
	return nil
}

var keptAspects = []plan.Aspect{plan.AspectCount, plan.AspectSum, plan.AspectCopy, plan.AspectFrozen, plan.AspectChoice}

// kept works a kept value of one document out anew, and has what is built on it
// looked at.
func (m mender) kept(d plan.Duplicate, doc int64) error {
	if err := m.writeKept(d, doc); err != nil {
		return err
	}
	_, name, _ := strings.Cut(d.Name, ".")
	return queuesql.AppendDue(m.tx, m.change, d.Walked.KeptChanged(name, doc))
}

func (m mender) writeKept(d plan.Duplicate, doc int64) error {
	if err := keptsql.LockKept(m.tx, []int64{doc}); err != nil {
		return err
	}
	switch d.Kind {
	case plan.AspectFrozen:
		return auditsql.MendFrozen(m.tx, d.Copy, doc)
	case plan.AspectCopy:
		_, err := keptsql.Recopy(m.tx, d.Copy, []int64{doc})
		return err
	case plan.AspectChoice:
		_, err := upkeep.Rechoose(m.tx, d.Summary, []int64{doc})
		return err
	case plan.AspectCount:
		return auditsql.MendCount(m.tx, d.Count, doc)
	}
	return auditsql.MendSum(m.tx, d.Summary, doc)
}

// contribution brings one contribution in line with its source. The sum was
// kept by what changed, so it does not move; if it is wrong the next round
// finds it.
func (m mender) contribution(s *plan.Summary, found auditsql.Drift) error {
	if err := keptsql.LockSummary(m.tx, s.Number); err != nil {
		return err
	}
	link := keptsql.Link{Source: found.Doc, Target: found.Other}
	is, err := upkeep.Contributions(m.tx, s, []keptsql.Link{link})
	if err != nil {
		return err
	}
	var put []keptsql.Contribution
	if value := is[link]; value != nil {
		put = []keptsql.Contribution{{Link: link, Value: upkeep.Decimal(value)}}
	}
	return keptsql.Contribute(m.tx, s.Number, []keptsql.Link{link}, put)
}

// entry puts an entry into a timeline or takes it out, or both, as the facts
// stand.
func (m mender) entry(t *plan.Timeline, found auditsql.Drift) error {
	if found.Kind == auditsql.Short {
		return queuesql.AppendDue(m.tx, m.change, []plan.Work{plan.RefillOf(t.Number, found.Doc)})
	}
	entries, err := entriesIn(found)
	if err != nil {
		return err
	}
	slices.SortFunc(entries, func(a, b entryFound) int { return int(a.Author - b.Author) })
	for i, e := range entries {
		if i > 0 && e.Author == entries[i-1].Author {
			continue
		}
		if err := m.tx.LockAuthor(t.Number, e.Author); err != nil {
			return err
		}
	}
	for _, e := range entries {
		if err := auditsql.MendEntry(m.tx, t, found.Doc, e.Author, e.Rank, found.Other); err != nil {
			return err
		}
	}
	return nil
}
