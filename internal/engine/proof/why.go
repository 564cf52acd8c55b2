package proof

import (
	"context"
	"fmt"
	"slices"
	"strings"
	"time"

	"yalvo/internal/design/plan"
	"yalvo/internal/engine/running"
	"yalvo/internal/engine/store"
	"yalvo/internal/engine/store/auditsql"
	"yalvo/internal/engine/store/factsql"
	"yalvo/internal/engine/store/rulesql"
	"yalvo/internal/engine/store/timelinesql"
)

// Why is the answer to the question why an entry is in a timeline or not.
type Why struct {
	Timeline string   `json:"timeline"`
	Owner    string   `json:"owner"` // a path
	Entry    string   `json:"entry"` // a path
	There    bool     `json:"there"` // it is among what a reader of the timeline gets
	Because  string   `json:"because"`
	Reasons  []Reason `json:"reasons"`
}

// Reason is one fact that bears on it, with its time as far as that is known.
type Reason struct {
	Code   string     `json:"code"`
	Holds  bool       `json:"holds"` // it speaks for the entry
	Says   string     `json:"says"`
	Since  *time.Time `json:"since,omitempty"`
	Change int64      `json:"change,omitempty"` // its place in the journal
	As     string     `json:"as,omitempty"`     // who asked for that change
}

// The codes of reasons.
const (
	ReasonPosted    = "posted"     // the post exists
	ReasonRemoved   = "removed"    // it was removed
	ReasonNever     = "never"      // it never existed
	ReasonNoAuthor  = "no-author"  // it points at no author
	ReasonOwn       = "own"        // the owner wrote it
	ReasonFollowed  = "paired"     // the owner is paired with its author
	ReasonNot       = "not-paired" // the owner is not
	ReasonBarred    = "barred"     // another pair keeps it out
	ReasonUnmet     = "unmet"      // the timeline asks more of it, or of the pair
	ReasonLength    = "length"     // it lies beyond the timeline's length
	ReasonStored    = "stored"     // the entry is stored
	ReasonNotStored = "not-stored" // it is not
	ReasonCollected = "collected"  // it is collected when the timeline is read
	ReasonDue       = "due"        // work that concerns it is not done yet
	ReasonParked    = "parked"     // work that concerns it has failed
)

// inquiry gathers reasons.
type inquiry struct {
	prover  *Prover
	version *running.Version
	ctx     context.Context
	why     Why
}

func (q *inquiry) add(code string, holds bool, since *time.Time, says string, args ...any) *Reason {
	q.why.Reasons = append(q.why.Reasons, Reason{Code: code, Holds: holds, Says: fmt.Sprintf(says, args...),
		Since: since})
	return &q.why.Reasons[len(q.why.Reasons)-1]
}

// WhyEntry says why an entry is in an owner's timeline, or why not.
func (p *Prover) WhyEntry(ctx context.Context, timeline, owner, path string) (Why, error) {
	v, err := p.Now(ctx)
	if err != nil {
		return Why{}, err
	}
	t, err := v.Readable(timeline)
	if err != nil {
		return Why{}, err
	}
	c, key, err := v.Locate(path)
	if err != nil {
		return Why{}, err
	}
	if c != t.Entries {
		return Why{}, running.Refuse(running.CodeInvalid, "the entries of %q are documents of %q, and %s is one of %q",
			t.Name, t.Entries.Name, path, c.Name)
	}
	n, err := p.Number(ctx, t.Owner, owner)
	if err != nil {
		return Why{}, err
	}
	q := &inquiry{prover: p, version: v, ctx: ctx,
		why: Why{Timeline: t.Name, Owner: t.Owner.Path(owner), Entry: c.Path(key), Reasons: []Reason{}}}
	doc, found, err := factsql.Document(p.Store.Looking(ctx), c, key)
	if err != nil {
		return Why{}, err
	}
	if !found {
		return q.why, q.absent(c.Path(key))
	}
	return q.why, q.present(t, n, owner, doc)
}

// absent looks for the removal of a document that is not there.
func (q *inquiry) absent(path string) error {
	history, err := factsql.About(q.prover.Store.Looking(q.ctx), path, 1)
	if err != nil {
		return err
	}
	if len(history) == 0 || history[0].Kind != plan.Removed {
		q.add(ReasonNever, false, nil, "%s was never written", path)
		q.why.Because = "there is no such document"
		return nil
	}
	last := history[0]
	reason := q.add(ReasonRemoved, false, &last.At, "%s was removed", path)
	reason.Change, reason.As = last.Seq, last.Actor
	if last.Cause != 0 {
		reason.Says = fmt.Sprintf("%s was removed as a consequence of change %d", path, last.Cause)
	}
	q.why.Because = "the document was removed"
	return nil
}

func (q *inquiry) present(t *plan.Timeline, owner int64, ownerKey string, doc store.Document) error {
	author, err := auditsql.PointsAt(q.ctx, q.prover.Store, t.By.Number, doc.N)
	if err != nil {
		return err
	}
	keys, err := factsql.Keys(q.ctx, q.prover.Store, []int64{author})
	if err != nil {
		return err
	}
	if keys[author] == "" {
		q.add(ReasonNoAuthor, false, nil, "its %s points at no document", t.By.Name)
		q.why.Because = "it has no " + t.By.Name
		return nil
	}
	by := t.By.To.Path(keys[author])
	created := doc.Created
	q.add(ReasonPosted, true, &created, "posted by %s", by)
	entitled, err := q.entitled(t, owner, author, ownerKey, keys[author])
	if err != nil {
		return err
	}
	if doc.Ranks[slices.Index(t.Entries.EntersInto, t)] == plan.NoRank {
		q.add(ReasonUnmet, false, &doc.Updated, "%s asks that %s, which does not hold of it", t.Name, t.Where.Text())
		q.why.Because, entitled = "it does not meet what the timeline asks of its entries", false
	}
	return q.conclude(t, owner, author, doc, entitled)
}

// entitled looks at the pairs between the owner and the author.
func (q *inquiry) entitled(t *plan.Timeline, owner, author int64, ownerKey, authorKey string) (bool, error) {
	if t.Own && owner == author {
		q.add(ReasonOwn, true, nil, "the owner wrote it, and %s has one's own", t.Name)
		q.why.Because = "it is the owner's own"
		return true, nil
	}
	follows, err := q.pair(t.Through, owner, author, ownerKey, authorKey, true)
	if err != nil {
		return false, err
	}
	met := true
	if follows && t.While != nil {
		if met, err = rulesql.Ties(q.ctx, q.prover.Store, t, owner, author); err != nil {
			return false, err
		}
	}
	if !met {
		q.add(ReasonUnmet, false, nil, "%s asks that %s, which does not hold of this %s", t.Name, t.While.Text(),
			t.Through.Name)
	}
	excluded, err := q.exclusions(t, owner, author, ownerKey, authorKey)
	if err != nil {
		return false, err
	}
	barred := strings.Join(excluded, " and a ")
	switch {
	case !follows && barred != "":
		q.why.Because = fmt.Sprintf("there is no %s from the owner to the author, and a %s would keep it out",
			t.Through.Name, barred)
	case !follows:
		q.why.Because = fmt.Sprintf("there is no %s from the owner to the author", t.Through.Name)
	case barred != "":
		q.why.Because = fmt.Sprintf("a %s keeps it out", barred)
	case !met:
		q.why.Because = fmt.Sprintf("the %s from the owner to the author does not meet what the timeline asks of it",
			t.Through.Name)
	default:
		q.why.Because = fmt.Sprintf("there is a %s from the owner to the author", t.Through.Name)
	}
	return follows && met && barred == "", nil
}

// pair tells whether a pair stands, as a reason for or against.
func (q *inquiry) pair(p *plan.Pair, a, b int64, aKey, bKey string, speaksFor bool) (bool, error) {
	stands, set, err := factsql.Pair(q.ctx, q.prover.Store, p, a, b)
	if err != nil {
		return false, err
	}
	history, err := factsql.AboutPair(q.prover.Store.Looking(q.ctx), p.Name, running.EndsOf(p, aKey, bKey), 1)
	if err != nil {
		return false, err
	}
	var reason *Reason
	switch {
	case set && speaksFor:
		reason = q.add(ReasonFollowed, true, &stands.At, "%s: %s", p.Name, running.EndsOf(p, aKey, bKey))
	case set:
		reason = q.add(ReasonBarred, false, &stands.At, "%s: %s", p.Name, running.EndsOf(p, aKey, bKey))
	case speaksFor && len(history) > 0 && history[0].Kind == plan.Unset:
		reason = q.add(ReasonNot, false, &history[0].At, "%s: %s was unset", p.Name, running.EndsOf(p, aKey, bKey))
	case speaksFor:
		q.add(ReasonNot, false, nil, "%s: %s was never set", p.Name, running.EndsOf(p, aKey, bKey))
	}
	if reason != nil && len(history) > 0 {
		reason.Change, reason.As = history[0].Seq, history[0].Actor
		if history[0].Cause != 0 {
			reason.Says += fmt.Sprintf(", as a consequence of change %d", history[0].Cause)
		}
	}
	return set, nil
}

// exclusions are the kinds of the pairs that keep an author's entries from an owner.
func (q *inquiry) exclusions(t *plan.Timeline, owner, author int64, ownerKey, authorKey string) ([]string, error) {
	var names []string
	for _, exclusion := range t.Exclusions {
		is, err := q.pair(exclusion.Pair, owner, author, ownerKey, authorKey, false)
		other := false
		if err == nil && exclusion.EitherWay {
			other, err = q.pair(exclusion.Pair, author, owner, authorKey, ownerKey, false)
		}
		if err != nil {
			return nil, err
		}
		if is || other {
			names = append(names, exclusion.Name)
		}
	}
	return names, nil
}

// conclude compares what the facts say with what is stored and still due.
func (q *inquiry) conclude(t *plan.Timeline, owner, author int64, doc store.Document, entitled bool) error {
	rank := doc.Ranks[slices.Index(t.Entries.EntersInto, t)]
	stored, is, err := auditsql.FindEntry(q.ctx, q.prover.Store, t.Number, owner, doc.N)
	if err != nil {
		return err
	}
	below, err := auditsql.Below(q.ctx, q.prover.Store, t.Number, owner, rank, doc.N)
	if err != nil {
		return err
	}
	due, err := auditsql.OutstandingForEntry(q.ctx, q.prover.Store, t, owner, author, doc.N)
	if err != nil {
		return err
	}
	collected, newer, err := timelinesql.Collects(q.ctx, q.prover.Store, t, owner, author, rank, doc.N)
	if err != nil {
		return err
	}
	collected = collected && rank != plan.NoRank
	switch {
	case collected && newer < int64(t.Length):
		q.why.There = true
		q.add(ReasonCollected, true, nil, "collected from its %s when the timeline is read, with %d newer ones "+
			"before it", t.By.Name, newer)
	case collected:
		q.add(ReasonLength, false, nil, "the timeline holds %d entries, and there are as many newer ones", t.Length)
		q.why.Because = "it lies beyond the timeline's length"
	case is && stored.Newer >= int64(t.Length), !is && entitled && below:
		q.add(ReasonLength, false, nil, "the timeline holds %d entries, and there are as many newer ones", t.Length)
		q.why.Because = "it lies beyond the timeline's length"
	case is:
		q.why.There = true
		q.add(ReasonStored, true, nil, "stored, with %d newer ones before it", stored.Newer)
	default:
		q.add(ReasonNotStored, false, nil, "not stored")
	}
	q.due(due)
	switch {
	case len(due) > 0 && q.why.There != entitled:
		q.why.Because += ", and work on it is still due"
	case q.why.There && !entitled:
		q.why.Because += ", yet it is stored: this is drift, `yalvo audit` finds it"
	case !q.why.There && entitled && !is && !below && !collected:
		q.why.Because += ", yet it is not stored: this is drift, `yalvo audit` finds it"
	}
	return nil
}

func (q *inquiry) due(work []auditsql.Outstanding) {
	for _, w := range work {
		since := w.Since
		code, says := ReasonDue, "still due: "
		if w.Parked {
			code, says = ReasonParked, "parked after it failed: "
		}
		says += q.version.Plan.InWords(plan.WorkKind{Step: w.Step, Subject: w.Subject})
		if w.Error != "" {
			says += ": " + w.Error
		}
		q.add(code, false, &since, "%s", says).Change = w.Change
	}
}
