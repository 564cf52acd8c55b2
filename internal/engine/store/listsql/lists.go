package listsql

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
	"yalvo/internal/engine/store"
	"yalvo/internal/engine/store/readsql"
	"yalvo/internal/engine/store/rulesql"
)

// ListPage says which entries of a list to read.
type ListPage struct {
	*plan.List
	Of            Owned          // the document that the list is asked for
	After         store.Boundary // see [ListPage.Behind]; [store.FromTheTop] for the first
	Only, Without int64          // a row: that one alone, or all but that one; 0: all
	Look          string         // the beginning or the words that are looked for
	Filter        rulesql.Filter
	Limit         int

	readsql.MarksAsked
	readsql.Reading

	Bare   bool             // no more of the documents is read than their rows' versions
	InMany rulesql.Pairings // who is known to be in many pairs: see [rulesql.InMany]
}

// Owned is a document by its row and key.
type Owned struct {
	N   int64
	Key string
}

// Listed is an entry of a list.
type Listed struct {
	readsql.Linked
	order []orderValue // what the list orders it by

	Versions readsql.Versions // of pages that are bare
	readsql.MarksFound
	Reader *readsql.PartnersFound // what is known of the reader, see [readsql.Reading]: nil but for one row
}

func (l Listed) size() int { return l.Linked.Size() }

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
			key.sql, key.kind = store.StoredTime(in, o.Name()), "text"
		default:
			key.sql, key.kind = store.StoredValue(in, o.Name()), "jsonb"
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

// listRow is a row of the statement of a page.
type listRow struct {
	Listed
	inMany rulesql.Pairings // see [rulesql.Lookups.InMany]
	marks  readsql.MarksRow
	order  []orderValue
	reader readsql.ReaderRow
}

// into is what a row of the statement is read to.
func (page ListPage) into() *listRow {
	return &listRow{marks: page.MarksRow(), order: make([]orderValue, len(page.Order))}
}

// columns are where the columns of the statement go.
func (page ListPage) columns(r *listRow) []any {
	columns := []any{&r.N, &r.Key, &r.Version, &r.Created, &r.Updated, &r.Shape, (*[]byte)(&r.Fields),
		(*[]byte)(&r.Kept), &r.Quiet}
	if page.Bare {
		columns = []any{&r.N, &r.Versions.Document, &r.Versions.Kept}
	}
	columns = append(columns, &r.At, (*[]byte)(&r.PairFields), &r.inMany)
	columns = append(columns, r.marks.Columns()...)
	for i, k := range sortKeys(page.List, "", "", "") {
		columns = append(columns, k.read(&r.order[i]))
	}
	return append(columns, r.reader.Columns(page.Reading)...)
}

// listed is the entry that a row tells of.
func (page ListPage) listed(r listRow) (Listed, error) {
	l := r.Listed
	if page.Through != nil {
		l.PairFields = store.UpcastFields(page.Through, l.PairFields)
	}
	l.Collection, l.order = page.Entries.Number, slices.Clone(r.order)
	l.Reader = r.reader.Found(page.Reading)
	var err error
	l.MarksFound, err = page.Found(r.marks)
	return l, err
}

// Behind is the boundary after an entry of the list.
func (page ListPage) Behind(l Listed) store.Boundary {
	values := make([][]byte, len(l.order))
	for i, k := range sortKeys(page.List, "", "", "") {
		values[i] = k.kept(l.order[i])
	}
	return store.Boundary{Values: "[" + string(bytes.Join(values, []byte(","))) + "]", N: l.N}
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
func (page ListPage) from(joins string) store.Statement {
	in := store.Number(page.Entries.Number)
	s := store.SQL("documents d" + joins +
		"\n\t\tWHERE d.collection = " + in + " AND " + listsOnly("d.n"))
	switch {
	case page.Through != nil:
		here, there := page.ends()
		s = store.SQL(`pairs p JOIN documents d ON d.n = p.`+there+joins+`
		WHERE p.kind = ? AND p.`+here+` = ? AND `+store.Walked("p."), page.Through.Number, page.Of.N)
	case page.ReadByKept():
		s.SQL = "kept k JOIN documents d ON d.n = k.doc" + joins + "\n\t\tWHERE k.collection = " + in + " AND " +
			listsOnly("k.doc")
	}
	switch {
	case page.Under:
		s.SQL, s.Args = s.SQL+" AND d.parent = ?", append(s.Args, page.Of.N)
	case page.By != nil:
		s.SQL, s.Args = s.SQL+" AND "+store.StoredKey("d.fields", page.By.Name)+" = ?", append(s.Args, page.Of.Key)
		if ref := page.Reference(); ref.WhenGone == design.GoneLeave { // it may be another that has the key now
			s.SQL += " AND EXISTS (SELECT FROM refs r WHERE r.source = d.n AND r.reference = ? AND r.target = ?)"
			s.Args = append(s.Args, ref.Number, page.Of.N)
		}
	}
	switch {
	case page.Only != 0:
		s.SQL, s.Args = s.SQL+" AND d.n = ?", append(s.Args, page.Only)
	case page.Without != 0:
		s.SQL, s.Args = s.SQL+" AND d.n <> ?", append(s.Args, page.Without)
	}
	switch {
	case page.Starts != nil:
		text := fmt.Sprintf(orderedText, "d.fields", page.Starts.Name)
		begin := `(left(lower(?::text COLLATE "und-x-icu"), 100) COLLATE "C")`
		s.SQL += " AND " + text + " >= " + begin + " AND " + text + " < " + begin + ` || chr(1114111)`
		s.Args = append(s.Args, page.Look, page.Look)
	case len(page.Words) > 0:
		s.SQL += " AND " + wordsOf(page.List, "d.") + " @@ plainto_tsquery('simple', ?)"
		s.Args = append(s.Args, page.Look)
	}
	return s
}

// after is the condition to come after an entry. The first value alone is compared too, for
// the index; all together, where they go the same way.
func (page ListPage) after(keys []sortKey) (store.Statement, error) {
	if page.After.Values == "" {
		return store.Statement{}, nil
	}
	var raw []json.RawMessage
	if err := json.Unmarshal([]byte(page.After.Values), &raw); err != nil || len(raw) != len(keys) {
		return store.Statement{}, fmt.Errorf("a page of list %s cannot go on after %s", page.Name, page.After.Values)
	}
	all := append(slices.Clone(keys), sortKey{page.row(), "bigint", keys[len(keys)-1].up})
	args := make([]any, len(all))
	for i, k := range keys {
		var err error
		if args[i], err = k.given(raw[i]); err != nil {
			return store.Statement{}, err
		}
	}
	args[len(keys)] = page.After.N
	beyond := map[bool]string{true: ">", false: "<"}
	if !slices.ContainsFunc(all, func(k sortKey) bool { return k.up != all[0].up }) {
		var values, places []string
		for _, k := range all {
			values, places = append(values, k.sql), append(places, "?::"+k.kind)
		}
		s := store.SQL("("+strings.Join(values, ", ")+") "+beyond[all[0].up]+" ("+
			strings.Join(places, ", ")+")", args...)
		return page.afterFirst(all[0], beyond, args[0], s), nil
	}
	var s store.Statement
	for i := len(all) - 1; i >= 0; i-- {
		k := all[i]
		is := k.sql + " " + beyond[k.up] + " ?::" + k.kind
		if s.SQL == "" {
			s = store.SQL(is, args[i])
			continue
		}
		s = store.SQL("("+is+" OR "+k.sql+" = ?::"+k.kind+" AND "+s.SQL+")", append([]any{args[i], args[i]},
			s.Args...)...)
	}
	return page.afterFirst(all[0], beyond, args[0], s), nil
}

// afterFirst adds what the condition says of the first value alone: the index may hold no
// more of it.
func (page ListPage) afterFirst(k sortKey, beyond map[bool]string, arg any, s store.Statement) store.Statement {
	return store.SQL("\n\t\t  AND "+k.sql+" "+beyond[k.up]+"= ?::"+k.kind+" AND "+s.SQL, append([]any{arg},
		s.Args...)...)
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
	where := " WHERE collection = " + store.Number(l.Entries.Number)
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
		common = append(common, "("+store.StoredKey("fields", l.By.Name)+")")
	}
	for _, f := range l.Fixed() {
		common = append(common, "("+store.StoredValue("fields", f.Name)+")")
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
func HasListIndex(tx *store.Tx, l *plan.List) (bool, error) {
	table, definition := listIndex(l)
	if table == "" {
		return true, nil
	}
	_, valid, err := isIndex(tx.DB, listIndexName(table, definition))
	return valid, err
}

func isIndex(db *gorm.DB, name string) (there, valid bool, err error) {
	var is []bool
	err = db.Raw(`SELECT i.indisvalid FROM pg_index i JOIN pg_class c ON c.oid = i.indexrelid
		WHERE c.relnamespace = ?::regnamespace AND c.relname = ?`, store.SchemaName, name).Scan(&is).Error
	return len(is) > 0, len(is) > 0 && is[0], err
}

// IndexList creates the index of a list beside writers, outside of any transaction, and
// tells whether it did: not if another service is at such work. One that was left
// half-made is made anew.
func IndexList(ctx context.Context, s *store.Store, l *plan.List) (bool, error) {
	table, definition := listIndex(l)
	name := listIndexName(table, definition)
	return aside(ctx, s, func(db *gorm.DB) error {
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

// DropIndexes drops indexes beside writers, as [IndexList] creates one.
func DropIndexes(ctx context.Context, s *store.Store, names []string) (bool, error) {
	return aside(ctx, s, func(db *gorm.DB) error {
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
func aside(ctx context.Context, s *store.Store, do func(*gorm.DB) error) (done bool, err error) {
	err = s.UpkeepDB.WithContext(ctx).Connection(func(db *gorm.DB) error {
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
func IndexLists(tx *store.Tx, p *plan.Plan) error {
	extra, err := ExtraIndexes(tx, p)
	if err != nil {
		return err
	}
	for _, name := range extra {
		if err := tx.DB.Exec("DROP INDEX IF EXISTS " + name).Error; err != nil {
			return err
		}
	}
	for _, l := range p.Lists {
		table, definition := listIndex(l)
		if table == "" {
			continue
		}
		if err := tx.DB.Exec("CREATE INDEX IF NOT EXISTS " + listIndexName(table, definition) +
			onTable(table, definition)).Error; err != nil {
			return err
		}
	}
	return nil
}

// ExtraIndexes are the indexes that no list of a plan needs.
func ExtraIndexes(tx *store.Tx, p *plan.Plan) ([]string, error) {
	needed := store.Texts{}
	for _, l := range p.Lists {
		if table, definition := listIndex(l); table != "" {
			needed = append(needed, listIndexName(table, definition))
		}
	}
	var extra []string
	err := tx.DB.Raw(`SELECT indexname FROM pg_indexes WHERE schemaname = ? AND starts_with(indexname, ?)
		AND indexname <> ALL(?::text[])`, store.SchemaName, listPrefix, needed).Scan(&extra).Error
	return extra, err
}
