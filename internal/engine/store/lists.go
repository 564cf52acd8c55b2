package store

import (
	"bytes"
	"context"
	"crypto/sha256"
	"encoding/hex"
	"encoding/json"
	"errors"
	"fmt"
	"slices"
	"strconv"
	"strings"
	"time"

	"gorm.io/gorm"

	"yalvo/internal/design"
	"yalvo/internal/design/plan"
)

// ListPage says which entries of a list to read.
type ListPage struct {
	*plan.List
	Of            Owned    // the document that the list is asked for
	After         Boundary // see [ListPage.Behind]; [FromTheTop] for the first
	Only, Without int64    // a row: that one alone, or all but that one; 0: all
	Look          string   // the beginning or the words that are looked for
	Filter        Filter
	Limit         int

	MarksAsked
	Reading

	Bare   bool     // no more of the documents is read than their rows' versions
	InMany Pairings // who is known to be in many pairs: see [InMany]
	Share  int      // how many entries are to be read for all who read together: see [ListQuery.Needs]
}

// Owned is a document by its row and key.
type Owned struct {
	N   int64
	Key string
}

// Listed is an entry of a list.
type Listed struct {
	Linked
	order []orderValue // what the list orders it by

	Versions Versions // of pages that are bare
	MarksFound
	Reader *PartnersFound // what is known of the reader, see [Reading]: nil but for one row
}

func (l Listed) size() int { return l.Linked.size() }

// sortKey is a value that a list is ordered by, in SQL.
type sortKey struct {
	sql  string // the same in a page and in its index, where tables have no names
	kind string // the type that it is compared as
	up   bool
}

// orderedText is a stored text as it is ordered: without regard to capitals, by its beginning.
// The index holds no more of it.
const orderedText = `coalesce(left(lower((%s ->> '%s') COLLATE "und-x-icu"), 100), '') COLLATE "C"`

// sortKeys are the values that a list is ordered by; d, k and p are what comes before the
// columns of the document, its kept values and the pair. What is absent is the least.
func sortKeys(l *plan.List, d, k, p string) []sortKey {
	keys := make([]sortKey, len(l.Order))
	for i, o := range l.Order {
		in, t := d+"fields", design.Type("")
		if o.Part.Kept != nil {
			in, t = k+"values", o.Part.Numeric()
			if o.Part.Kept.Timed() {
				t = design.Timestamp
			}
			in = strings.Replace(in, "values", `"values"`, 1)
		} else if o.Part.Field != nil {
			t = o.Part.Field.Type
		}
		key := sortKey{up: o.Up}
		switch {
		case o.System == design.ByPaired:
			key.sql, key.kind = p+"at", "timestamptz"
		case o.System != "":
			key.sql, key.kind = d+o.System, "timestamptz"
		case t == design.String:
			key.sql, key.kind = fmt.Sprintf(orderedText, in, o.Name()), "text"
		case t == design.Timestamp:
			key.sql, key.kind = storedTime(in, o.Name()), "text"
		default:
			key.sql, key.kind = storedValue(in, o.Name()), "jsonb"
		}
		keys[i] = key
	}
	return keys
}

// shown is the column of a page that tells an entry's value.
func (k sortKey) shown() string {
	if k.kind == "jsonb" {
		return "(" + k.sql + ")::text"
	}
	return k.sql
}

// orderValue is what a list orders an entry by: a time, or another value as text.
type orderValue struct {
	time time.Time
	text string
}

// read is where a value of a key is read to.
func (k sortKey) read(v *orderValue) any {
	if k.kind == "timestamptz" {
		return &v.time
	}
	return &v.text
}

// kept is a value of a key as a boundary keeps it.
func (k sortKey) kept(v orderValue) json.RawMessage {
	switch k.kind {
	case "jsonb":
		return json.RawMessage(v.text)
	case "text":
		text, _ := json.Marshal(v.text) // what PostgreSQL holds can be written
		return text
	}
	return strconv.AppendInt(nil, v.time.UnixMicro(), 10)
}

// given is a value of a key that a boundary has kept, to compare with.
func (k sortKey) given(raw json.RawMessage) (any, error) {
	switch k.kind {
	case "jsonb":
		return string(raw), nil
	case "text":
		var s string
		return s, json.Unmarshal(raw, &s)
	}
	var micros int64
	err := json.Unmarshal(raw, &micros)
	return time.UnixMicro(micros).UTC(), err
}

// way is the order in which a value is walked through.
func way(up bool) string {
	if up {
		return " ASC"
	}
	return " DESC"
}

// mostAhead is how many rows of a page are made room for before any has come.
const mostAhead = 200

// listRow is a row of the statement of a page.
type listRow struct {
	Listed
	inMany Pairings // see [lookups.inMany]
	marks  marksRow
	order  []orderValue
	reader readerRow
}

// into is what a row of the statement is read to.
func (page ListPage) into() *listRow {
	return &listRow{marks: page.marksRow(), order: make([]orderValue, len(page.Order))}
}

// columns are where the columns of the statement go.
func (page ListPage) columns(r *listRow) []any {
	columns := []any{&r.N, &r.Key, &r.Version, &r.Created, &r.Updated, &r.Shape, (*[]byte)(&r.Fields),
		(*[]byte)(&r.Kept), &r.Quiet}
	if page.Bare {
		columns = []any{&r.N, &r.Versions.Document, &r.Versions.Kept}
	}
	columns = append(columns, &r.At, (*[]byte)(&r.PairFields), &r.inMany)
	columns = append(columns, r.marks.columns()...)
	for i, k := range sortKeys(page.List, "", "", "") {
		columns = append(columns, k.read(&r.order[i]))
	}
	return append(columns, r.reader.columns(page.Reading)...)
}

// listed is the entry that a row tells of.
func (page ListPage) listed(r listRow) (Listed, error) {
	l := r.Listed
	if page.Through != nil {
		l.PairFields = liftFields(page.Through, l.PairFields)
	}
	l.Collection, l.order = page.Entries.Number, slices.Clone(r.order)
	l.Reader = r.reader.found(page.Reading)
	var err error
	l.MarksFound, err = page.found(r.marks)
	return l, err
}

// Behind is the boundary after an entry of the list.
func (page ListPage) Behind(l Listed) Boundary {
	values := make([][]byte, len(l.order))
	for i, k := range sortKeys(page.List, "", "", "") {
		values[i] = k.kept(l.order[i])
	}
	return Boundary{Values: "[" + string(bytes.Join(values, []byte(","))) + "]", N: l.N}
}

// row is the row of an entry, in the table that the list is read from.
func (page ListPage) row() string {
	switch {
	case page.ByPairs():
		_, there := page.ends()
		return "p." + there
	case page.ReadByKept():
		return "k.doc"
	}
	return "d.n"
}

// ends are the columns of pairs that hold the document that the list is asked for, and the
// entry.
func (page ListPage) ends() (here, there string) {
	if page.Side == design.From {
		return "a", "b"
	}
	return "b", "a"
}

// from is what the list is read from, joined with kept values and with what its filter looks
// up as far as they are named, with what its entries have in common.
func (page ListPage) from(joins string) statement {
	in := number(int64(page.Entries.Number))
	s := statement{"documents d" + joins +
		"\n\t\tWHERE d.collection = " + in + " AND " + listsOnly("d.n"), nil}
	switch {
	case page.Through != nil:
		here, there := page.ends()
		s = statement{`pairs p JOIN documents d ON d.n = p.` + there + joins + `
		WHERE p.kind = ? AND p.` + here + ` = ? AND ` + walked("p."), []any{page.Through.Number, page.Of.N}}
	case page.ReadByKept():
		s.sql = "kept k JOIN documents d ON d.n = k.doc" + joins + "\n\t\tWHERE k.collection = " + in + " AND " +
			listsOnly("k.doc")
	}
	switch {
	case page.Under:
		s.sql, s.args = s.sql+" AND d.parent = ?", append(s.args, page.Of.N)
	case page.By != nil:
		s.sql, s.args = s.sql+" AND "+storedKey("d.fields", page.By.Name)+" = ?", append(s.args, page.Of.Key)
		if ref := page.Reference(); ref.WhenGone == design.GoneLeave { // it may be another that has the key now
			s.sql += " AND EXISTS (SELECT FROM refs r WHERE r.source = d.n AND r.reference = ? AND r.target = ?)"
			s.args = append(s.args, ref.Number, page.Of.N)
		}
	}
	switch {
	case page.Only != 0:
		s.sql, s.args = s.sql+" AND d.n = ?", append(s.args, page.Only)
	case page.Without != 0:
		s.sql, s.args = s.sql+" AND d.n <> ?", append(s.args, page.Without)
	}
	switch {
	case page.Starts != nil:
		text := fmt.Sprintf(orderedText, "d.fields", page.Starts.Name)
		begin := `(left(lower(?::text COLLATE "und-x-icu"), 100) COLLATE "C")`
		s.sql += " AND " + text + " >= " + begin + " AND " + text + " < " + begin + ` || chr(1114111)`
		s.args = append(s.args, page.Look, page.Look)
	case len(page.Words) > 0:
		s.sql += " AND " + wordsOf(page.List, "d.") + " @@ plainto_tsquery('simple', ?)"
		s.args = append(s.args, page.Look)
	}
	return s
}

// after is the condition to come after an entry. The first value alone is compared too, for
// the index; all together, where they go the same way.
func (page ListPage) after(keys []sortKey) (statement, error) {
	if page.After.Values == "" {
		return statement{}, nil
	}
	var raw []json.RawMessage
	if err := json.Unmarshal([]byte(page.After.Values), &raw); err != nil || len(raw) != len(keys) {
		return statement{}, fmt.Errorf("a page of list %s cannot go on after %s", page.Name, page.After.Values)
	}
	all := append(slices.Clone(keys), sortKey{page.row(), "bigint", keys[len(keys)-1].up})
	args := make([]any, len(all))
	for i, k := range keys {
		var err error
		if args[i], err = k.given(raw[i]); err != nil {
			return statement{}, err
		}
	}
	args[len(keys)] = page.After.N
	beyond := map[bool]string{true: ">", false: "<"}
	if !slices.ContainsFunc(all, func(k sortKey) bool { return k.up != all[0].up }) {
		var values, places []string
		for _, k := range all {
			values, places = append(values, k.sql), append(places, "?::"+k.kind)
		}
		s := statement{"(" + strings.Join(values, ", ") + ") " + beyond[all[0].up] + " (" +
			strings.Join(places, ", ") + ")", args}
		return page.afterFirst(all[0], beyond, args[0], s), nil
	}
	var s statement
	for i := len(all) - 1; i >= 0; i-- {
		k := all[i]
		is := k.sql + " " + beyond[k.up] + " ?::" + k.kind
		if s.sql == "" {
			s = statement{is, []any{args[i]}}
			continue
		}
		s = statement{"(" + is + " OR " + k.sql + " = ?::" + k.kind + " AND " + s.sql + ")",
			append([]any{args[i], args[i]}, s.args...)}
	}
	return page.afterFirst(all[0], beyond, args[0], s), nil
}

// afterFirst adds what the condition says of the first value alone: the index may hold no
// more of it.
func (page ListPage) afterFirst(k sortKey, beyond map[bool]string, arg any, s statement) statement {
	return statement{"\n\t\t  AND " + k.sql + " " + beyond[k.up] + "= ?::" + k.kind + " AND " + s.sql,
		append([]any{arg}, s.args...)}
}

// wordsOf are the words of an entry, as they stand: no language is assumed. Of very long
// texts the beginning counts.
func wordsOf(l *plan.List, d string) string {
	texts := make([]string, len(l.Words))
	for i, f := range l.Words {
		texts[i] = "left(coalesce(" + d + "fields ->> '" + f.Name + "', ''), 100000)"
	}
	return "to_tsvector('simple', " + strings.Join(texts, " || ' ' || ") + ")"
}

// listIndex is the index that a list is read with, on a table; empty if it is one that
// there always is.
func listIndex(l *plan.List) (table, definition string) {
	where := " WHERE collection = " + number(int64(l.Entries.Number))
	keys := sortKeys(l, "", "", "")
	switch {
	case l.Through != nil:
		return "", ""
	case len(l.Words) > 0:
		return "documents", "USING gin ((" + wordsOf(l, "") + "))" + where
	case l.Starts != nil:
		text := fmt.Sprintf(orderedText, "fields", l.Starts.Name)
		return "documents", "((" + text + "), n)" + where
	case l.ReadByKept():
		if l.Mixed() {
			keys = keys[:1]
		}
		return "kept", "(" + indexed(nil, keys, "doc") + ")" + where
	}
	var common []string
	switch {
	case l.Under:
		common = append(common, "parent")
	case l.By != nil:
		common = append(common, "("+storedKey("fields", l.By.Name)+")")
	}
	for _, f := range l.Fixed() {
		common = append(common, "("+storedValue("fields", f.Name)+")")
	}
	switch since := l.Since(); {
	case since != "":
		common, keys = append(common, since), nil
	case l.Sorted():
		keys = nil
	case l.Mixed():
		keys = keys[:1]
	}
	return "documents", "(" + indexed(common, keys, "n") + ")" + where
}

// listsOnly is true of every row. The indexes of lists ask for it and so do the statements of
// lists, and no others: PostgreSQL, which may know little yet of a collection that has just
// begun to grow, would look documents up by their keys in a list's index too, through all of
// it.
func listsOnly(row string) string { return row + " > 0" }

// onTable is what an index is made of, after its name.
func onTable(table, definition string) string {
	row := "n"
	if table == "kept" {
		row = "doc"
	}
	return " ON " + table + " " + definition + " AND " + listsOnly(row)
}

func indexed(common []string, keys []sortKey, row string) string {
	up := true
	for _, k := range keys {
		common, up = append(common, "("+k.sql+")"+way(k.up)), k.up
	}
	return strings.Join(append(common, row+way(up)), ", ")
}

// listPrefix begins the names of the indexes of lists. The rest stands for what it is: two
// lists that need the same share it, and one that needs another gets another.
const listPrefix = "list_"

func listIndexName(table, definition string) string {
	sum := sha256.Sum256([]byte(table + definition))
	return listPrefix + hex.EncodeToString(sum[:12])
}

// HasListIndex tells whether the index of a list is there and can be used.
func (tx *Tx) HasListIndex(l *plan.List) (bool, error) {
	table, definition := listIndex(l)
	if table == "" {
		return true, nil
	}
	_, valid, err := isIndex(tx.db, listIndexName(table, definition))
	return valid, err
}

func isIndex(db *gorm.DB, name string) (there, valid bool, err error) {
	var is []bool
	err = db.Raw(`SELECT i.indisvalid FROM pg_index i JOIN pg_class c ON c.oid = i.indexrelid
		WHERE c.relnamespace = ?::regnamespace AND c.relname = ?`, schemaName, name).Scan(&is).Error
	return len(is) > 0, len(is) > 0 && is[0], err
}

// IndexList creates the index of a list beside writers, outside of any transaction, and
// tells whether it did: not if another service is at such work. One that was left
// half-made is made anew.
func (s *Store) IndexList(ctx context.Context, l *plan.List) (bool, error) {
	table, definition := listIndex(l)
	name := listIndexName(table, definition)
	return s.aside(ctx, func(db *gorm.DB) error {
		there, valid, err := isIndex(db, name)
		if err == nil && there && !valid {
			err = db.Exec("DROP INDEX CONCURRENTLY IF EXISTS " + name).Error
		}
		if err != nil || valid {
			return err
		}
		return db.Exec("CREATE INDEX CONCURRENTLY " + name + onTable(table, definition)).Error
	})
}

// DropIndexes drops indexes beside writers, as [Store.IndexList] creates one.
func (s *Store) DropIndexes(ctx context.Context, names []string) (bool, error) {
	return s.aside(ctx, func(db *gorm.DB) error {
		for _, name := range names {
			if err := db.Exec("DROP INDEX CONCURRENTLY IF EXISTS " + name).Error; err != nil {
				return err
			}
		}
		return nil
	})
}

// asideLock is held by who works on indexes outside of transactions.
const asideLock = 1<<62 + 1

// aside does something on one connection, outside of transactions, if no other service
// does such a thing.
func (s *Store) aside(ctx context.Context, do func(*gorm.DB) error) (done bool, err error) {
	err = s.upkeep.WithContext(ctx).Connection(func(db *gorm.DB) error {
		if err := db.Raw("SELECT pg_try_advisory_lock(?)", int64(asideLock)).Scan(&done).Error; err != nil || !done {
			return err
		}
		err := do(db)
		return errors.Join(err, db.WithContext(context.WithoutCancel(ctx)).
			Exec("SELECT pg_advisory_unlock(?)", int64(asideLock)).Error)
	})
	return done, err
}

// IndexLists has the lists of a plan have their indexes, and no others, at once: for
// tables that nothing is in.
func (tx *Tx) IndexLists(p *plan.Plan) error {
	extra, err := tx.ExtraIndexes(p)
	if err != nil {
		return err
	}
	for _, name := range extra {
		if err := tx.db.Exec("DROP INDEX IF EXISTS " + name).Error; err != nil {
			return err
		}
	}
	for _, l := range p.Lists {
		table, definition := listIndex(l)
		if table == "" {
			continue
		}
		if err := tx.db.Exec("CREATE INDEX IF NOT EXISTS " + listIndexName(table, definition) +
			onTable(table, definition)).Error; err != nil {
			return err
		}
	}
	return nil
}

// ExtraIndexes are the indexes that no list of a plan needs.
func (tx *Tx) ExtraIndexes(p *plan.Plan) ([]string, error) {
	needed := texts{}
	for _, l := range p.Lists {
		if table, definition := listIndex(l); table != "" {
			needed = append(needed, listIndexName(table, definition))
		}
	}
	var extra []string
	err := tx.db.Raw(`SELECT indexname FROM pg_indexes WHERE schemaname = ? AND starts_with(indexname, ?)
		AND indexname <> ALL(?::text[])`, schemaName, listPrefix, needed).Scan(&extra).Error
	return extra, err
}
