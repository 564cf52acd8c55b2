package store

import (
	"fmt"
	"strconv"
	"strings"

	"yalvo/internal/design/plan"
)

// Rank is a document's place in the order of a timeline, in SQL: its creation,
// or the value of one of its fields; of times, microseconds since 1970. d is
// the name of a row of documents. It is worked out here and nowhere else.
func Rank(t *plan.Timeline, d string) string {
	switch {
	case t.Order == nil:
		return "(extract(epoch FROM " + d + ".created) * 1000000)::bigint"
	case t.Order.Type == "timestamp":
		return fmt.Sprintf("coalesce((extract(epoch FROM (%s.fields ->> '%s')::timestamptz) * 1000000)::bigint, 0)", d,
			t.Order.Name)
	}
	return fmt.Sprintf("coalesce((%s.fields ->> '%s')::bigint, 0)", d, t.Order.Name)
}

// Ranks are the places in all timelines that a collection enters, as text; of one whose
// condition the document does not meet it is [plan.NoRank].
func Ranks(c *plan.Collection, d string) string {
	if len(c.EntersInto) == 0 {
		return "''"
	}
	all := make([]string, len(c.EntersInto))
	for i, t := range c.EntersInto {
		all[i] = Rank(t, d)
		if t.Where != nil {
			all[i] = "CASE WHEN " + Meets(t, d) + " THEN " + Rank(t, d) + " ELSE " + Number(plan.NoRank) + " END"
		}
	}
	return "concat_ws(',', " + strings.Join(all, ", ") + ")"
}

// NumbersIn reads whole numbers separated by commas, nil of nothing.
func NumbersIn(text string) []int64 {
	text = strings.Trim(text, "{}")
	if text == "" {
		return nil
	}
	var all []int64
	for _, part := range strings.Split(text, ",") {
		n, _ := strconv.ParseInt(part, 10, 64) // as PostgreSQL wrote it
		all = append(all, n)
	}
	return all
}
