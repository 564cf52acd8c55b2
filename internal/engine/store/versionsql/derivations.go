package versionsql

import (
	"yalvo/internal/design/plan"
	"yalvo/internal/engine/store"
	"yalvo/internal/engine/store/keptsql"
	"yalvo/internal/engine/store/timelinesql"

	"gorm.io/gorm"
)

// What follows derives duplicates anew for a stretch of documents, as sets. Each
// takes the locks that upkeep of the same thing takes, and then looks at the facts:
// whichever of two runs last has seen what the other saw.

// HoldDocuments keeps the documents of a collection in a span from being changed
// and removed until the transaction ends, in ascending order.
func HoldDocuments(tx *store.Tx, collection plan.Number, s store.Span) error {
	return tx.DB.Exec("SELECT 1 FROM documents WHERE n > ? AND n <= ? AND collection = ? ORDER BY n FOR SHARE", s.After,
		s.UpTo, collection).Error
}

// BuildReferences makes the index of a reference for documents that are held, and
// returns those that name a document that is not there. What they point at is held too.
func BuildReferences(tx *store.Tx, r *plan.Reference, s store.Span) (written int64, lost []int64, err error) {
	got := tx.DB.Exec(`
		DELETE FROM refs r USING documents d
		WHERE r.reference = ? AND r.source = d.n AND d.n > ? AND d.n <= ? AND d.collection = ?
		  AND d.fields ->> ?::text IS NULL`, r.Number, s.After, s.UpTo, r.In.Number, r.Name)
	if got.Error != nil {
		return 0, nil, got.Error
	}
	put := tx.DB.Exec(`
		WITH points AS MATERIALIZED (
			SELECT d.n AS source, t.n AS target
			FROM documents d JOIN documents t ON t.collection = ? AND t.key = d.fields ->> ?::text
			WHERE d.n > ? AND d.n <= ? AND d.collection = ?
			ORDER BY t.n
			FOR KEY SHARE OF t)
		INSERT INTO refs (source, reference, target)
		SELECT source, ?::smallint, target FROM points
		ON CONFLICT (source, reference) DO UPDATE SET target = excluded.target WHERE refs.target <> excluded.target`,
		r.To.Number, r.Name, s.After, s.UpTo, r.In.Number, r.Number)
	if put.Error != nil {
		return 0, nil, put.Error
	}
	err = tx.DB.Raw(`
		SELECT d.n FROM documents d
		WHERE d.n > ? AND d.n <= ? AND d.collection = ? AND d.fields ->> ?::text IS NOT NULL
		  AND NOT EXISTS (SELECT FROM refs r WHERE r.source = d.n AND r.reference = ?)`, s.After, s.UpTo, r.In.Number,
		r.Name, r.Number).Scan(&lost).Error
	return got.RowsAffected + put.RowsAffected, lost, err
}

// BuildUniques notes the values of a unique field of documents that are held, and
// returns the documents whose value another one has.
func BuildUniques(tx *store.Tx, u *plan.Unique, in plan.Number, s store.Span) (written int64, second []int64,
	err error) {
	got := tx.DB.Exec(`
		DELETE FROM uniques u USING documents d
		WHERE u.field = ? AND u.doc = d.n AND d.n > ? AND d.n <= ? AND d.collection = ?
		  AND u.value IS DISTINCT FROM d.fields ->> ?::text`, u.Number, s.After, s.UpTo, in, u.Name)
	if got.Error != nil {
		return 0, nil, got.Error
	}
	put := tx.DB.Exec(`
		INSERT INTO uniques (field, value, doc)
		SELECT ?::smallint, d.fields ->> ?::text, d.n
		FROM documents d
		WHERE d.n > ? AND d.n <= ? AND d.collection = ? AND octet_length(d.fields ->> ?::text) <= ?
		ORDER BY d.n
		ON CONFLICT (field, value) DO NOTHING`, u.Number, u.Name, s.After, s.UpTo, in, u.Name, maxUnique)
	if put.Error != nil {
		return 0, nil, put.Error
	}
	err = tx.DB.Raw(`
		SELECT d.n FROM documents d
		WHERE d.n > ? AND d.n <= ? AND d.collection = ? AND d.fields ->> ?::text IS NOT NULL
		  AND NOT EXISTS (SELECT FROM uniques u WHERE u.doc = d.n AND u.field = ?)`, s.After, s.UpTo, in, u.Name,
		u.Number).Scan(&second).Error
	return got.RowsAffected + put.RowsAffected, second, err
}

// maxUnique is how long a unique value may be that the index holds: see
// design.MaxUnique.
const maxUnique = 1000

// BuildPosted notes what was posted into a timeline, of documents that are held.
// Index: refs (source, reference).
func BuildPosted(tx *store.Tx, t *plan.Timeline, s store.Span) (int64, error) {
	got := tx.DB.Exec(`
		INSERT INTO posted (timeline, author, rank, doc)
		SELECT ?::smallint, r.target, `+store.Rank(t, "d")+`, d.n
		FROM documents d JOIN refs r ON r.source = d.n AND r.reference = ?
		WHERE d.n > ? AND d.n <= ? AND d.collection = ? AND `+store.Meets(t, "d")+`
		ON CONFLICT DO NOTHING`, t.Number, t.By.Number, s.After, s.UpTo, t.Entries.Number)
	return got.RowsAffected, got.Error
}

// tally is how many sources of a count each document in a span has, by the facts.
// It takes the number of what is counted and the span.
func tally(c *plan.Count) string {
	switch {
	case c.Pair != nil && c.Side == "from":
		return "SELECT a AS doc, count(*) AS many FROM pairs WHERE kind = ? AND a > ? AND a <= ? AND " +
			store.Walked("") +
			" GROUP BY a"
	case c.Pair != nil:
		return "SELECT b AS doc, count(*) AS many FROM pairs WHERE kind = ? AND b > ? AND b <= ? GROUP BY b"
	case c.Via != nil:
		return "SELECT target AS doc, count(*) AS many FROM refs WHERE reference = ? AND target > ? AND target <= ? " +
			"GROUP BY target"
	}
	return "SELECT parent AS doc, count(*) AS many FROM documents " +
		"WHERE collection = ? AND parent > ? AND parent <= ? " +
		"GROUP BY parent"
}

// BuildCounts counts anew for documents whose kept rows are locked: what the facts
// say, less what is still due to be added. Keys: pairs, pairs_from, refs_pointing,
// documents_nested.
func BuildCounts(tx *store.Tx, c *plan.Count, docs []int64, s store.Span) (int64, error) {
	got := tx.DB.Exec(`
		WITH facts AS MATERIALIZED (`+tally(c)+`),
		pending AS MATERIALIZED (SELECT doc, sum(amount) AS amount FROM outstanding
			WHERE lane = 1 AND step = ? AND subject = ? AND doc > ? AND doc <= ? GROUP BY doc),
		is_so AS (
			SELECT w.doc, to_jsonb(coalesce(f.many, 0) - coalesce(p.amount, 0)) AS value
			FROM unnest(?::bigint[]) w (doc) LEFT JOIN facts f USING (doc) LEFT JOIN pending p USING (doc))
		UPDATE kept k SET "values" = jsonb_set(k.values, ARRAY[?::text], i.value)
		FROM is_so i
		WHERE k.doc = i.doc AND k.values -> ?::text IS DISTINCT FROM i.value`,
		c.Of, s.After, s.UpTo, plan.Add, c.Number, s.After, s.UpTo, store.Bigints(docs), c.Name, c.Name)
	return got.RowsAffected, got.Error
}

// BuildSums sums the contributions up anew for documents whose kept rows are
// locked. Index: contributions_to.
func BuildSums(tx *store.Tx, c *plan.Summary, docs []int64, s store.Span) (int64, error) {
	got := tx.DB.Exec(`
		WITH total AS MATERIALIZED (
			SELECT target AS doc, trim_scale(sum(value)) AS value FROM contributions
			WHERE summary = ? AND target > ? AND target <= ? GROUP BY target),
		is_so AS (
			SELECT w.doc, to_jsonb(coalesce(t.value, 0)) AS value
			FROM unnest(?::bigint[]) w (doc) LEFT JOIN total t USING (doc))
		UPDATE kept k SET "values" = jsonb_set(k.values, ARRAY[?::text], i.value)
		FROM is_so i
		WHERE k.doc = i.doc AND k.values -> ?::text IS DISTINCT FROM i.value`,
		c.Number, s.After, s.UpTo, store.Bigints(docs), c.Name, c.Name)
	return got.RowsAffected, got.Error
}

// BuildFrozen gives documents whose kept rows are locked their frozen copies: what
// they were given before stays, and those that were given none get what the targets now are. wider is after another
// version of the design, by which a copy may show more: then what it lacks is as the targets now are, too. What was
// absent when it was given is not told from that.
// Keys: refs (source, reference), origins (source, copy).
func BuildFrozen(tx *store.Tx, c *plan.Copy, docs []int64, wider bool) (int64, error) {
	lacking := ""
	if wider {
		lacking = "excluded.value || "
	}
	err := tx.DB.Exec(`
		INSERT INTO origins (source, copy, target, value)
		SELECT r.source, ?::smallint, r.target, `+keptsql.CardFrom(c, "t.fields", "tk.values")+`
		FROM refs r JOIN documents t ON t.n = r.target LEFT JOIN kept tk ON tk.doc = t.n
		WHERE r.source = ANY(?::bigint[]) AND r.reference = ?
		ON CONFLICT (source, copy) DO UPDATE SET value = `+lacking+
		keptsql.MembersFrom("origins.value", c.Copied(), "m.value"),
		c.Number, store.Bigints(docs), c.Via.Number).Error
	if err != nil {
		return 0, err
	}
	got := tx.DB.Exec(`
		WITH is_so AS (
			SELECT w.doc, coalesce(o.value, 'null') AS value
			FROM unnest(?::bigint[]) w (doc) LEFT JOIN origins o ON o.source = w.doc AND o.copy = ?)
		UPDATE kept k SET "values" = jsonb_set(k.values, ARRAY[?::text], i.value)
		FROM is_so i
		WHERE k.doc = i.doc AND k.values -> ?::text IS DISTINCT FROM i.value`,
		store.Bigints(docs), c.Number, c.Name, c.Name)
	return got.RowsAffected, got.Error
}

// StripKept takes everything but the named values out of kept rows that are locked.
func StripKept(tx *store.Tx, docs []int64, names []string) (int64, error) {
	got := tx.DB.Exec(`
		UPDATE kept k SET "values" = k.values - s.stray
		FROM (
			SELECT doc, ARRAY(SELECT jsonb_object_keys("values") EXCEPT SELECT unnest(?::text[])) AS stray
			FROM kept WHERE doc = ANY(?::bigint[])
		) s
		WHERE k.doc = s.doc AND cardinality(s.stray) > 0`, store.Texts(names), store.Bigints(docs))
	return got.RowsAffected, got.Error
}

// BuildEntries puts the newest entries into the timelines of owners, as the facts
// stand, and notes where they are cut. The timeline is locked.
// Keys: pairs_from (kind, a, ...), posted.
func BuildEntries(tx *store.Tx, t *plan.Timeline, owners []int64) (int64, error) {
	if _, err := timelinesql.LockCuts(tx, t.Number, owners); err != nil {
		return 0, err
	}
	keep := t.Length + timelinesql.Slack(t.Length)/2
	may, push := timelinesql.NotKept(t, "p.a", "p.b"), timelinesql.Pushed(t, "p.b")
	args := []any{store.Bigints(owners), t.Through.Number, !t.Own}
	args = append(append(append(args, may.Args...), push.Args...), t.Own, t.Number, keep+1, t.Number, keep, t.Number,
		keep-t.Length, keep+1)
	var got struct {
		Written int64
		Cut     string
	}
	build := func(db *gorm.DB, onConflict string) error {
		return db.Raw(`
		WITH owner AS (SELECT unnest(?::bigint[]) AS n),
		author AS (
			SELECT p.a AS owner, p.b AS n
			FROM owner o JOIN pairs p ON p.kind = ? AND p.a = o.n AND `+store.Walked("p.")+`
			WHERE (? OR p.a <> p.b)`+store.AndTied(t, "p")+` AND `+may.SQL+` AND `+push.SQL+`
			UNION ALL
			SELECT n, n FROM owner WHERE ?
		), best AS MATERIALIZED (
			SELECT a.owner, x.rank, x.doc, a.n AS author,
				row_number() OVER (PARTITION BY a.owner ORDER BY x.rank DESC, x.doc DESC) AS place
			FROM author a CROSS JOIN LATERAL (
				SELECT rank, doc FROM posted
				WHERE timeline = ? AND posted.author = a.n
				ORDER BY rank DESC, doc DESC
				LIMIT ?
			) x
		), put AS (
			INSERT INTO entries (timeline, owner, rank, doc, author)
			SELECT ?::smallint, owner, rank, doc, author FROM best WHERE place <= ?
			ORDER BY owner, rank, doc
			`+onConflict+`
			RETURNING 1
		), cut AS (
			INSERT INTO cuts (timeline, owner, rank, doc, surplus)
			SELECT ?::smallint, owner, rank, doc, ? FROM best WHERE place = ?
			ORDER BY owner
			ON CONFLICT (timeline, owner) DO UPDATE SET rank = excluded.rank, doc = excluded.doc,
				surplus = excluded.surplus
			RETURNING owner
		)
		SELECT (SELECT count(*) FROM put) AS written, ARRAY(SELECT owner FROM cut)::text AS cut`, args...).
			Scan(&got).Error
	}
	if err := timelinesql.FirstPlainly(tx, build); err != nil {
		return 0, err
	}
	// the others hold all there is
	err := tx.DB.Exec("DELETE FROM cuts WHERE timeline = ? AND owner = ANY(?::bigint[]) AND owner <> ALL(?::bigint[])",
		t.Number, store.Bigints(owners), got.Cut).Error
	return got.Written, err
}

// PushAll has everybody's entries written into timelines of a kind.
func PushAll(tx *store.Tx, timeline plan.Number) error {
	return tx.DB.Exec("DELETE FROM delivery_modes WHERE timeline = ?", timeline).Error
}

// LostTargets are documents that are gone and still pointed at through a
// reference, in ascending order. Index: refs_pointing.
func LostTargets(tx *store.Tx, reference plan.Number, after int64, limit int) ([]int64, error) {
	var gone []int64
	err := tx.DB.Raw(`
		SELECT DISTINCT target FROM refs r
		WHERE reference = ? AND target > ? AND NOT EXISTS (SELECT FROM documents d WHERE d.n = r.target)
		ORDER BY target LIMIT ?`, reference, after, limit).Scan(&gone).Error
	return gone, err
}
