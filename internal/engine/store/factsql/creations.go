package factsql

import (
	"database/sql"
	"encoding/json"
	"fmt"
	"strconv"
	"strings"
	"time"

	"yalvo/internal/design/plan"
	"yalvo/internal/engine/store"
	"yalvo/internal/engine/store/keptsql"
)

// Creation is a document to be written with all that belongs to it.
type Creation struct {
	In       *plan.Collection
	Key      string
	Parent   string // the parent's key, of a nested document
	Fields   json.RawMessage
	MadeFrom []byte                     // digest of the request
	Targets  map[*plan.Reference]string // keys of what it points at
	Design   int                        // the version of the design it is planned with
	Record   Record
	Due      []plan.Work // rows are numbered as package plan says
	Change   int64       // the change the due work is waited for with, 0 for this one
	Relied   []Relied    // what has to be as it was
}

// Relied is a document in the version that something was decided by.
type Relied struct {
	store.Address
	Row uint32 // see [store.Document]
}

// Created is what came of it. Nothing was written if Position is 0: then the
// design is another, what was relied on has changed, something it points at is missing, a
// unique value is taken, or else the key is.
type Created struct {
	Document store.Document
	Position int64
	Design   int           // the version in force
	Found    []plan.Number // references whose targets are there; 0: the parent
	Taken    []plan.Number // unique fields whose values other documents have
	Stale    bool          // what was relied on has changed
	Own      int64         // entries in its authors' own timelines
}

// Create writes a document, its kept values, indexes, posts, journal line and
// due work in one statement. What it points at is locked until the commit:
// against removal, and what is copied from against change. Locks are taken in
// ascending order of the rows, those against change first.
// Keys: documents (collection, key), uniques (field, value).
func Create(tx *store.Tx, c Creation) (Created, error) {
	b := &store.Builder{}
	held, there := c.targets()
	b.Add("WITH now AS (SELECT version AS design, clock_timestamp() AS at FROM designs ORDER BY version DESC ",
		"LIMIT 1),\n")
	if len(held) > 0 {
		b.Add("held AS MATERIALIZED (", lockedTargets(b, held, ", d.fields, k.values",
			"LEFT JOIN kept k ON k.doc = d.n", "FOR SHARE OF d"), "),\n")
	}
	if len(there) > 0 {
		b.Add("there AS MATERIALIZED (", lockedTargets(b, there, "", "", "FOR KEY SHARE OF d"), "),\n")
	}
	b.Add("target AS MATERIALIZED (", allTargets(held, there), "),\n")
	takenFields := "'{}'"
	if len(c.In.Uniques) > 0 {
		b.Add("taken AS MATERIALIZED (", c.taken(b), "),\n")
		takenFields = "ARRAY(SELECT field FROM taken)::text"
	}
	stale := "false"
	if len(c.Relied) > 0 {
		b.Add("relied AS MATERIALIZED (", c.relied(b), "),\n")
		stale = "NOT (SELECT holds FROM relied)"
	}
	b.Add("doc AS (", c.document(b, len(held)+len(there)), "),\n")
	b.Add("made AS (", c.kept(b), "),\n")
	for i, insert := range c.beside() {
		b.Add("beside", strconv.Itoa(i), " AS (", insert, "),\n")
	}
	own := "0"
	for i, insert := range c.own() {
		b.Add("own", strconv.Itoa(i), " AS (", insert, " RETURNING 1),\n")
		own += " + (SELECT count(*) FROM own" + strconv.Itoa(i) + ")"
	}
	b.Add("recorded AS (", recordFrom(b, c.Record, "doc"), ")")
	if len(c.Due) > 0 {
		b.Add(",\nfollowed AS (", c.followed(b), ")")
	}
	b.Add("\nSELECT now.design, ARRAY(SELECT reference FROM target)::text, ", takenFields, ", ", stale, `,
		doc.n, doc.version, doc.created, made.values, recorded.seq, `, own, `
		FROM now LEFT JOIN doc ON true LEFT JOIN made ON true LEFT JOIN recorded ON true`)
	var out Created
	var found, taken string
	var n, version, position *int64
	var created *time.Time
	var kept sql.Null[[]byte]
	err := tx.Row(b).Scan(&out.Design, &found, &taken, &out.Stale, &n, &version, &created, &kept, &position,
		&out.Own)
	if store.IsDuplicate(err) {
		return out, store.ErrRace
	}
	if err != nil {
		return out, err
	}
	out.Found, out.Taken = planNumbers(found), planNumbers(taken)
	if n == nil {
		return out, nil
	}
	tx.Got(c.Due)
	out.Position = *position
	out.Document = store.Document{N: *n, Collection: c.In.Number, Key: c.Key, Version: *version, Created: *created,
		Updated: *created, Fields: c.Fields, Kept: kept.V, MadeFrom: c.MadeFrom, Shape: c.In.Shape}
	return out, nil
}

// wanted is a document that something is about to hang on.
type wanted struct {
	reference plan.Number // 0: the parent
	store.Address
}

// targets are what the document points at: what it copies from, and the rest.
func (c Creation) targets() (held, there []wanted) {
	for _, ref := range c.In.References {
		key, points := c.Targets[ref]
		if !points {
			continue
		}
		w := wanted{ref.Number, store.Address{Collection: ref.To.Number, Key: key}}
		if len(ref.Copies) > 0 {
			held = append(held, w)
			continue
		}
		there = append(there, w)
	}
	if c.In.Parent != nil {
		there = append(there, wanted{0, store.Address{Collection: c.In.Parent.Number, Key: c.Parent}})
	}
	return held, there
}

// lockedTargets finds and locks what is wanted, in ascending order of the rows.
func lockedTargets(b *store.Builder, all []wanted, columns, join, lock string) string {
	if len(all) == 1 {
		w := all[0]
		return "SELECT " + store.Number(w.reference) + "::smallint AS reference, d.n" + columns +
			" FROM documents d " + join + " WHERE d.collection = " + store.Number(w.Collection) + " AND d.key = " +
			b.Arg(w.Key, "text") + " " + lock
	}
	n := len(all)
	references, collections, keys := make(store.Bigints, n), make(store.Bigints, n), make(store.Texts, n)
	for i, w := range all {
		references[i], collections[i], keys[i] = int64(w.reference), int64(w.Collection), w.Key
	}
	return `SELECT w.reference, d.n` + columns + `
		FROM unnest(` + b.Arg(references.Text(), "smallint[]") + `, ` + b.Arg(collections.Text(), "smallint[]") + `,
			` + b.Arg(keys.Text(), "text[]") + `) AS w (reference, collection, key)
		JOIN documents d ON d.collection = w.collection AND d.key = w.key ` + join + `
		ORDER BY d.n ` + lock
}

func allTargets(held, there []wanted) string {
	const from = "SELECT reference, n FROM "
	switch {
	case len(held) > 0 && len(there) > 0:
		return from + "held UNION ALL " + from + "there"
	case len(held) > 0:
		return from + "held"
	case len(there) > 0:
		return from + "there"
	}
	return "SELECT 0::smallint AS reference, 0::bigint AS n WHERE false"
}

// taken are the unique fields whose values other documents have.
func (c Creation) taken(b *store.Builder) string {
	given := b.Arg(string(c.Fields), "jsonb")
	var looks []string
	for _, u := range c.In.Uniques {
		looks = append(looks, "SELECT field FROM uniques WHERE field = "+store.Number(u.Number)+" AND value = "+
			""+given+" ->> '"+u.Name+"'")
	}
	return strings.Join(looks, " UNION ALL ")
}

func (c Creation) document(b *store.Builder, wanted int) string {
	return `INSERT INTO documents (collection, key, parent, fields, made_from, shape, created, updated)
		SELECT ` + b.Arg(c.In.Number, "smallint") + `, ` + b.Arg(c.Key, "text") + `,
			(SELECT n FROM target WHERE reference = 0),
			` + b.Arg(string(c.Fields), "jsonb") + `, ` + b.Arg(c.MadeFrom, "bytea") + `,
			` + store.Shape(c.In.Shape) + `, now.at, now.at
		FROM now
		WHERE now.design = ` + b.Arg(c.Design, "int") + c.nothingTaken() + c.holds() + `
		  AND (SELECT count(*) FROM target) = ` + b.Arg(wanted, "int") + `
		ON CONFLICT (collection, key) DO NOTHING
		RETURNING n, version, created, fields`
}

// relied tells whether what was relied on is as it was.
func (c Creation) relied(b *store.Builder) string {
	looks := make([]string, len(c.Relied))
	for i, r := range c.Relied {
		looks[i] = "EXISTS (SELECT FROM documents WHERE collection = " + store.Number(r.Collection) +
			" AND key = " +
			b.Arg(r.Key, "text") + " AND xmin = " + b.Arg(strconv.FormatUint(uint64(r.Row), 10), "text") + "::xid)"
	}
	return "SELECT " + strings.Join(looks, " AND ") + " AS holds"
}

func (c Creation) holds() string {
	if len(c.Relied) == 0 {
		return ""
	}
	return " AND (SELECT holds FROM relied)"
}

func (c Creation) nothingTaken() string {
	if len(c.In.Uniques) == 0 {
		return ""
	}
	return " AND NOT EXISTS (SELECT FROM taken)"
}

// kept are the first kept values: summaries of nothing, and copies as their
// targets now are.
func (c Creation) kept(b *store.Builder) string {
	empty := map[string]json.RawMessage{}
	for _, count := range c.In.Counts {
		empty[count.Name] = json.RawMessage("0")
	}
	for _, s := range c.In.Summaries {
		empty[s.Name] = s.Empty()
	}
	text, _ := json.Marshal(empty) // constants
	values := b.Arg(string(text), "jsonb")
	for _, copied := range c.In.Copies {
		values += " || jsonb_build_object('" + copied.Name + "', " + c.heldCard(copied) + ")"
	}
	return `
		INSERT INTO kept (doc, collection, "values")
		SELECT doc.n, ` + store.Number(c.In.Number) + `, ` + values + `
		FROM doc RETURNING "values"`
}

// heldCard is what is copied from a target, null from none.
func (c Creation) heldCard(copied *plan.Copy) string {
	if _, points := c.Targets[copied.Via]; !points {
		return "NULL::jsonb"
	}
	return "coalesce((SELECT " + keptsql.CardFrom(copied, "h.fields", "h.values") +
		" FROM held h WHERE h.reference = " +
		store.Number(copied.Via.Number) + "), 'null')"
}

// beside is what is written beside the document: the indexes of its references
// and unique values, what frozen copies were given, and its posts.
func (c Creation) beside() []string {
	inserts := []string{"INSERT INTO refs (source, reference, target) SELECT doc.n, t.reference, t.n FROM doc, " +
		"target t WHERE t.reference <> 0"}
	for _, u := range c.In.Uniques {
		inserts = append(inserts, `INSERT INTO uniques (field, value, doc)
			SELECT `+store.Number(u.Number)+`, doc.fields ->> '`+u.Name+`', doc.n FROM doc
				WHERE doc.fields ->> '`+u.Name+`' IS NOT NULL`)
	}
	for _, copied := range c.In.Copies {
		if _, points := c.Targets[copied.Via]; copied.Frozen && points {
			inserts = append(inserts, `INSERT INTO origins (source, copy, target, value)
				SELECT doc.n, `+store.Number(copied.Number)+`, h.n, `+keptsql.CardFrom(copied, "h.fields", "h.values")+`
				FROM doc, held h WHERE h.reference = `+store.Number(copied.Via.Number))
		}
	}
	for _, t := range c.In.EntersInto {
		inserts = append(inserts, `INSERT INTO posted (timeline, author, rank, doc)
			SELECT `+store.Number(t.Number)+`, author.n, `+store.Rank(t, "doc")+`, doc.n `+byAuthor(t))
	}
	return inserts
}

// own are the entries in its authors' own timelines.
func (c Creation) own() (inserts []string) {
	for _, t := range c.In.EntersInto {
		if t.Own && t.Deliver != "pull" {
			inserts = append(inserts, `INSERT INTO entries (timeline, owner, rank, doc, author)
				SELECT `+store.Number(t.Number)+`, author.n, `+store.Rank(t, "doc")+`, doc.n, author.n `+byAuthor(t))
		}
	}
	return inserts
}

// byAuthor is the author of a document that enters a timeline.
func byAuthor(t *plan.Timeline) string {
	return "FROM doc, target author WHERE author.reference = " + store.Number(t.By.Number) + " AND " +
		store.Meets(t, "doc")
}

// recordFrom appends a line to the journal for the row of a CTE, if there is
// one: of two changes of one document the later one has the higher position.
func recordFrom(b *store.Builder, r Record, cte string) string {
	return `INSERT INTO journal (kind, subject, detail, actor, cause)
		SELECT ` + b.Arg(string(r.Kind), "text") + `, ` + b.Arg(r.Subject, "text") + `, ` + b.Arg(r.Detail, "text") + `,
			` + b.Arg(r.Actor, "text") + `, nullif(` + b.Arg(r.Cause, "bigint") + `, 0)
		FROM ` + cte + ` RETURNING seq`
}

// followed appends the due work. What it is follows from the collection and from
// which fields are there, so it stands in the text of the statement.
func (c Creation) followed(b *store.Builder) string {
	rows := map[int64]string{plan.NewRow: "doc.n", plan.ParentRow: targetRow(0)}
	for ref := range c.Targets {
		rows[plan.TargetRow(ref)] = targetRow(ref.Number)
	}
	values := make([]string, len(c.Due))
	for i, work := range c.Due {
		values[i] = workValues(work, rows, c.rankOf(work), false)
	}
	return insertDue(b, c.Change) + " FROM recorded r, doc, LATERAL (VALUES " + strings.Join(values, ", ") +
		") AS v (lane, step, subject, key, doc, rank, amount, anew) WHERE v.rank IS NOT NULL"
}

func targetRow(reference plan.Number) string {
	return "(SELECT n FROM target WHERE reference = " + store.Number(reference) + ")"
}

// rankOf is the rank of due work on the entries of the new document, NULL if it enters no
// timeline.
func (c Creation) rankOf(w plan.Work) string {
	for _, t := range c.In.EntersInto {
		if w.Subject == t.Number {
			return "CASE WHEN " + store.Meets(t, "doc") + " THEN " + store.Rank(t, "doc") + " END"
		}
	}
	return store.Number(w.Rank)
}

// insertDue is an INSERT of due work v that follows from a recorded change r.
func insertDue(b *store.Builder, change int64) string {
	return `INSERT INTO due (change, lane, step, subject, key, doc, rank, amount)
		SELECT coalesce(nullif(` + b.Arg(change, "bigint") + `, 0), r.seq), v.lane, v.step, v.subject, v.key, v.doc,
			v.rank, v.amount`
}

// workValues is a row of due work with the known rows in the place of
// placeholders.
func workValues(w plan.Work, rows map[int64]string, rank string, anew bool) string {
	known := func(n int64) string {
		if row, is := rows[n]; is {
			return row
		}
		return store.Number(n)
	}
	return fmt.Sprintf("(%d::smallint, %d::smallint, %d::smallint, %s::bigint, %s::bigint, %s::bigint, %d::bigint, %t)",
		w.Step.Lane(), w.Step, w.Subject, known(w.Key), known(w.Doc), rank, w.Amount, anew)
}

func planNumbers(text string) []plan.Number {
	var all []plan.Number
	for _, n := range store.NumbersIn(text) {
		all = append(all, plan.Number(n))
	}
	return all
}
