package factsql

import (
	"yalvo/internal/design/plan"
	"yalvo/internal/engine/store"
)

// Departing is what is still there, and goes or is emptied by what has been removed before: work that is due.
type Departing struct {
	Goes    map[int64]bool          // documents
	Cleared map[int64][]plan.Number // references of documents that stay
	Forgot  map[int64][]plan.Number // and their frozen copies
}

// ReadDeparting finds that, in a view. removing, clearing and leaving are references, by what becomes of them when
// their targets are gone; frozen are the copies that are emptied when what they are from is forgotten.
// Keys: departed (n), documents_nested, refs_pointing, origins_of.
func ReadDeparting(tx *store.Tx, removing, clearing, leaving, frozen []plan.Number) (Departing, error) {
	out := Departing{Goes: map[int64]bool{}, Cleared: map[int64][]plan.Number{}, Forgot: map[int64][]plan.Number{}}
	query := tx.DB.Raw(`
		WITH RECURSIVE goes (n, forgotten) AS (
			SELECT x.n, EXISTS (SELECT FROM forgotten_documents f WHERE f.n = g.n)
			FROM departed g CROSS JOIN LATERAL (`+hangingOn("g.n")+`) x
			UNION
			SELECT x.n, g.forgotten
			FROM goes g CROSS JOIN LATERAL (`+hangingOn("g.n")+`) x),
		gone AS (SELECT n FROM departed UNION SELECT n FROM goes),
		forgotten AS (SELECT n FROM forgotten_documents UNION SELECT n FROM goes WHERE forgotten)
		SELECT n, 'goes' AS what, 0 AS number FROM goes
		UNION ALL
		SELECT source, 'cleared', reference FROM refs
		WHERE reference = ANY(?::smallint[]) AND target IN (SELECT n FROM gone)
		   OR reference = ANY(?::smallint[]) AND target IN (SELECT n FROM forgotten)
		UNION ALL
		SELECT source, 'forgotten', copy FROM origins
		WHERE copy = ANY(?::smallint[]) AND target IN (SELECT n FROM forgotten)`,
		store.NumberArgs(removing), store.NumberArgs(removing), store.NumberArgs(clearing), store.NumberArgs(leaving),
		store.NumberArgs(frozen))
	err := store.EachRow(tx, query, func(row struct {
		N      int64
		What   string
		Number plan.Number
	}) error {
		switch row.What {
		case "goes":
			out.Goes[row.N] = true
		case "cleared":
			out.Cleared[row.N] = append(out.Cleared[row.N], row.Number)
		case "forgotten":
			out.Forgot[row.N] = append(out.Forgot[row.N], row.Number)
		}
		return nil
	})
	return out, err
}

// hangingOn are the documents that go when another one has gone: what lies under it, and what points at it so.
func hangingOn(n string) string {
	return `
		SELECT d.n FROM documents d WHERE d.parent = ` + n + `
		UNION ALL
		SELECT r.source FROM refs r WHERE r.reference = ANY(?::smallint[]) AND r.target = ` + n
}

// LooseIn are the documents with numbers above one, and in a span, whose reference names nothing that is there, but
// for those that are listed as such. Indexes: documents (collection, key), misfits_of.
func LooseIn(tx *store.Tx, r *plan.Reference, s store.Span) ([]int64, error) {
	var loose []int64
	err := tx.DB.Raw(`
		SELECT d.n FROM documents d
		WHERE d.n > ? AND d.n <= ? AND d.collection = ? AND d.fields ->> ?::text IS NOT NULL
		  AND NOT EXISTS (SELECT FROM refs r WHERE r.source = d.n AND r.reference = ?)
		  AND NOT EXISTS (SELECT FROM documents t WHERE t.collection = ? AND t.key = d.fields ->> ?::text)
		  AND NOT EXISTS (SELECT FROM misfits m
			WHERE m.doc = d.n AND m.subject = d.collection AND m.field = ? AND m.stamp = d.version)
		ORDER BY d.n`, s.After, s.UpTo, r.In.Number, r.Name, r.Number, r.To.Number, r.Name, r.Name).Scan(&loose).Error
	return loose, err
}

// PointNowhere has a reference of some documents point at what was never there, and returns the number of that:
// the end of it is theirs.
func PointNowhere(tx *store.Tx, r *plan.Reference, sources []int64) (int64, error) {
	var nowhere int64
	err := tx.DB.Raw(`
		WITH nowhere AS MATERIALIZED (SELECT nextval(pg_get_serial_sequence('documents', 'n')) AS n),
		put AS (
			INSERT INTO refs (source, reference, target)
			SELECT source, ?, nowhere.n FROM nowhere, unnest(?::bigint[]) AS source
			ON CONFLICT (source, reference) DO UPDATE SET target = excluded.target)
		SELECT n FROM nowhere`, r.Number, store.Bigints(sources)).Scan(&nowhere).Error
	return nowhere, err
}
