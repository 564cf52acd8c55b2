package store

import (
	"strconv"
	"strings"
	"time"

	"yalvo/internal/design/plan"
)

// MostTogether is the most rows a page may have that is read together with others.
const MostTogether = 101

// EachOf is a statement that answers for each of several sets of arguments what one statement
// answers for one, with the place of the set, from 1, in a last column: begun, sent and set up
// once, it costs far less than as many statements. beside are tables that the one statement
// names, with arguments before its own. False if an argument is of a kind that cannot be handed
// over in this way. The rows of a set come in the order of the one statement.
func EachOf(beside, one string, sets [][]any) (Statement, bool) {
	types, args, ok := ArgColumns(sets)
	if !ok {
		return Statement{}, false
	}
	return Statement{EachText(beside, one, types), args}, true
}

// EachText is the text of such a statement, which follows from the types of the arguments.
func EachText(beside, one string, types []string) string {
	arrays, names := make([]string, len(types)), make([]string, len(types))
	for i, as := range types {
		arrays[i], names[i] = "?::"+as+"[]", "a"+strconv.Itoa(i)
	}
	var text strings.Builder
	text.WriteString(`
		SELECT one.*, asked.nth
		FROM unnest(` + strings.Join(arrays, ", ") + `) WITH ORDINALITY
			AS asked (` + strings.Join(names, ", ") + `, nth)`)
	one = beside + `
		CROSS JOIN LATERAL (` + one + `) AS one`
	for _, name := range names {
		before, after, _ := strings.Cut(one, "?")
		text.WriteString(before + "asked." + name)
		one = after
	}
	text.WriteString(one)
	return text.String()
}

// ArgColumns are sets of arguments as arrays, one for each place, with their types in PostgreSQL.
func ArgColumns(sets [][]any) (types []string, arrays []any, ok bool) {
	types, arrays = make([]string, len(sets[0])), make([]any, len(sets[0]))
	for i := range sets[0] {
		if arrays[i], types[i] = column(sets, i); types[i] == "" {
			return nil, nil, false
		}
	}
	return types, arrays, true
}

// column are the arguments of one place as an array, and its type in PostgreSQL; empty if they
// are of none of these.
func column(sets [][]any, place int) (array any, as string) {
	switch sets[0][place].(type) {
	case string:
		return values(sets, place, func(v any) string { return v.(string) }), "text"
	case time.Time:
		return values(sets, place, func(v any) time.Time { return v.(time.Time) }), "timestamptz"
	case int64:
		return values(sets, place, func(v any) int64 { return v.(int64) }), "bigint"
	case plan.Number:
		return values(sets, place, func(v any) int64 { return int64(v.(plan.Number)) }), "bigint"
	case int:
		return values(sets, place, func(v any) int64 { return int64(v.(int)) }), "bigint"
	}
	return nil, ""
}

// values are the arguments of one place. Statements of one text have them of one type.
func values[T any](sets [][]any, place int, read func(any) T) []T {
	array := make([]T, len(sets))
	for i, set := range sets {
		array[i] = read(set[place])
	}
	return array
}
