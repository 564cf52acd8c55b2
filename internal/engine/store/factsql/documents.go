package factsql

import (
	"context"
	"encoding/json"
	"strconv"
	"time"

	"yalvo/internal/design"
	"yalvo/internal/design/plan"
	"yalvo/internal/engine/store"
	"yalvo/internal/engine/store/keptsql"
)

// Document is [Document] within a transaction.
func Document(tx *store.Tx, c *plan.Collection, key string) (store.Document, bool, error) {
	return lock(tx, c, key, "")
}

// LockForEdit reads a document and keeps others from changing or removing it
// until the transaction ends. Others may still point at it.
func LockForEdit(tx *store.Tx, c *plan.Collection, key string) (store.Document, bool, error) {
	return lock(tx, c, key, "FOR NO KEY UPDATE OF d")
}

// LockForRemoval reads a document and keeps everyone else off it, those who
// want to point at it included, until the transaction ends.
func LockForRemoval(tx *store.Tx, c *plan.Collection, key string) (store.Document, bool, error) {
	return lock(tx, c, key, "FOR UPDATE OF d")
}

// lock reads a document, its facts in the form that the design in force has.
func lock(tx *store.Tx, c *plan.Collection, key, strength string) (store.Document, bool, error) {
	var d store.Document
	got := tx.DB.Raw(`
		SELECT `+store.FieldColumns(c)+`
		FROM documents d LEFT JOIN kept k ON k.doc = d.n
		WHERE d.collection = ? AND d.key = ?
		`+strength, c.Number, key).Scan(&d)
	d.Upcast(c)
	return d, got.RowsAffected > 0, got.Error
}

// LockNumbered locks documents of a collection for removal, in ascending order,
// and returns those that still exist. It waits for nobody: those that others
// hold are left out too.
func LockNumbered(tx *store.Tx, c *plan.Collection, ns []int64) ([]store.Document, error) {
	var found []store.Document
	err := tx.DB.Raw(`
		SELECT `+store.FieldColumns(c)+`
		FROM documents d LEFT JOIN kept k ON k.doc = d.n
		WHERE d.n = ANY(?::bigint[]) AND d.collection = ?
		ORDER BY d.n
		FOR UPDATE OF d SKIP LOCKED`, store.Bigints(ns), c.Number).Scan(&found).Error
	for i := range found {
		found[i].Upcast(c)
	}
	return found, err
}

// Strength says how firmly a document that others will hang on is held.
type Strength string

// The strengths: Existing keeps a document from being removed, Unchanged
// from being changed too, so that what is copied of it stays right. Edited is
// for who will change it, Removed for who will remove it.
const (
	Existing  Strength = "FOR KEY SHARE"
	Unchanged Strength = "FOR SHARE"
	Edited    Strength = "FOR NO KEY UPDATE"
	Removed   Strength = "FOR UPDATE"
)

// LockTargets holds documents that a write is about to point at, in ascending
// order. Those that do not exist are missing from the answer.
// Index: documents (collection, key).
func LockTargets(tx *store.Tx, addresses []store.Address, strength Strength) (map[store.Address]store.Document, error) {
	found := make(map[store.Address]store.Document, len(addresses))
	if len(addresses) == 0 {
		return found, nil
	}
	collections, keys := make([]int64, len(addresses)), make([]string, len(addresses))
	for i, a := range addresses {
		collections[i], keys[i] = int64(a.Collection), a.Key
	}
	var rows []store.Document
	columns, join := "d.n, d.collection, d.key", ""
	if strength == Unchanged { // then its values are wanted too
		columns, join = store.DocumentColumns, "LEFT JOIN kept k ON k.doc = d.n"
	}
	err := tx.DB.Raw(`
		SELECT `+columns+`
		FROM unnest(?::smallint[], ?::text[]) AS want (collection, key)
		JOIN documents d ON d.collection = want.collection AND d.key = want.key
		`+join+`
		ORDER BY d.n
		`+string(strength)+` OF d`, store.Bigints(collections), store.Texts(keys)).Scan(&rows).Error
	for _, d := range rows {
		found[store.Address{Collection: d.Collection, Key: d.Key}] = d
	}
	return found, err
}

// Update writes new fields into a locked document of a collection and, if there
// are any, new kept values. Touched are the values that differ. Index: misfits_of.
func Update(tx *store.Tx, c *plan.Collection, d *store.Document, touched []string,
	kept map[string]json.RawMessage) error {
	var s struct {
		Version int64
		Updated time.Time
		Quiet   store.Quiet
		Ranks   store.Ranked
	}
	key := store.QuietKey(touched, c.Access.Narrowed())
	// References to nothing that the edit leaves as they are stay listed.
	err := tx.DB.Raw(`
		WITH written AS (
		UPDATE documents d SET fields = ?::jsonb, version = version + 1, shape = `+store.Shape(c.Shape)+`,
			updated = CASE WHEN quietly.key = '' THEN quietly.at ELSE updated END,
			quiet = CASE WHEN quietly.key = '' THEN quiet ELSE coalesce(quiet, '{}') || jsonb_build_object(quietly.key,
				jsonb_build_array(coalesce((quiet -> quietly.key ->> 0)::bigint, 0) + 1, quietly.at)) END
		FROM (SELECT clock_timestamp() AS at, ?::text AS key) quietly
		WHERE n = ?
		RETURNING n, version, updated, quiet, `+store.Ranks(c, "d")+` AS ranks),
		listed AS (
			UPDATE misfits m SET stamp = w.version
			FROM written w
			WHERE m.doc = w.n AND m.subject = ? AND m.stamp = w.version - 1 AND m.code = ?
			  AND m.field <> ALL(?::text[]))
		SELECT version, updated, quiet, ranks FROM written`, string(d.Fields), key, d.N, c.Number,
		design.MistakeNoTarget, store.Texts(touched)).Scan(&s).Error
	d.Version, d.Updated, d.Quiet, d.Ranks = s.Version, s.Updated, s.Quiet, s.Ranks
	if err != nil || len(kept) == 0 {
		return err
	}
	patch, err := json.Marshal(kept)
	if err != nil {
		return err
	}
	var now struct{ Kept json.RawMessage }
	err = tx.DB.Raw(`
		UPDATE kept SET "values" = "values" || ?::jsonb
		WHERE doc = ?
		RETURNING "values" AS kept`, string(patch), d.N).Scan(&now).Error
	d.Kept = now.Kept
	return err
}

// Delete takes documents away with all that belongs to them alone: kept
// values, references, unique values, what frozen copies were given. What others
// hold of them is due work; their keys are remembered until it is done, and longer
// what they would have gone with: what they lay under, and where references of
// some kinds pointed.
func Delete(tx *store.Tx, ns []int64, removing []plan.Number) error {
	if err := keptsql.LockKept(tx, ns); err != nil {
		return err
	}
	err := tx.DB.Exec(`
		WITH gone AS (DELETE FROM documents WHERE n = ANY(?::bigint[]) RETURNING n, key, collection, created, parent)
		INSERT INTO departed (n, key, collection, created, of)
		SELECT g.n, g.key, g.collection, g.created, array_remove(g.parent ||
			ARRAY(SELECT r.target FROM refs r WHERE r.source = g.n AND r.reference = ANY(?::smallint[])), NULL)
		FROM gone g`, store.Bigints(ns), store.NumberArgs(removing)).Error
	if err != nil {
		return err
	}
	for _, sql := range []string{
		"DELETE FROM kept WHERE doc = ANY(?::bigint[])",
		"DELETE FROM refs WHERE source = ANY(?::bigint[])",
		"DELETE FROM uniques WHERE doc = ANY(?::bigint[])",
		"DELETE FROM origins WHERE source = ANY(?::bigint[])",
	} {
		if err := tx.DB.Exec(sql, store.Bigints(ns)).Error; err != nil {
			return err
		}
	}
	return nil
}

// Number is the row number of a document, 0 if there is none.
func Number(ctx context.Context, s *store.Store, a store.Address) (int64, error) {
	var n int64
	err := s.DB.WithContext(ctx).Raw("SELECT n FROM documents WHERE collection = ? AND key = ?", a.Collection,
		a.Key).Scan(&n).Error
	return n, err
}

// Owner is the document that owns a timeline: its number, and in which part of
// the table its entries lie, from 1; 0: not known. Naming the part spares a read
// the other seven.
type Owner struct {
	N    int64
	Part int
}

// parts is how many the table of entries has.
const parts = 8

// Entries is the table to read.
func (o Owner) Entries() string {
	if o.Part == 0 {
		return "entries"
	}
	return "entries_" + strconv.Itoa(o.Part-1)
}

// FindOwner finds an owner, with the number 0 if there is none.
func FindOwner(ctx context.Context, s *store.Store, a store.Address) (Owner, error) {
	var o Owner
	err := s.DB.WithContext(ctx).Raw(`
		SELECT d.n, part
		FROM documents d CROSS JOIN generate_series(1, ?::int) AS part
		WHERE d.collection = ? AND d.key = ? AND satisfies_hash_partition('entries'::regclass, ?::int, part - 1, d.n)`,
		parts, a.Collection, a.Key, parts).Scan(&o).Error
	return o, err
}

// Keys are the keys of documents by their numbers, as far as they exist.
func Keys(ctx context.Context, s *store.Store, ns []int64) (map[int64]string, error) {
	docs, err := Numbered(s.Looking(ctx), ns)
	keys := make(map[int64]string, len(docs))
	for _, d := range docs {
		keys[d.N] = d.Key
	}
	return keys, err
}

// Below are those of some documents that have a lower number than a given one.
// Index: documents (collection, key).
func Below(tx *store.Tx, n int64, addresses []store.Address) ([]store.Address, error) {
	collections, keys := make(store.Bigints, len(addresses)), make(store.Texts, len(addresses))
	for i, a := range addresses {
		collections[i], keys[i] = int64(a.Collection), a.Key
	}
	var below []store.Address
	err := tx.DB.Raw(`
		SELECT d.collection, d.key
		FROM unnest(?::smallint[], ?::text[]) AS want (collection, key)
		JOIN documents d ON d.collection = want.collection AND d.key = want.key
		WHERE d.n < ?`, collections, keys, n).Scan(&below).Error
	return below, err
}

// Numbered reads the names of documents by their numbers, without locking them.
func Numbered(tx *store.Tx, ns []int64) ([]store.Document, error) {
	var found []store.Document
	err := tx.DB.Raw("SELECT n, collection, key FROM documents WHERE n = ANY(?::bigint[]) ORDER BY n",
		store.Bigints(ns)).Scan(&found).Error
	return found, err
}
