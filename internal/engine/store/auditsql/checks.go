package auditsql

import (
	"encoding/json"
	"math"
	"slices"
	"time"

	"yalvo/internal/design/plan"
	"yalvo/internal/engine/store"
	"yalvo/internal/engine/store/factsql"
	"yalvo/internal/engine/store/keptsql"
	"yalvo/internal/engine/store/timelinesql"
)

// Span finds the next documents of a collection: their number, and a span
// that ends with them; past the last one it has no end.
func Span(tx *store.Tx, collection plan.Number, after int64, limit int) (store.Span, int64, error) {
	var row struct {
		Last int64
		Many int64
	}
	err := tx.DB.Raw(`
		SELECT coalesce(max(n), 0) AS last, count(*) AS many
		FROM (SELECT n FROM documents WHERE n > ? AND collection = ? ORDER BY n LIMIT ?) d`, after, collection,
		limit).Scan(&row).Error
	if row.Many < int64(limit) {
		row.Last = math.MaxInt64
	}
	return store.Span{After: after, UpTo: row.Last}, row.Many, err
}

// In are the documents of a collection in a span.
func In(tx *store.Tx, collection plan.Number, s store.Span) ([]int64, error) {
	var ns []int64
	err := tx.DB.Raw("SELECT n FROM documents WHERE n > ? AND n <= ? AND collection = ? ORDER BY n", s.After, s.UpTo,
		collection).Scan(&ns).Error
	return ns, err
}

// Differing runs a statement of a check: its rows are what differs.
func Differing(tx *store.Tx, sql string, args ...any) ([]Drift, error) {
	var found []Drift
	err := tx.DB.Raw(sql, args...).Scan(&found).Error
	return found, err
}

// CheckReferences compares where a reference points, as its document's fields
// say, with the index that is asked from both ends; and finds those that point
// at nothing though the design does not leave them so. A target that is gone is
// excused while its end is due.
func CheckReferences(tx *store.Tx, r *plan.Reference, s store.Span) ([]Drift, error) {
	return Differing(tx, `
		SELECT d.n AS doc, coalesce(r.target, 0) AS other, coalesce(t.n, 0) AS meant,
		       CASE WHEN w.key IS NULL THEN 'surplus'
		            WHEN r.source IS NULL AND t.n IS NOT NULL THEN 'missing'
		            WHEN at.n IS NULL THEN 'dangling'
		            ELSE 'different' END AS kind,
		       to_jsonb(coalesce(at.key, CASE WHEN r.target IS NOT NULL THEN w.key END)) AS stored,
			to_jsonb(w.key) AS expected
		FROM documents d
		CROSS JOIN LATERAL (SELECT d.fields ->> ?::text AS key) w
		LEFT JOIN refs r ON r.source = d.n AND r.reference = ?
		LEFT JOIN documents at ON at.n = r.target
		LEFT JOIN documents t ON t.collection = ? AND t.key = w.key
		WHERE d.n > ? AND d.n <= ? AND d.collection = ?
		  AND (w.key IS NOT NULL OR r.source IS NOT NULL)
		  AND (r.target IS DISTINCT FROM t.n OR t.n IS NULL)
		  AND NOT (at.n IS NULL AND w.key IS NOT NULL AND (?::text = 'leave' AND (r.source IS NOT NULL OR t.n IS NULL)
		      OR EXISTS (SELECT 1 FROM outstanding o WHERE o.lane = 4 AND o.step = ? AND o.subject = ?
			AND o.doc = r.target)))
		UNION ALL
		SELECT r.source, r.target, 0, 'surplus', NULL, NULL
		FROM refs r
		WHERE r.source > ? AND r.source <= ? AND r.reference = ?
		  AND NOT EXISTS (SELECT 1 FROM documents d WHERE d.n = r.source AND d.collection = ?)`,
		r.Name, r.Number, r.To.Number, s.After, s.UpTo, r.In.Number, string(r.WhenGone), plan.EndReference, r.Number,
		s.After, s.UpTo, r.Number, r.In.Number)
}

// CheckUniques compares the values of a unique field with those noted as taken.
func CheckUniques(tx *store.Tx, u *plan.Unique, in plan.Number, s store.Span) ([]Drift, error) {
	return Differing(tx, `
		SELECT d.n AS doc, 0 AS other,
		       CASE WHEN u.doc IS NULL THEN 'missing' WHEN w.value IS NULL
			OR twice.many > 1 THEN 'surplus' ELSE 'different' END AS kind,
		       to_jsonb(u.value) AS stored, to_jsonb(w.value) AS expected
		FROM documents d
		CROSS JOIN LATERAL (SELECT d.fields ->> ?::text AS value) w
		LEFT JOIN uniques u ON u.doc = d.n AND u.field = ?
		CROSS JOIN LATERAL (SELECT count(*) AS many FROM uniques x WHERE x.doc = d.n AND x.field = ?) twice
		WHERE d.n > ? AND d.n <= ? AND d.collection = ? AND u.value IS DISTINCT FROM w.value
		UNION ALL
		SELECT u.doc, 0, 'surplus', to_jsonb(u.value), NULL
		FROM uniques u
		WHERE u.doc > ? AND u.doc <= ? AND u.field = ? AND NOT EXISTS (SELECT 1 FROM documents d WHERE d.n = u.doc)`,
		u.Name, u.Number, u.Number, s.After, s.UpTo, in, s.After, s.UpTo, u.Number)
}

// CheckPairs finds pairs of which an end does not exist. Key: pairs (kind, b, a).
func CheckPairs(tx *store.Tx, p *plan.Pair, s store.Span) ([]Drift, error) {
	return Differing(tx, `
		SELECT p.b AS doc, p.a AS other, 'dangling' AS kind
		FROM pairs p
		WHERE p.kind = ? AND p.b > ? AND p.b <= ?
		  AND (NOT EXISTS (SELECT 1 FROM documents d WHERE d.n = p.b)
		       AND NOT EXISTS (SELECT 1 FROM outstanding o WHERE o.lane = 4 AND o.step = ? AND o.subject = p.kind
			AND o.doc = p.b)
		    OR NOT EXISTS (SELECT 1 FROM documents d WHERE d.n = p.a)
		       AND NOT EXISTS (SELECT 1 FROM outstanding o WHERE o.lane = 4 AND o.step = ? AND o.subject = p.kind
			AND o.doc = p.a))`,
		p.Number, s.After, s.UpTo, plan.EndTo, plan.EndFrom)
}

// CheckApart finds pairs that stand though one of another kind was set between the same two after them, and since a
// moment, which ends them. Keys: pairs (kind, b, a), pairs_from.
func CheckApart(tx *store.Tx, p, by *plan.Pair, since time.Time, s store.Span) ([]Drift, error) {
	same, reversed := by.EndsWith(p.Pair)
	var found []Drift
	for _, way := range []struct {
		is   bool
		b, a string // of what ends it
	}{{same, "p.b", "p.a"}, {reversed, "p.a", "p.b"}} {
		if !way.is {
			continue
		}
		some, err := Differing(tx, `
			SELECT p.b AS doc, p.a AS other, 'surplus' AS kind, to_jsonb(p.at) AS stored,
				jsonb_build_object('ended', x.at) AS expected
			FROM pairs x JOIN pairs p ON p.kind = ? AND x.b = `+way.b+` AND x.a = `+way.a+`
			WHERE x.kind = ? AND x.at > ? AND x.at > p.at AND p.b > ? AND p.b <= ?`, p.Number, by.Number, since,
			s.After, s.UpTo)
		if err != nil {
			return nil, err
		}
		found = append(found, some...)
	}
	return found, nil
}

// CheckNested finds nested documents whose parent does not exist.
func CheckNested(tx *store.Tx, c *plan.Collection, s store.Span) ([]Drift, error) {
	return Differing(tx, `
		SELECT d.n AS doc, d.parent AS other, 'orphaned' AS kind
		FROM documents d
		WHERE d.n > ? AND d.n <= ? AND d.collection = ?
		  AND NOT EXISTS (SELECT 1 FROM documents up WHERE up.n = d.parent AND up.collection = ?)
		  AND NOT EXISTS (SELECT 1 FROM outstanding o WHERE o.lane = 4 AND o.step = ? AND o.subject = d.collection
			AND o.doc = d.parent)`,
		s.After, s.UpTo, c.Number, c.Parent.Number, plan.EndNested)
}

// CheckHolding finds documents that do not hold exactly the kept values of
// their collection, and kept values of documents that do not exist.
func CheckHolding(tx *store.Tx, c *plan.Collection, names []string, strays bool, s store.Span) ([]Drift, error) {
	return Differing(tx, `
		SELECT d.n AS doc, CASE WHEN k.doc IS NULL THEN 'missing' ELSE 'different' END AS kind,
		       to_jsonb(h.names) AS stored, to_jsonb(?::text[]) AS expected
		FROM documents d LEFT JOIN kept k ON k.doc = d.n
		CROSS JOIN LATERAL (SELECT coalesce(array_agg(name ORDER BY name COLLATE "C"), '{}') AS names
			FROM jsonb_object_keys(k.values) name) h
		WHERE d.n > ? AND d.n <= ? AND d.collection = ?
		  AND (k.doc IS NULL OR h.names IS DISTINCT FROM ?::text[] OR k.collection <> d.collection)
		UNION ALL
		SELECT k.doc, 'surplus', k.values, NULL
		FROM kept k
		WHERE ? AND k.doc > ? AND k.doc <= ? AND NOT EXISTS (SELECT 1 FROM documents d WHERE d.n = k.doc)`,
		store.Texts(names), s.After, s.UpTo, c.Number, store.Texts(names), strays, s.After, s.UpTo)
}

// CheckPosted compares what authors have posted with what is noted as such.
// Keys: refs_pointing (reference, target, ...), posted.
func CheckPosted(tx *store.Tx, t *plan.Timeline, s store.Span) ([]Drift, error) {
	found, err := Differing(tx, `
		SELECT coalesce(is_so.author, x.author) AS doc, coalesce(is_so.doc, x.doc) AS other,
		       CASE WHEN x.doc IS NULL THEN 'missing' ELSE 'surplus' END AS kind,
		       to_jsonb(x.rank) AS stored, to_jsonb(is_so.rank) AS expected
		FROM (
			SELECT r.target AS author, `+store.Rank(t, "d")+` AS rank, d.n AS doc
			FROM refs r JOIN documents d ON d.n = r.source
			WHERE r.reference = ? AND r.target > ? AND r.target <= ? AND `+store.Meets(t, "d")+`
		) is_so
		FULL JOIN (SELECT author, rank, doc FROM posted WHERE timeline = ? AND author > ? AND author <= ?) x
		  ON x.author = is_so.author AND x.rank = is_so.rank AND x.doc = is_so.doc
		WHERE is_so.doc IS NULL OR x.doc IS NULL`,
		t.By.Number, s.After, s.UpTo, t.Number, s.After, s.UpTo)
	return moved(found), err
}

// moved makes one finding of what is missing at one place and surplus at
// another.
func moved(found []Drift) []Drift {
	type what struct{ doc, other int64 }
	first := map[what]int{}
	var out []Drift
	for _, f := range found {
		w := what{f.Doc, f.Other}
		i, seen := first[w]
		if !seen || out[i].Kind == f.Kind || out[i].Kind == Different {
			first[w] = len(out)
			out = append(out, f)
			continue
		}
		one := &out[i]
		if f.Kind == Missing {
			one.Expected, one.Since = f.Expected, f.Since
		} else {
			one.Stored = f.Stored
		}
		one.Kind = Different
	}
	return out
}

// counted is how many sources of a count the facts have, for a document d.n.
// It takes one argument: the number of what is counted.
func counted(c *plan.Count) string {
	switch {
	case c.Pair != nil && c.Side == "from":
		return "SELECT count(*) AS many FROM pairs p WHERE p.kind = ? AND p.a = d.n AND " + store.Walked("p.")
	case c.Pair != nil:
		return "SELECT count(*) AS many FROM pairs p WHERE p.kind = ? AND p.b = d.n"
	case c.Via != nil:
		return "SELECT count(*) AS many FROM refs r WHERE r.reference = ? AND r.target = d.n"
	}
	return "SELECT count(*) AS many FROM documents x WHERE x.collection = ? AND x.parent = d.n"
}

// CheckCounts compares a count with the facts: what is stored and what is
// still to be added must make up what there is, at any moment.
// Keys: pairs, pairs_from, refs_pointing, documents_nested.
func CheckCounts(tx *store.Tx, c *plan.Count, s store.Span) ([]Drift, error) {
	return Differing(tx, `
		WITH pending AS MATERIALIZED (SELECT doc, sum(amount) AS amount FROM outstanding WHERE lane = 1 AND step = ?
			AND subject = ? GROUP BY doc)
		SELECT d.n AS doc, 'different' AS kind, k.values -> ?::text AS stored,
			to_jsonb(f.many - coalesce(p.amount, 0)) AS expected
		FROM documents d JOIN kept k ON k.doc = d.n
		CROSS JOIN LATERAL (`+counted(c)+`) f
		LEFT JOIN pending p ON p.doc = d.n
		WHERE d.n > ? AND d.n <= ? AND d.collection = ?
		  AND k.values -> ?::text IS DISTINCT FROM to_jsonb(f.many - coalesce(p.amount, 0))`,
		plan.Add, c.Number, c.Name, c.Of, s.After, s.UpTo, c.In.Number, c.Name)
}

// MendCount sets a count to what the facts say and what is still due will not
// add. The kept row must be locked: then nothing due is applied meanwhile.
func MendCount(tx *store.Tx, c *plan.Count, doc int64) error {
	return tx.DB.Exec(`
		UPDATE kept k SET "values" = jsonb_set(k.values, ARRAY[?::text], to_jsonb((
			SELECT f.many - coalesce((SELECT sum(amount) FROM outstanding WHERE lane = 1 AND step = ? AND subject = ?
				AND doc = d.n), 0)
			FROM documents d CROSS JOIN LATERAL (`+counted(c)+`) f WHERE d.n = k.doc)))
		WHERE k.doc = ?`, c.Name, plan.Add, c.Number, c.Of, doc).Error
}

// summed is the sum of what is contributed to a document d.n.
const summed = `(SELECT trim_scale(coalesce(sum(value), 0)) FROM contributions WHERE summary = ? AND target = d.n)`

// CheckSums compares a sum with its contributions. Index: contributions_to.
func CheckSums(tx *store.Tx, c *plan.Summary, s store.Span) ([]Drift, error) {
	return Differing(tx, `
		SELECT d.n AS doc, 'different' AS kind, k.values -> ?::text AS stored, to_jsonb(f.total) AS expected
		FROM documents d JOIN kept k ON k.doc = d.n
		CROSS JOIN LATERAL (SELECT `+summed+` AS total) f
		WHERE d.n > ? AND d.n <= ? AND d.collection = ? AND k.values -> ?::text IS DISTINCT FROM to_jsonb(f.total)`,
		c.Name, c.Number, s.After, s.UpTo, c.In.Number, c.Name)
}

// MendSum sets a sum to its contributions. The kept row must be locked.
func MendSum(tx *store.Tx, c *plan.Summary, doc int64) error {
	return tx.DB.Exec(`
		UPDATE kept k SET "values" = jsonb_set(k.values, ARRAY[?::text],
			to_jsonb((SELECT `+summed+` FROM documents d WHERE d.n = k.doc)))
		WHERE k.doc = ?`, c.Name, c.Number, doc).Error
}

// CheckCopies compares copies with what they are copied from.
// Keys: refs (source, reference), documents (n), kept (doc).
func CheckCopies(tx *store.Tx, c *plan.Copy, s store.Span) ([]Drift, error) {
	card := keptsql.CardStatement(c, "s.source")
	args := append([]any{c.Name}, card.Args...)
	return Differing(tx, `
		SELECT s.source AS doc, coalesce(r.target, 0) AS other, 'different' AS kind, k.values -> ?::text AS stored,
			card.value AS expected, t.updated AS since
		FROM (SELECT n AS source, collection FROM documents) s JOIN kept k ON k.doc = s.source
		CROSS JOIN LATERAL (SELECT `+card.SQL+` AS value) card
		LEFT JOIN refs r ON r.source = s.source AND r.reference = ?
		LEFT JOIN documents t ON t.n = r.target
		WHERE s.source > ? AND s.source <= ? AND s.collection = ?
		  AND k.values -> ?::text IS DISTINCT FROM card.value
		  AND NOT EXISTS (SELECT 1 FROM outstanding o WHERE o.lane = 2 AND o.step = ? AND o.subject = ?
			AND o.doc = r.target AND o.key IN (0, s.source))
		  AND NOT EXISTS (SELECT 1 FROM outstanding o WHERE o.lane = 4 AND o.step = ? AND o.subject = ?
			AND o.doc = r.target)`,
		append(args, c.Via.Number, s.After, s.UpTo, c.In.Number, c.Name, plan.Recopy, c.Number, plan.EndReference,
			c.Via.Number)...)
}

// CheckFrozen compares frozen copies with what they were given.
// Keys: origins (source, copy), kept (doc).
func CheckFrozen(tx *store.Tx, c *plan.Copy, s store.Span) ([]Drift, error) {
	return Differing(tx, `
		SELECT d.n AS doc, coalesce(o.target, 0) AS other, 'different' AS kind,
		       k.values -> ?::text AS stored, coalesce(o.value, 'null') AS expected
		FROM documents d JOIN kept k ON k.doc = d.n
		LEFT JOIN origins o ON o.source = d.n AND o.copy = ?
		WHERE d.n > ? AND d.n <= ? AND d.collection = ?
		  AND k.values -> ?::text IS DISTINCT FROM coalesce(o.value, 'null')`,
		c.Name, c.Number, s.After, s.UpTo, c.In.Number, c.Name)
}

// MendFrozen gives a document back what its frozen copy was given. The kept
// row must be locked.
func MendFrozen(tx *store.Tx, c *plan.Copy, doc int64) error {
	return tx.DB.Exec(`
		UPDATE kept k SET "values" = jsonb_set(k.values, ARRAY[?::text],
			coalesce((SELECT value FROM origins WHERE source = k.doc AND copy = ?), 'null'))
		WHERE k.doc = ?`, c.Name, c.Number, doc).Error
}

// CheckChoices compares a summary that is a choice with what it should be in
// some documents. Work on the sources a document's contributions come from
// excuses it. Keys: kept (doc), contributions (summary, source, target).
func CheckChoices(tx *store.Tx, c *plan.Summary, should map[int64]json.RawMessage) ([]Drift, error) {
	docs, values := make(store.Bigints, 0, len(should)), make(store.Texts, 0, len(should))
	for doc, v := range should {
		docs, values = append(docs, doc), append(values, string(v))
	}
	return Differing(tx, `
		SELECT k.doc, 'different' AS kind, k.values -> ?::text AS stored, s.value AS expected
		FROM unnest(?::bigint[], ?::jsonb[]) AS s (doc, value) JOIN kept k ON k.doc = s.doc
		WHERE k.values -> ?::text IS DISTINCT FROM s.value
		  AND NOT EXISTS (SELECT 1 FROM outstanding o WHERE o.lane = 2 AND o.step = ? AND o.subject = ?
			AND o.doc = k.doc)
		  AND NOT EXISTS (
			SELECT 1 FROM outstanding o JOIN contributions c ON c.summary = o.subject AND c.source = o.doc
				AND c.target = k.doc
			WHERE o.subject = ? AND o.step IN (?, ?))`,
		c.Name, docs, values, c.Name, plan.Choose, c.Number, c.Number, plan.Contribute, plan.Refresh)
}

// SourceDocumentsIn is [keptsql.SourceDocuments] for a span.
func SourceDocumentsIn(tx *store.Tx, c *plan.Summary, s store.Span) ([]keptsql.Source, error) {
	docs, err := In(tx, c.Sources.Number, s)
	if err != nil {
		return nil, err
	}
	return keptsql.SourceDocuments(tx, c, docs)
}

// SourcePairsIn are the pairs whose other ends lie in a span.
func SourcePairsIn(tx *store.Tx, c *plan.Summary, s store.Span) ([]keptsql.Source, error) {
	source, target := "a", "b"
	if c.Side == "from" {
		source, target = "b", "a"
	}
	var found []keptsql.Source
	err := tx.DB.Raw(`
		SELECT p.`+source+` AS source, p.`+target+` AS target, p.at, `+store.StoredFields(c.Pair)+` AS fields
		FROM pairs p WHERE p.kind = ? AND p.`+source+` > ? AND p.`+source+` <= ? AND `+store.Walked("p."),
		c.Pair.Number, s.After, s.UpTo).Scan(&found).Error
	keptsql.UpcastSources(c.Pair, found)
	return found, err
}

// ContributionsIn are those of the sources in a span.
func ContributionsIn(tx *store.Tx, summary plan.Number, s store.Span) ([]keptsql.Contribution, error) {
	var found []keptsql.Contribution
	err := tx.DB.Raw("SELECT source, target, value::text AS value FROM contributions WHERE summary = ? AND source > "+
		"? AND source <= ?",
		summary, s.After, s.UpTo).Scan(&found).Error
	return found, err
}

// sourcesTo is a query of the sources of one document's summary, by the facts
// and by what is stored. Keys: contributions_to, pairs, pairs_from,
// refs_pointing, documents_nested.
func sourcesTo(c *plan.Summary, target int64) (string, []any) {
	sql, of := "SELECT n AS source FROM documents WHERE collection = ? AND parent = ?", c.Sources.Number
	switch {
	case c.Pair != nil && c.Side == "from":
		sql, of = "SELECT b AS source FROM pairs WHERE kind = ? AND a = ? AND "+store.Walked(""), c.Pair.Number
	case c.Pair != nil:
		sql, of = "SELECT a AS source FROM pairs WHERE kind = ? AND b = ?", c.Pair.Number
	case c.Via != nil:
		sql, of = "SELECT source FROM refs WHERE reference = ? AND target = ?", c.Via.Number
	}
	return "(" + sql + " UNION SELECT source FROM contributions WHERE summary = ? AND target = ?) s",
		[]any{of, target, c.Number, target}
}

// SourceSpan is [Span] for the sources of one document's summary.
func SourceSpan(tx *store.Tx, c *plan.Summary, target, after int64, limit int) (store.Span, int64, error) {
	var row struct{ Last, Many int64 }
	sources, args := sourcesTo(c, target)
	err := tx.DB.Raw(`
		SELECT coalesce(max(source), 0) AS last, count(*) AS many
		FROM (SELECT source FROM `+sources+` WHERE source > ? ORDER BY source LIMIT ?) x`,
		append(args, after, limit)...).Scan(&row).Error
	if row.Many < int64(limit) {
		row.Last = math.MaxInt64
	}
	return store.Span{After: after, UpTo: row.Last}, row.Many, err
}

// SourcesOf are the sources of one document's summary in a span.
func SourcesOf(tx *store.Tx, c *plan.Summary, target int64, s store.Span) ([]int64, error) {
	var found []int64
	sources, args := sourcesTo(c, target)
	err := tx.DB.Raw("SELECT source FROM "+sources+" WHERE source > ? AND source <= ? ORDER BY source",
		append(args, s.After, s.UpTo)...).Scan(&found).Error
	return found, err
}

// ContributionsDue are the contributions to a summary that due or parked work
// will look at; of documents the target is 0.
func ContributionsDue(tx *store.Tx, summary plan.Number) (map[keptsql.Link]bool, error) {
	var rows []struct{ Doc, Key int64 }
	err := tx.DB.Raw("SELECT doc, key FROM outstanding WHERE lane = 1 AND step = ? AND subject = ?", plan.Contribute,
		summary).Scan(&rows).Error
	due := make(map[keptsql.Link]bool, len(rows))
	for _, r := range rows {
		due[keptsql.Link{Source: r.Doc, Target: r.Key}] = true
	}
	return due, err
}

// settledEntry is the condition that no work is due that could explain an
// entry of columns owner, doc and author of e.
const settledEntry = `
	NOT EXISTS (SELECT 1 FROM outstanding o WHERE o.lane = 3 AND o.subject = ? AND (
		o.step IN (?, ?) AND o.doc = e.doc OR o.step = ? AND o.doc = e.owner AND o.key = e.author OR o.step = ?
			AND o.doc = e.owner))
	AND NOT EXISTS (SELECT 1 FROM outstanding o WHERE o.lane = 4 AND o.subject = ? AND o.step = ? AND o.doc = e.owner)`

func settledEntryArgs(t *plan.Timeline) []any {
	return []any{t.Number, plan.Deliver, plan.Withdraw, plan.Subscribe, plan.Refill, t.Number, plan.EndTimeline}
}

// CheckEntries compares the entries of owners in a span with the facts: pairs,
// posts, and in timelines that were cut what lies above the cut; what is stored
// at or below it must have its reasons too. It returns how many entries it
// compared. Keys: pairs_from, posted, entries.
func CheckEntries(tx *store.Tx, t *plan.Timeline, s store.Span) ([]Drift, int64, error) {
	differing, err := differingEntries(tx, t, s)
	if err != nil {
		return nil, 0, err
	}
	differing = moved(differing)
	short, err := shortTimelines(tx, t, s)
	if err != nil {
		return nil, 0, err
	}
	short = slices.DeleteFunc(short, func(s Drift) bool { // a missing entry is told as such
		return slices.ContainsFunc(differing, func(m Drift) bool { return m.Kind != Surplus && m.Doc == s.Doc })
	})
	var many int64
	err = tx.DB.Raw("SELECT count(*) FROM entries WHERE timeline = ? AND owner > ? AND owner <= ?", t.Number, s.After,
		s.UpTo).Scan(&many).Error
	return append(differing, short...), many, err
}

// differingEntries joins what should be there with what is there, both as
// whole sets, and looks closer only at what has no partner. No two rows of
// either set are the same: the owner's own posts come from one side only.
func differingEntries(tx *store.Tx, t *plan.Timeline, s store.Span) ([]Drift, error) {
	may, still := timelinesql.NotKept(t, "p.a", "p.b"), timelinesql.Entitled(t, "e.owner", "e.author")
	args := append([]any{t.Number, t.Owner.Number, s.After, s.UpTo, t.Through.Number, s.After, s.UpTo}, may.Args...)
	pushes := t.Deliver != "pull"
	args = append(args, t.Number, pushes, !t.Own, t.Own && pushes, t.Number, t.Number, s.After, s.UpTo)
	args = append(append(args, still.Args...), t.Number)
	return Differing(tx, `
		WITH owner AS MATERIALIZED (
			SELECT d.n, f.rank, f.doc
			FROM documents d LEFT JOIN cuts f ON f.timeline = ? AND f.owner = d.n
			WHERE d.collection = ? AND d.n > ? AND d.n <= ?
		), tie AS (
			SELECT o.n AS owner, o.rank, o.doc, p.b AS author, p.at
			FROM owner o JOIN pairs p ON p.kind = ? AND p.a = o.n AND p.a > ? AND p.a <= ? AND `+store.Walked("p.")+`
			WHERE `+may.SQL+store.AndTied(t, "p")+`
			  AND NOT EXISTS (SELECT 1 FROM delivery_modes au WHERE au.timeline = ? AND au.author = p.b)
			  AND ? AND (? OR p.a <> p.b)
			UNION ALL
			SELECT n, rank, doc, n, NULL FROM owner WHERE ?
		), e AS (
			SELECT coalesce(should.owner, has.owner) AS owner, coalesce(should.rank, has.rank) AS rank,
				coalesce(should.doc, has.doc) AS doc,
			       coalesce(should.author, has.author) AS author, has.doc IS NULL AS missing, should.at
			FROM (
				SELECT tie.owner, x.rank, x.doc, x.author, tie.at
				FROM tie JOIN posted x ON x.timeline = ? AND x.author = tie.author
				WHERE tie.rank IS NULL OR (x.rank, x.doc) > (tie.rank, tie.doc)
			) should
			FULL JOIN (SELECT owner, rank, doc, author FROM entries WHERE timeline = ? AND owner > ? AND owner <= ?) has
			  ON has.owner = should.owner AND has.rank = should.rank AND has.doc = should.doc
				AND has.author = should.author
			WHERE should.doc IS NULL OR has.doc IS NULL
		)
		SELECT e.owner AS doc, e.doc AS other, CASE WHEN e.missing THEN 'missing' ELSE 'surplus' END AS kind,
		       CASE WHEN NOT e.missing THEN jsonb_build_object('rank', e.rank, 'author', e.author) END AS stored,
		       CASE WHEN e.missing THEN jsonb_build_object('rank', e.rank, 'author', e.author) END AS expected,
		       CASE WHEN e.missing THEN greatest(e.at, d.created) END AS since
		FROM e LEFT JOIN documents d ON d.n = e.doc
		WHERE (e.missing OR NOT (`+still.SQL+` AND EXISTS (
			SELECT 1 FROM posted x WHERE x.timeline = ? AND x.author = e.author AND x.rank = e.rank AND x.doc = e.doc)))
		  AND `+settledEntry+`
		ORDER BY e.owner, e.rank DESC`, append(args, settledEntryArgs(t)...)...)
}

// shortTimelines finds timelines that were cut, hold fewer entries than their
// length, and could hold more.
func shortTimelines(tx *store.Tx, t *plan.Timeline, s store.Span) ([]Drift, error) {
	may := timelinesql.Entitled(t, "f.owner", "x.author").And(timelinesql.Stored(t, "f.owner", "x.author"))
	args := append([]any{t.Length, t.Number, s.After, s.UpTo, t.Length, t.Number, plan.Refill, t.Number,
		plan.EndTimeline, t.Number}, may.Args...)
	return Differing(tx, `
		SELECT f.owner AS doc, 'short' AS kind, to_jsonb(h.many) AS stored, to_jsonb(?::int) AS expected
		FROM cuts f
		CROSS JOIN LATERAL (
			SELECT count(*) AS many FROM entries e
			WHERE e.timeline = f.timeline AND e.owner = f.owner AND (e.rank, e.doc) > (f.rank, f.doc)
		) h
		WHERE f.timeline = ? AND f.owner > ? AND f.owner <= ? AND h.many < ?
		  AND NOT EXISTS (SELECT 1 FROM outstanding o WHERE o.lane = 3 AND o.subject = ? AND o.step = ?
			AND o.doc = f.owner)
		  AND NOT EXISTS (SELECT 1 FROM outstanding o WHERE o.lane = 4 AND o.subject = ? AND o.step = ?
			AND o.doc = f.owner)
		  AND EXISTS (SELECT 1 FROM posted x WHERE x.timeline = ? AND (x.rank, x.doc) <= (f.rank, f.doc)
			AND `+may.SQL+`)`, args...)
}

// MendEntry puts one entry into a timeline or takes it out, as the facts
// stand. The author's lock must be held.
func MendEntry(tx *store.Tx, t *plan.Timeline, owner, author, rank, doc int64) error {
	may := timelinesql.Entitled(t, "w.owner", "w.author")
	args := append([]any{t.Number, owner, rank, doc, author}, may.Args...)
	err := tx.DB.Exec(`
		DELETE FROM entries e USING (SELECT ?::smallint AS timeline, ?::bigint AS owner, ?::bigint AS rank,
			?::bigint AS doc, ?::bigint AS author) w
		WHERE e.timeline = w.timeline AND e.owner = w.owner AND e.rank = w.rank AND e.doc = w.doc
		  AND (e.author <> w.author OR NOT (`+may.SQL+` AND EXISTS (
			SELECT 1 FROM posted x WHERE x.timeline = w.timeline AND x.author = w.author AND x.rank = w.rank
				AND x.doc = w.doc)))`, args...).Error
	if err != nil {
		return err
	}
	return tx.DB.Exec(`
		INSERT INTO entries (timeline, owner, rank, doc, author)
		SELECT w.timeline, w.owner, w.rank, w.doc, w.author
		FROM (SELECT ?::smallint AS timeline, ?::bigint AS owner, ?::bigint AS rank, ?::bigint AS doc,
			?::bigint AS author) w
		WHERE `+may.SQL+` AND EXISTS (
			SELECT 1 FROM posted x WHERE x.timeline = w.timeline AND x.author = w.author AND x.rank = w.rank
				AND x.doc = w.doc)
		ON CONFLICT DO NOTHING`, args...).Error
}

// MendPosted brings what is noted of one post of an author in line with the facts.
func MendPosted(tx *store.Tx, t *plan.Timeline, author, doc int64) error {
	if _, err := factsql.LockNumbered(tx, t.Entries, []int64{doc}); err != nil {
		return err
	}
	if err := tx.DB.Exec("DELETE FROM posted WHERE timeline = ? AND author = ? AND doc = ?", t.Number, author,
		doc).Error; err != nil {
		return err
	}
	return tx.DB.Exec(`
		INSERT INTO posted (timeline, author, rank, doc)
		SELECT ?, r.target, `+store.Rank(t, "d")+`, d.n
		FROM refs r JOIN documents d ON d.n = r.source
		WHERE r.reference = ? AND r.target = ? AND r.source = ? AND `+store.Meets(t, "d"),
		t.Number, t.By.Number, author, doc).Error
}

// DropPair takes away a pair of which an end does not exist, and nothing else.
func DropPair(tx *store.Tx, kind plan.Number, a, b int64) error {
	return tx.DB.Exec(`
		DELETE FROM pairs p WHERE p.kind = ? AND p.b = ? AND p.a = ?
		  AND (NOT EXISTS (SELECT 1 FROM documents d WHERE d.n = p.a) OR
			NOT EXISTS (SELECT 1 FROM documents d WHERE d.n = p.b))`, kind, b, a).Error
}

// DropKept drops the kept values of a document that does not exist.
func DropKept(tx *store.Tx, doc int64) error {
	return tx.DB.Exec("DELETE FROM kept k WHERE k.doc = ? AND NOT EXISTS (SELECT 1 FROM documents d WHERE d.n = "+
		"k.doc)", doc).Error
}

// HoldKept gives a document of a collection kept values of some names: those it has
// stay, the others are null, and there are no more.
func HoldKept(tx *store.Tx, c *plan.Collection, doc int64, names []string) error {
	if err := tx.DB.Exec(`INSERT INTO kept (doc, "values") VALUES (?, '{}') ON CONFLICT DO NOTHING`,
		doc).Error; err != nil {
		return err
	}
	return tx.DB.Exec(`
		UPDATE kept k SET collection = ?, "values" = (
			SELECT coalesce(jsonb_object_agg(n.name, coalesce(k.values -> n.name, 'null')), '{}')
				FROM unnest(?::text[]) AS n (name))
		WHERE k.doc = ?`, c.Number, store.Texts(names), doc).Error
}
