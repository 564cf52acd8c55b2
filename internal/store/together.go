package store

import (
	"strconv"
	"strings"
	"time"

	"yalvo/internal/plan"
)

// mostTogether is the most rows a page may have that is read together with others.
const mostTogether = 101

// eachOf is a statement that answers for each of several sets of arguments what one statement
// answers for one, with the place of the set, from 1, in a last column: begun, sent and set up
// once, it costs far less than as many statements. beside are tables that the one statement
// names, with arguments before its own. False if an argument is of a kind that cannot be handed
// over in this way. The rows of a set come in the order of the one statement.
func eachOf(beside, one string, sets [][]any) (statement, bool) {
	var arrays, names []string
	var args []any
	for i := range sets[0] {
		array, as := column(sets, i)
		if as == "" {
			return statement{}, false
		}
		arrays, args = append(arrays, "?::"+as+"[]"), append(args, array)
		names = append(names, "a"+strconv.Itoa(i))
	}
	var text strings.Builder
	one = beside + `
		CROSS JOIN LATERAL (` + one + `) AS one`
	for i := 0; ; i++ {
		before, after, found := strings.Cut(one, "?")
		text.WriteString(before)
		if !found {
			break
		}
		text.WriteString("asked.a" + strconv.Itoa(i))
		one = after
	}
	return statement{`
		SELECT one.*, asked.nth
		FROM unnest(` + strings.Join(arrays, ", ") + `) WITH ORDINALITY
			AS asked (` + strings.Join(names, ", ") + `, nth)` +
		text.String(), args}, true
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
