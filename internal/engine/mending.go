package engine

import (
	"context"
	"encoding/json"
	"slices"
	"strings"

	"yalvo/internal/plan"
	"yalvo/internal/store"
)

// Mend has an audit that has finished go on: it repairs what it found, each
// from the facts as they then are, and looks at it again.
func (e *Engine) Mend(ctx context.Context, id int64) (store.Audit, error) {
	a, err := e.AuditState(ctx, id)
	if err != nil {
		return a, err
	}
	begun, err := e.store.BeginMending(ctx, id)
	if err != nil {
		return a, err
	}
	if !begun {
		return a, refuse(CodeConflict, "audit %d is %s: what it finds can be mended when it has finished", id, a.State)
	}
	e.wakeAuditor()
	return e.AuditState(ctx, id)
}

// mendSome mends one thing that an audit found and goes on after it. One
// transaction holds the locks of one thing only.
func (e *Engine) mendSome(ctx context.Context, r *running, tx *store.Tx) error {
	a, there, err := tx.ClaimAudit()
	if err != nil || !there || a.Step < a.Steps {
		return err
	}
	left, err := tx.DriftOf(a.ID, a.Reached, true, 1)
	if err != nil {
		return err
	}
	if len(left) == 0 {
		return endAudit(tx, &a)
	}
	found := left[0]
	if d, there := r.plan.Duplicate(found.Aspect, found.Name); there { // else it was found under a design that is no longer in force
		if err := r.mend(tx, d, found); err != nil {
			return err
		}
		if err := r.lookAgain(tx, a.ID, d, found); err != nil {
			return err
		}
	}
	a.Reached = found.Seq
	e.wakeAll()
	return tx.SaveAudit(a)
}

// lookAgain audits one thing once more and notes that it is mended, if it is.
func (r *running) lookAgain(tx *store.Tx, audit int64, d plan.Duplicate, found store.Drift) error {
	still, _, err := r.check(tx, d, store.Span{After: found.Doc - 1, UpTo: found.Doc})
	if err != nil {
		return err
	}
	if slices.ContainsFunc(still, func(s store.Drift) bool { return s.Doc == found.Doc && s.Other == found.Other && s.Kind == found.Kind }) {
		return nil
	}
	return tx.MarkMended(audit, found.Seq)
}

// mend repairs one thing. Each way takes the locks that upkeep of the same
// thing takes, and then looks at the facts anew.
func (r *running) mend(tx *store.Tx, d plan.Duplicate, found store.Drift) error {
	switch d.Kind {
	case plan.Pointing:
		return r.mendReference(tx, d.Reference, found)
	case plan.Taken:
		return mendUnique(tx, d.Unique, found.Doc)
	case plan.Paired:
		return tx.DropPair(d.Pair.Number, found.Other, found.Doc)
	case plan.Lying:
		return tx.AppendDue(0, []plan.Work{{Step: plan.EndNested, Subject: d.Walked.Number, Doc: found.Other}})
	case plan.Holding:
		return r.mendHolding(tx, d.Walked, found)
	case plan.Posted:
		return tx.MendPosted(d.Timeline, found.Doc, found.Other)
	case plan.Weighed:
		return mendContribution(tx, d.Summary, found)
	case plan.Entered:
		return mendEntry(tx, d.Timeline, found)
	}
	return mendKept(tx, d, found.Doc)
}

// mendReference points the index where the document's field says. One that
// points at nothing comes to the end the design has for that.
func (r *running) mendReference(tx *store.Tx, ref *plan.Reference, found store.Drift) error {
	docs, err := tx.LockNumbered([]int64{found.Doc})
	if err != nil {
		return err
	}
	if len(docs) == 0 {
		return tx.SetPointers(found.Doc, map[plan.Number]int64{ref.Number: 0})
	}
	if found.Kind == "dangling" && found.Other != 0 {
		if ref.WhenGone == "refuse" {
			return nil // the design says that this cannot be: a person decides
		}
		return tx.AppendDue(0, []plan.Work{{Step: plan.EndReference, Subject: ref.Number, Doc: found.Other}})
	}
	fields, err := decodeFields(docs[0].Fields)
	if err != nil {
		return err
	}
	key, _ := fields[ref.Name].(string)
	at := store.Address{Collection: ref.To.Number, Key: key}
	targets, err := tx.LockTargets([]store.Address{at}, store.Existing)
	if err != nil {
		return err
	}
	return tx.SetPointers(found.Doc, map[plan.Number]int64{ref.Number: targets[at].N})
}

func mendUnique(tx *store.Tx, u *plan.Unique, doc int64) error {
	docs, err := tx.LockNumbered([]int64{doc})
	if err != nil {
		return err
	}
	if err := tx.ReleaseUnique(u.Number, doc); err != nil || len(docs) == 0 {
		return err
	}
	fields, err := decodeFields(docs[0].Fields)
	if err != nil || fields[u.Name] == nil {
		return err
	}
	_, err = tx.ClaimUnique(u.Number, asText(fields[u.Name]), doc) // taken by another: it stays, and is told again
	return err
}

func asText(v any) string {
	if n, is := v.(json.Number); is {
		return n.String()
	}
	s, _ := v.(string)
	return s
}

// mendHolding gives a document the kept values of its collection, no more.
func (r *running) mendHolding(tx *store.Tx, c *plan.Collection, found store.Drift) error {
	docs, err := tx.LockNumbered([]int64{found.Doc})
	if err != nil {
		return err
	}
	if len(docs) == 0 {
		return tx.DropKept(found.Doc)
	}
	if err := tx.HoldKept(found.Doc, keptNames(c)); err != nil {
		return err
	}
	for _, d := range r.plan.Duplicates() {
		if d.Walked != c || !slices.Contains([]plan.Aspect{plan.Counted, plan.Summed, plan.Copied, plan.Frozen, plan.ChosenFrom}, d.Kind) {
			continue
		}
		if err := mendKept(tx, d, found.Doc); err != nil {
			return err
		}
	}
	return nil
}

// mendKept works a kept value of one document out anew, and has what is built
// on it looked at.
func mendKept(tx *store.Tx, d plan.Duplicate, doc int64) error {
	if err := writeKept(tx, d, doc); err != nil {
		return err
	}
	_, name, _ := strings.Cut(d.Name, ".")
	return tx.AppendDue(0, d.Walked.KeptChanged(name, doc))
}

func writeKept(tx *store.Tx, d plan.Duplicate, doc int64) error {
	if err := tx.LockKept([]int64{doc}); err != nil {
		return err
	}
	switch d.Kind {
	case plan.Frozen:
		return tx.MendFrozen(d.Copy, doc)
	case plan.Copied:
		_, err := tx.Recopy(d.Copy, []int64{doc})
		return err
	case plan.ChosenFrom:
		_, err := rechoose(tx, d.Summary, []int64{doc})
		return err
	case plan.Counted:
		return tx.MendCount(d.Count, doc)
	}
	return tx.MendSum(d.Summary, doc)
}

// mendContribution brings one contribution in line with its source. The sum
// was kept by what changed, so it does not move.
func mendContribution(tx *store.Tx, s *plan.Summary, found store.Drift) error {
	if err := tx.LockSummary(s.Number); err != nil {
		return err
	}
	link := store.Link{Source: found.Doc, Target: found.Other}
	is, err := contributions(tx, s, []store.Link{link})
	if err != nil {
		return err
	}
	var put []store.Contribution
	if value := is[link]; value != nil {
		put = []store.Contribution{{Link: link, Value: decimal(value)}}
	}
	return tx.Contribute(s.Number, []store.Link{link}, put)
}

func mendEntry(tx *store.Tx, t *plan.Timeline, found store.Drift) error {
	if found.Kind == "short" {
		return tx.AppendDue(0, []plan.Work{{Step: plan.Refill, Subject: t.Number, Doc: found.Doc}})
	}
	author, err := authorOf(found)
	if err != nil {
		return err
	}
	if err := tx.Lock(store.AuthorLock(t.Number, author)); err != nil {
		return err
	}
	rank, err := rankFound(found)
	if err != nil {
		return err
	}
	return tx.MendEntry(t, found.Doc, author, rank, found.Other)
}

// entryFound is what an audit notes of an entry.
type entryFound struct {
	Rank   int64 `json:"rank"`
	Author int64 `json:"author"`
}

func entryOf(found store.Drift) (entryFound, error) {
	raw := found.Stored
	if found.Kind == "missing" {
		raw = found.Expected
	}
	var e entryFound
	if len(raw) == 0 {
		return e, nil
	}
	return e, json.Unmarshal(raw, &e)
}

func authorOf(found store.Drift) (int64, error) {
	e, err := entryOf(found)
	return e.Author, err
}

func rankFound(found store.Drift) (int64, error) {
	e, err := entryOf(found)
	return e.Rank, err
}
