package loadsql

import (
	"cmp"
	"encoding/json"
	"maps"
	"slices"
	"strings"
	"time"

	"yalvo/internal/design/plan"
	"yalvo/internal/engine/store"
	"yalvo/internal/engine/store/versionsql"
)

// PairsNamed are pairs that stand, by the keys of their ends, in that order.
// Keys: documents (collection, key), pairs (kind, b, a).
func PairsNamed(tx *store.Tx, p *plan.Pair, from, to []string) ([]versionsql.PairRow, error) {
	var rows []versionsql.PairRow
	err := tx.DB.Raw(`
		SELECT t.n AS b, f.n AS a
		FROM unnest(?::text[], ?::text[]) WITH ORDINALITY w (f, t, nth)
		JOIN documents f ON f.collection = ? AND f.key = w.f
		JOIN documents t ON t.collection = ? AND t.key = w.t
		ORDER BY w.nth`, store.Texts(from), store.Texts(to), p.From.Number, p.To.Number).Scan(&rows).Error
	return rows, err
}

// Dumped is a document with what its frozen copies were given.
type Dumped struct {
	store.Document
	Unfit bool            // it is listed as not fitting
	Given json.RawMessage // by the copy's number: the target's key, its row number, and the value
}

// EachDocument hands over all documents in the order of their creation, in a view.
// Indexes: origins (source, copy), misfits_of.
func EachDocument(tx *store.Tx, frozen bool, each func(Dumped) error) error {
	given := "NULL::jsonb"
	if frozen {
		given = `(SELECT jsonb_object_agg(o.copy,
				jsonb_build_object('of', coalesce(t.key, ''), 'target', o.target, 'value', o.value))
			FROM origins o LEFT JOIN documents t ON t.n = o.target WHERE o.source = d.n)`
	}
	query := tx.DB.Raw(`
		SELECT d.n, d.collection, d.key, d.version, d.created, d.updated, d.fields, coalesce(d.shape, 0) AS shape,
			d.quiet, EXISTS (SELECT FROM misfits m
				WHERE m.doc = d.n AND m.subject = d.collection AND m.stamp = d.version) AS unfit,
			` + given + ` AS given
		FROM documents d ORDER BY d.n`)
	return store.EachRow(tx, query, each)
}

// Given is what a frozen copy was given, and of which document.
type Given struct {
	Source string // the key of the document that holds the copy
	Copy   plan.Number
	Of     plan.Number // the target's collection
	Target string      // the target's key, empty if it is gone or forgotten
	Value  json.RawMessage
}

// LoadGiven notes what frozen copies of documents of a collection were given.
func LoadGiven(tx *store.Tx, c *plan.Collection, all []Given) error {
	if len(all) == 0 {
		return nil
	}
	var sources, targets, values store.Texts
	var copies, of store.Bigints
	for _, g := range all {
		sources, targets, values = append(sources, g.Source), append(targets, g.Target), append(values, string(g.Value))
		copies, of = append(copies, int64(g.Copy)), append(of, int64(g.Of))
	}
	return tx.DB.Exec(`
		WITH given AS MATERIALIZED (
			SELECT d.n, g.copy, g.of, g.target AS key, coalesce(t.n, 0) AS target, g.value
			FROM unnest(?::text[], ?::smallint[], ?::smallint[], ?::text[], ?::jsonb[])
				g (source, copy, of, target, value)
			JOIN documents d ON d.collection = ? AND d.key = g.source
			LEFT JOIN documents t ON t.collection = g.of AND t.key = g.target),
		later AS (
			INSERT INTO given_later (source, copy, "of", key)
			SELECT n, copy, of, key FROM given WHERE target = 0 AND key <> ''
			ON CONFLICT DO NOTHING)
		INSERT INTO origins (source, copy, target, value) SELECT n, copy, target, value FROM given
		ON CONFLICT DO NOTHING`, sources, copies, of, targets, values, c.Number).Error
}

// LoadGivenLater notes of what the rest of the copies were given, when all that was to be loaded is there.
// Keys: origins (source, copy), documents (collection, key).
func LoadGivenLater(tx *store.Tx) error {
	return tx.DB.Exec(`
		WITH later AS (DELETE FROM given_later RETURNING source, copy, "of", key)
		UPDATE origins o SET target = d.n
		FROM later l JOIN documents d ON d.collection = l.of AND d.key = l.key
		WHERE o.source = l.source AND o.copy = l.copy AND o.target = 0`).Error
}

// DumpedPair is a pair with the keys of its ends.
type DumpedPair struct {
	versionsql.NamedPair
	Unfit bool // it is listed as not fitting
}

// EachPair hands over all pairs of a kind, in a view. Index: misfits_of.
func EachPair(tx *store.Tx, p *plan.Pair, each func(DumpedPair) error) error {
	query := tx.DB.Raw(`
		SELECT p.b, p.a, p.at, `+store.StoredFields(p)+` AS fields, coalesce(f.key, '') AS a_key,
			coalesce(t.key, '') AS b_key,
			EXISTS (SELECT FROM misfits m WHERE m.doc = p.b AND m.subject = p.kind AND m.other = p.a) AS unfit
		FROM pairs p LEFT JOIN documents f ON f.n = p.a LEFT JOIN documents t ON t.n = p.b
		WHERE p.kind = ?`, p.Number)
	return store.EachRow(tx, query, func(row DumpedPair) error {
		row.Fields = store.UpcastFields(p, row.Fields)
		return each(row)
	})
}

// NewestChange is the highest position that is to be seen, 0 if none.
func NewestChange(tx *store.Tx) (int64, error) {
	var seq int64
	err := tx.DB.Raw("SELECT coalesce(max(seq), 0) FROM journal").Scan(&seq).Error
	return seq, err
}

// Row is a document to be loaded.
type Row struct {
	Key, Parent, Path string
	Version           int64
	Created, Updated  time.Time
	Fields            json.RawMessage
	Quiet             store.Quiet
	Unfit             bool // its unique values may be taken
}

// LoadedThere are the documents among some keys that are there already.
// Index: documents (collection, key).
func LoadedThere(tx *store.Tx, c *plan.Collection, keys []string) (map[string]store.Document, error) {
	var rows []store.Document
	err := tx.DB.Raw(`
		SELECT d.n, d.key, d.version, d.created, d.updated, d.fields, coalesce(d.shape, 0) AS shape
		FROM unnest(?::text[]) w (key) JOIN documents d ON d.collection = ? AND d.key = w.key`, store.Texts(keys),
		c.Number).Scan(&rows).Error
	there := make(map[string]store.Document, len(rows))
	for _, d := range rows {
		there[d.Key] = d
	}
	return there, err
}

// TakenOf are the values among some that documents have in a unique field.
// Key: uniques (field, value).
func TakenOf(tx *store.Tx, field plan.Number, values []string) (map[string]bool, error) {
	var found []string
	err := tx.DB.Raw("SELECT u.value FROM unnest(?::text[]) w (value) JOIN uniques u ON u.field = ? "+
		"AND u.value = w.value",
		store.Texts(values), field).Scan(&found).Error
	taken := make(map[string]bool, len(found))
	for _, v := range found {
		taken[v] = true
	}
	return taken, err
}

// LoadDocuments writes documents whose keys and unique values are free, with empty
// kept values, what they point at as far as it is there, their unique values and
// lines of the journal. It returns the row numbers of those that were made, by their
// keys: all whose parents are there. Key: documents (collection, key).
func LoadDocuments(tx *store.Tx, c *plan.Collection, rows []Row) (map[string]int64, error) {
	up := map[string]int64{"": 0}
	if c.Parent != nil {
		var parents []string
		for _, r := range rows {
			parents = append(parents, r.Parent)
		}
		var err error
		if up, err = holdKeys(tx, c.Parent.Number, parents); err != nil {
			return nil, err
		}
	}
	var keys, paths, fields, created, updated, quiet store.Texts
	var above, versions store.Bigints
	var unfit []string // keys
	for _, r := range rows {
		parent, there := up[r.Parent]
		if !there {
			continue
		}
		if r.Unfit {
			unfit = append(unfit, r.Key)
		}
		keys, paths, fields = append(keys, r.Key), append(paths, r.Path), append(fields, string(r.Fields))
		created, updated = append(created, store.TimeText(r.Created)), append(updated, store.TimeText(r.Updated))
		above, versions = append(above, parent), append(versions, r.Version)
		text, err := json.Marshal(r.Quiet)
		if err != nil {
			return nil, err
		}
		quiet = append(quiet, string(text))
	}
	var put []struct {
		N   int64
		Key string
	}
	err := tx.DB.Raw(`
		INSERT INTO documents (collection, key, parent, version, created, updated, fields, quiet, shape)
		SELECT ?::smallint, g.key, nullif(g.parent, 0), g.version, g.created, g.updated, g.fields,
			nullif(g.quiet, 'null'), `+store.Shape(c.Shape)+`
		FROM unnest(?::text[], ?::bigint[], ?::bigint[], ?::timestamptz[], ?::timestamptz[], ?::jsonb[], ?::jsonb[])
			WITH ORDINALITY g (key, parent, version, created, updated, fields, quiet, nth)
		ORDER BY g.nth
		RETURNING n, key`, c.Number, keys, above, versions, created, updated, fields, quiet).Scan(&put).Error
	if store.IsDuplicate(err) {
		return nil, store.ErrRace
	}
	made, ns := make(map[string]int64, len(put)), make(store.Bigints, len(put))
	for i, d := range put {
		made[d.Key], ns[i] = d.N, d.N
	}
	if err == nil {
		err = tx.DB.Exec(`INSERT INTO kept (doc, collection, "values")
			SELECT n, ?, '{}' FROM unnest(?::bigint[]) n ORDER BY n`, c.Number, ns).Error
	}
	if err == nil {
		err = tx.DB.Exec(`
			INSERT INTO journal (kind, subject)
			SELECT 'created', path FROM unnest(?::text[]) WITH ORDINALITY g (path, nth) ORDER BY nth`, paths).Error
	}
	if err != nil {
		return nil, err
	}
	var aside store.Bigints
	for _, key := range unfit {
		aside = append(aside, made[key])
	}
	return made, loadBeside(tx, c, ns, aside)
}

// holdKeys finds documents by their keys and keeps them from being removed until the
// transaction ends, in ascending order. Index: documents (collection, key).
func holdKeys(tx *store.Tx, collection plan.Number, keys []string) (map[string]int64, error) {
	slices.Sort(keys)
	var rows []struct {
		N   int64
		Key string
	}
	err := tx.DB.Raw(`
		SELECT d.n, d.key FROM unnest(?::text[]) w (key) JOIN documents d ON d.collection = ? AND d.key = w.key
		ORDER BY d.n FOR KEY SHARE OF d`, store.Texts(slices.Compact(keys)), collection).Scan(&rows).Error
	held := make(map[string]int64, len(rows))
	for _, r := range rows {
		held[r.Key] = r.N
	}
	return held, err
}

// loadBeside writes what documents point at, as far as it is there, and their unique
// values but for those of the documents that are left aside. Keys: documents (n), documents (collection, key).
func loadBeside(tx *store.Tx, c *plan.Collection, ns, aside store.Bigints) error {
	for _, r := range c.References {
		err := tx.DB.Exec(`
			WITH points AS MATERIALIZED (
				SELECT d.n AS source, t.n AS target
				FROM documents d JOIN documents t ON t.collection = ? AND t.key = d.fields ->> ?::text
				WHERE d.n = ANY(?::bigint[])
				ORDER BY t.n FOR KEY SHARE OF t)
			INSERT INTO refs (source, reference, target)
			SELECT source, ?::smallint, target FROM points ORDER BY source`,
			r.To.Number, r.Name, ns, r.Number).Error
		if err != nil {
			return err
		}
	}
	for _, u := range c.Uniques {
		err := tx.DB.Exec(`
			INSERT INTO uniques (field, value, doc)
			SELECT ?::smallint, fields ->> ?::text, n FROM documents
			WHERE n = ANY(?::bigint[]) AND n <> ALL(?::bigint[]) AND fields ->> ?::text IS NOT NULL`, u.Number, u.Name,
			ns, aside, u.Name).Error
		if store.IsDuplicate(err) {
			return store.ErrRace
		}
		if err != nil {
			return err
		}
	}
	return nil
}

// PairLine is a pair to be loaded.
type PairLine struct {
	From, To string // keys
	Ends     string // as the journal names them
	At       time.Time
	Fields   json.RawMessage // nil if its kind has none
	Filled   []string        // those of them that have got their default
}

// PairOutcome is what became of a pair that was to be loaded.
type PairOutcome int

// The outcomes.
const (
	PairMade PairOutcome = iota
	PairThere
	PairDiffers // it is there with other facts
	NoFrom
	NoTo
)

// LoadPairs writes pairs, with lines of the journal, and tells what became of each.
// Keys: documents (collection, key), pairs (kind, b, a).
func LoadPairs(tx *store.Tx, p *plan.Pair, rows []PairLine) ([]PairOutcome, error) {
	var fromKeys, toKeys []string
	for _, r := range rows {
		fromKeys, toKeys = append(fromKeys, r.From), append(toKeys, r.To)
	}
	from, err := holdKeys(tx, p.From.Number, fromKeys)
	if err != nil {
		return nil, err
	}
	to, err := holdKeys(tx, p.To.Number, toKeys)
	if err != nil {
		return nil, err
	}
	out := make([]PairOutcome, len(rows))
	first := map[ends]int{} // the line that a pair stands in first
	for i, r := range rows {
		a, b := from[r.From], to[r.To]
		switch {
		case a == 0:
			out[i] = NoFrom
		case b == 0:
			out[i] = NoTo
		default:
			out[i] = PairThere
			if nth, twice := first[ends{a, b}]; !twice {
				first[ends{a, b}] = i
			} else if string(rows[nth].Fields) != string(r.Fields) {
				out[i] = PairDiffers
			}
		}
	}
	return out, putPairs(tx, p, rows, first, out)
}

type ends struct{ a, b int64 }

// putPairs writes those of some pairs that do not stand yet.
func putPairs(tx *store.Tx, p *plan.Pair, rows []PairLine, first map[ends]int, out []PairOutcome) error {
	all := slices.SortedFunc(maps.Keys(first), func(x, y ends) int {
		return cmp.Or(cmp.Compare(x.b, y.b), cmp.Compare(x.a, y.a))
	})
	var as, bs store.Bigints
	var at, fields store.Texts
	for _, e := range all {
		r := rows[first[e]]
		as, bs, at = append(as, e.a), append(bs, e.b), append(at, store.TimeText(r.At))
		if r.Fields == nil {
			fields = append(fields, "null")
			continue
		}
		fields = append(fields, string(r.Fields))
	}
	var made []struct{ A, B int64 }
	err := tx.DB.Raw(`
		INSERT INTO pairs (kind, b, a, at, fields, shape)
		SELECT ?::smallint, g.b, g.a, g.at, nullif(g.fields, 'null'),
			CASE WHEN g.fields <> 'null' THEN `+store.Shape(p.Shape)+` END
		FROM unnest(?::bigint[], ?::bigint[], ?::timestamptz[], ?::jsonb[]) g (a, b, at, fields)
		ON CONFLICT DO NOTHING
		RETURNING a, b`, p.Number, as, bs, at, fields).Scan(&made).Error
	if err != nil {
		return err
	}
	var names store.Texts
	for _, e := range made {
		nth := first[ends{e.A, e.B}]
		out[nth] = PairMade
		names = append(names, rows[nth].Ends)
		delete(first, ends{e.A, e.B})
	}
	err = tx.DB.Exec("INSERT INTO journal (kind, subject, detail) SELECT 'set', ?, unnest(?::text[])",
		p.Name, names).Error
	if err != nil || len(p.Fields) == 0 {
		return err
	}
	return compareStanding(tx, p, rows, first, out)
}

// compareStanding tells which pairs that stood already have other facts than a line says.
func compareStanding(tx *store.Tx, p *plan.Pair, rows []PairLine, first map[ends]int, out []PairOutcome) error {
	var as, bs, nths store.Bigints
	var fields, filled store.Texts
	for e, nth := range first {
		as, bs, nths = append(as, e.a), append(bs, e.b), append(nths, int64(nth))
		fields = append(fields, string(rows[nth].Fields))
		filled = append(filled, strings.Join(rows[nth].Filled, ","))
	}
	var differ []int
	err := tx.DB.Raw(`
		SELECT g.nth
		FROM unnest(?::bigint[], ?::bigint[], ?::bigint[], ?::jsonb[], ?::text[]) g (a, b, nth, fields, filled)
		JOIN pairs p ON p.kind = ? AND p.b = g.b AND p.a = g.a
		WHERE p.fields - string_to_array(g.filled, ',') IS DISTINCT FROM g.fields - string_to_array(g.filled, ',')`,
		as, bs, nths, fields, filled, p.Number).Scan(&differ).Error
	for _, nth := range differ {
		out[nth] = PairDiffers
	}
	return err
}

// LoadUnderWay tells whether a load has begun and not ended, and keeps it so until
// the transaction ends. Index: builds_left.
func LoadUnderWay(tx *store.Tx) (bool, error) {
	var does []string
	err := tx.DB.Raw("SELECT does FROM builds WHERE ended IS NULL AND does = 'load' FOR SHARE").Scan(&does).Error
	return len(does) > 0, err
}

// EndLoad ends the load that is under way, false if none is. It tells the highest number that a document had when it
// began.
func EndLoad(tx *store.Tx) (newest int64, is bool, err error) {
	got := tx.DB.Raw(`UPDATE builds SET ended = clock_timestamp() WHERE ended IS NULL AND does = 'load'
		RETURNING reached`).Scan(&newest)
	return newest, got.RowsAffected > 0, got.Error
}

// LoadBefore tells whether a step follows a load, and the highest number that a document had when that began.
func LoadBefore(tx *store.Tx, b versionsql.Build) (newest int64, is bool, err error) {
	got := tx.DB.Raw(`
		SELECT reached FROM builds WHERE version = ? AND nth < ? AND does = 'load'
		ORDER BY nth DESC LIMIT 1`, b.Version, b.Nth).Scan(&newest)
	return newest, got.RowsAffected > 0, got.Error
}
