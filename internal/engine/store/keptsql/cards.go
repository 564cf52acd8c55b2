package keptsql

import (
	"encoding/json"
	"strings"

	"yalvo/internal/design/plan"
	"yalvo/internal/engine/store"
)

// CardFrom is the value of a kept copy, in SQL: the copied values of a target as
// far as it has them. fields and values are the columns that hold the target's.
// It is worked out here and nowhere else. Of lists it has what they show.
func CardFrom(c *plan.Copy, fields, values string) string {
	var parts []string
	if len(c.Fields) > 0 {
		parts = append(parts, MembersFrom(fields, c.Fields, "m.value"))
	}
	if len(c.KeptNames) > 0 {
		parts = append(parts, MembersFrom(values, c.KeptNames, withoutSpare(c.Via.To)))
	}
	return strings.Join(parts, " || ")
}

// withoutSpare is a kept value of a document, as a member of an object, without what is stored of it besides what it
// shows: see [plan.Spare].
func withoutSpare(c *plan.Collection) string {
	if len(c.Spared) == 0 {
		return "m.value"
	}
	value := "CASE m.key"
	for _, s := range c.Spared {
		value += " WHEN '" + s.Name + "' THEN jsonb_path_query_array(m.value, '$[0 to " +
			store.Number(s.HowMany-1) + "]')"
	}
	return value + " ELSE m.value END"
}

// MembersFrom is an object of those members m of another that have one of the names, each with a value.
// Names of a design need no quoting.
func MembersFrom(object string, names []string, value string) string {
	return `coalesce((SELECT jsonb_object_agg(m.key, ` + value + `) FROM jsonb_each(` + object + `) m
		WHERE m.key IN ('` + strings.Join(names, "', '") + `')), '{}')`
}

// CardStatement is the value of a copy that the document numbered source holds, null
// if it points at nothing.
// Keys: refs (source, reference), documents (n), kept (doc).
func CardStatement(c *plan.Copy, source string) store.Statement {
	return store.SQL(`coalesce((
		SELECT `+CardFrom(c, "t.fields", "tk.values")+`
		FROM refs r JOIN documents t ON t.n = r.target LEFT JOIN kept tk ON tk.doc = t.n
		WHERE r.source = `+source+` AND r.reference = ?
	), 'null')`, c.Via.Number)
}

// Card is the value of a copy for a locked target, null if there is none.
func Card(tx *store.Tx, c *plan.Copy, target *store.Document) (json.RawMessage, error) {
	if target == nil {
		return json.RawMessage("null"), nil
	}
	b := &store.Builder{}
	fields, values := b.Arg(string(target.Fields), "jsonb"), b.Arg(string(target.Kept), "jsonb")
	b.Add("SELECT ", CardFrom(c, "g.fields", "g.values"), " FROM (SELECT ", fields, " AS fields, ", values,
		` AS "values") g`)
	var value []byte
	err := tx.Row(b).Scan(&value)
	return value, err
}
