package queuesql

import (
	"encoding/json"
	"fmt"
	"slices"
	"strings"

	"yalvo/internal/design/plan"
	"yalvo/internal/engine/store"
)

// swept is a table with rows that are stored under a number: by which column, and in
// which order they are gone through, along an index that begins with that column.
type swept struct {
	table, column string
	along         []string // columns, each with its type
}

// sweeps says what is stored under a number, by the kind of its name.
var sweeps = map[string][]swept{
	"reference": {{"refs", "reference", []string{"target bigint", "source bigint"}}},
	"unique":    {{"uniques", "field", []string{"value text"}}},
	"pair":      {{"pairs", "kind", []string{"b bigint", "a bigint"}}, sweptMisfits},
	"kept": {{"contributions", "summary", []string{"source bigint", "target bigint"}},
		{"origins", "copy", []string{"source bigint"}}},
	"timeline": append([]swept{{"posted", "timeline", []string{"author bigint", "rank bigint", "doc bigint"}}},
		sweptEntries...),
	"entries":    sweptEntries,
	"collection": {sweptMisfits},
}

var (
	sweptMisfits = swept{"misfits", "subject", []string{"field text", "code text", "doc bigint", "other bigint",
		"pointer text"}}
	sweptEntries = []swept{
		{"entries", "timeline", []string{"owner bigint", "rank bigint", "doc bigint"}},
		{"cuts", "timeline", []string{"owner bigint"}},
		{"delivery_modes", "timeline", []string{"author bigint"}}}
	sweptDue = []swept{
		{"due", "subject", []string{"lane smallint", "change bigint", "seq bigint"}},
		{"parked", "subject", []string{"seq bigint"}}}
)

// SweepPlace is how far a sweep has come. Without it each part of a sweep would go over
// all that the parts before it have dropped and PostgreSQL has not cleared away yet.
type SweepPlace struct {
	table int
	after []string // the last row that was dropped of the table, nil before the first
}

// Sweep drops up to limit rows that are stored under the number of a name of a kind,
// after a place. It returns how many, and the next place; false when nothing was left
// from the first place on. What is due or parked for the number goes too.
func Sweep(tx *store.Tx, kind string, n plan.Number, from SweepPlace, limit int) (many int64, at SweepPlace, more bool,
	err error) {
	tables := sweeps[kind]
	if kind != "entries" {
		tables = slices.Concat(sweptDue, tables)
	}
	began := from.table == 0 && from.after == nil
	for at = from; at.table < len(tables); at = (SweepPlace{table: at.table + 1}) {
		dropped, last, err := sweepSome(tx, tables[at.table], n, at.after, limit)
		if many += dropped; err != nil || last != nil {
			return many, SweepPlace{at.table, last}, true, err
		}
	}
	if kind == "collection" {
		dropped, last, err := sweepDocuments(tx, n, at.after, limit)
		if many += dropped; err != nil || last != nil {
			return many, SweepPlace{at.table, last}, true, err
		}
	}
	return many, SweepPlace{}, many > 0 || !began, nil
}

// sweepSome drops the next rows of a table after one, up to the one it returns, nil if
// there are no more after them.
func sweepSome(tx *store.Tx, s swept, n plan.Number, after []string, limit int) (int64, []string, error) {
	var names, texts, types []string
	for _, column := range s.along {
		name, kind, _ := strings.Cut(column, " ")
		names, texts, types = append(names, name), append(texts, name+"::text"), append(types, "?::text::"+kind)
	}
	along := strings.Join(names, ", ")
	place := "(" + strings.Join(types, ", ") + ")"
	where, args := s.column+" = ?", []any{n}
	bound := func(sign string, row []string) {
		where += fmt.Sprintf(" AND (%s) %s %s", along, sign, place)
		for _, v := range row {
			args = append(args, v)
		}
	}
	if after != nil {
		bound(">", after)
	}
	var last []struct{ At string }
	err := tx.DB.Raw("SELECT array_to_json(ARRAY["+strings.Join(texts, ", ")+"])::text AS at FROM "+s.table+" WHERE "+
		where+" ORDER BY "+along+" OFFSET ? LIMIT 1", append(slices.Clone(args), limit-1)...).Scan(&last).Error
	if err != nil {
		return 0, nil, err
	}
	var upTo []string
	if len(last) > 0 {
		if err := json.Unmarshal([]byte(last[0].At), &upTo); err != nil {
			return 0, nil, err
		}
		bound("<=", upTo)
	}
	got := tx.DB.Exec("DELETE FROM "+s.table+" WHERE "+where, args...)
	return got.RowsAffected, upTo, got.Error
}

// sweepDocuments drops the next documents of a collection that is no longer in the
// design, with what is theirs alone. Index: documents (collection, key).
func sweepDocuments(tx *store.Tx, collection plan.Number, after []string, limit int) (int64, []string, error) {
	key := ""
	if after != nil {
		key = after[0]
	}
	var got struct {
		Many int64
		Last string
	}
	err := tx.DB.Raw(`
		WITH part AS MATERIALIZED (
			SELECT n, key FROM documents WHERE collection = ? AND key > ?::text ORDER BY key LIMIT ?),
		gone AS (DELETE FROM documents WHERE n IN (SELECT n FROM part) RETURNING n),
		k AS (DELETE FROM kept WHERE doc IN (SELECT n FROM gone)),
		r AS (DELETE FROM refs WHERE source IN (SELECT n FROM gone)),
		u AS (DELETE FROM uniques WHERE doc IN (SELECT n FROM gone)),
		o AS (DELETE FROM origins WHERE source IN (SELECT n FROM gone))
		SELECT count(*) AS many, coalesce(max(key), '') AS last FROM part`, collection, key, limit).Scan(&got).Error
	if err != nil || got.Many < int64(limit) {
		return got.Many, nil, err
	}
	return got.Many, []string{got.Last}, nil
}
