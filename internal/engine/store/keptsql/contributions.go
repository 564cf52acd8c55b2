package keptsql

import (
	"encoding/json"
	"time"

	"yalvo/internal/design/plan"
	"yalvo/internal/engine/store"
)

// Source is something that may contribute to a summary, as the facts have it.
type Source struct {
	Source int64
	Target int64 // 0: it contributes to nothing
	At     time.Time
	Shape  int             // of a document: the form of its fields
	Fields json.RawMessage // of a document its own, of a pair the pair's
	Kept   json.RawMessage
}

// LockSummary keeps everyone else from changing a summary's contributions until
// the transaction ends. Whoever changes them holds it and looks at the facts
// after taking it: whichever of two runs last has seen what the other saw.
func LockSummary(tx *store.Tx, summary plan.Number) error { return tx.Lock(summaryLock(summary)) }

// TryLockSummary is the same if nobody holds it, else false.
func TryLockSummary(tx *store.Tx, summary plan.Number) (bool, error) {
	held, err := tx.TryLocks(summaryLock(summary))
	return len(held) > 0, err
}

func summaryLock(summary plan.Number) int64 { return int64(summary) << 48 }

// SourceDocuments are documents that are sources, with what they point at or lie under; those that
// are gone are missing. Keys: documents (n), refs (source, reference).
func SourceDocuments(tx *store.Tx, s *plan.Summary, docs []int64) ([]Source, error) {
	target, join, args := "coalesce(d.parent, 0)", "", []any{}
	if s.Via != nil {
		target, join = "r.target", "JOIN refs r ON r.source = d.n AND r.reference = ?"
		args = append(args, s.Via.Number)
	}
	var found []Source
	err := tx.DB.Raw(`
		SELECT d.n AS source, `+target+` AS target, d.created AS at, coalesce(d.shape, 0) AS shape, d.fields,
			coalesce(k.values, '{}') AS kept
		FROM documents d `+join+` LEFT JOIN kept k ON k.doc = d.n
		WHERE d.n = ANY(?::bigint[])`, append(args, store.Bigints(docs))...).Scan(&found).Error
	for i, f := range found {
		if f.Shape != s.Sources.Shape && s.Sources.Upcast != nil {
			found[i].Fields = s.Sources.Upcast(f.Fields, f.At)
		}
	}
	return found, err
}

// Link is a pair seen from a summary: the other end, and the document that
// holds the summary.
type Link struct{ Source, Target int64 }

// SourcePairs are the pairs among some links that stand. Key: pairs (kind, b, a).
func SourcePairs(tx *store.Tx, s *plan.Summary, links []Link) ([]Source, error) {
	a, b := "l.source", "l.target"
	if s.Side == "from" {
		a, b = b, a
	}
	sources, targets := linkArgs(links)
	var found []Source
	err := tx.DB.Raw(`
		SELECT l.source, l.target, p.at, `+store.StoredFields(s.Pair)+` AS fields
		FROM unnest(?::bigint[], ?::bigint[]) AS l (source, target)
		JOIN pairs p ON p.kind = ? AND p.b = `+b+` AND p.a = `+a, sources, targets, s.Pair.Number).Scan(&found).Error
	UpcastSources(s.Pair, found)
	return found, err
}

// UpcastSources brings pairs' own fields to the form of the design in force.
func UpcastSources(p *plan.Pair, sources []Source) {
	for i := range sources {
		sources[i].Fields = store.UpcastFields(p, sources[i].Fields)
	}
}

func linkArgs(links []Link) (sources, targets store.Bigints) {
	for _, l := range links {
		sources, targets = append(sources, l.Source), append(targets, l.Target)
	}
	return sources, targets
}

// Contribution is what a source adds to the summary of a target.
type Contribution struct {
	Link
	Value string // decimal
}

// ContributionsOf are those of some sources. Key: contributions (summary, source, ...).
func ContributionsOf(tx *store.Tx, summary plan.Number, sources []int64) ([]Contribution, error) {
	var found []Contribution
	err := tx.DB.Raw("SELECT source, target, value::text AS value FROM contributions WHERE summary = ? AND source = "+
		"ANY(?::bigint[])",
		summary, store.Bigints(sources)).Scan(&found).Error
	return found, err
}

// ContributionsAt are those of some links.
func ContributionsAt(tx *store.Tx, summary plan.Number, links []Link) ([]Contribution, error) {
	sources, targets := linkArgs(links)
	var found []Contribution
	err := tx.DB.Raw(`
		SELECT c.source, c.target, c.value::text AS value
		FROM unnest(?::bigint[], ?::bigint[]) AS l (source, target)
		JOIN contributions c ON c.summary = ? AND c.source = l.source AND c.target = l.target`, sources, targets,
		summary).Scan(&found).Error
	return found, err
}

// Contribute drops some contributions of a locked summary and puts others.
func Contribute(tx *store.Tx, summary plan.Number, drop []Link, put []Contribution) error {
	if len(drop) > 0 {
		sources, targets := linkArgs(drop)
		err := tx.DB.Exec(`
			DELETE FROM contributions c USING unnest(?::bigint[], ?::bigint[]) AS l (source, target)
			WHERE c.summary = ? AND c.source = l.source AND c.target = l.target`, sources, targets, summary).Error
		if err != nil {
			return err
		}
	}
	if len(put) == 0 {
		return nil
	}
	n := len(put)
	sources, targets, values := make(store.Bigints, n), make(store.Bigints, n), make(store.Texts, n)
	for i, c := range put {
		sources[i], targets[i], values[i] = c.Source, c.Target, c.Value
	}
	return tx.DB.Exec(`
		INSERT INTO contributions (summary, source, target, value)
		SELECT ?, new.* FROM unnest(?::bigint[], ?::bigint[], ?::numeric[]) AS new
		ON CONFLICT (summary, source, target) DO UPDATE SET value = excluded.value`, summary, sources, targets,
		values).Error
}

// Chosen is a contribution that a target's summary is made of.
type Chosen struct {
	Target int64
	Source int64
	Value  string // decimal
	Key    string // the source's, empty if it is gone
	Fields json.RawMessage
	Kept   json.RawMessage
}

// Choose are the greatest contributions to each target (of a min, the least),
// greatest first, as many as are stored. Index: contributions_to.
func Choose(tx *store.Tx, s *plan.Summary, targets []int64) ([]Chosen, error) {
	order, many := "DESC", s.Stored()
	switch s.Kind {
	case "min":
		order, many = "ASC", 1
	case "max":
		many = 1
	}
	var found []Chosen
	err := tx.DB.Raw(`
		SELECT t.target, x.source, trim_scale(x.value)::text AS value, coalesce(d.key, '') AS key,
		       coalesce(d.fields, '{}') AS fields, coalesce(k.values, '{}') AS kept
		FROM unnest(?::bigint[]) AS t (target)
		CROSS JOIN LATERAL (
			SELECT source, value FROM contributions
			WHERE summary = ? AND target = t.target
			ORDER BY value `+order+`, source `+order+`
			LIMIT ?
		) x
		LEFT JOIN documents d ON d.n = x.source
		LEFT JOIN kept k ON k.doc = x.source
		ORDER BY t.target, x.value `+order+`, x.source `+order,
		store.Bigints(targets), s.Number, many).Scan(&found).Error
	return found, err
}

// TargetsOf are the documents a source contributes to, in ascending order,
// after a given one. Key: contributions (summary, source, target).
func TargetsOf(tx *store.Tx, summary plan.Number, source, after int64, limit int) ([]int64, error) {
	var targets []int64
	err := tx.DB.Raw("SELECT target FROM contributions WHERE summary = ? AND source = ? AND target > ? ORDER BY "+
		"target LIMIT ?",
		summary, source, after, limit).Scan(&targets).Error
	return targets, err
}
