package running

import (
	"encoding/json"
	"slices"

	"yalvo/internal/design"
	"yalvo/internal/design/access"
	"yalvo/internal/design/expr"
	"yalvo/internal/design/plan"
)

// Seen is the member of what sets off a trigger that holds the document's values as
// expressions that see documents name them. It is for these alone.
const Seen = "seen"

// SeesAny tells whether any of some triggers sees documents.
func SeesAny(triggers []*plan.Trigger) bool {
	return slices.ContainsFunc(triggers, func(t *plan.Trigger) bool { return len(t.Sees()) > 0 })
}

// About is what a trigger's expressions that see documents are about, by what set it off.
// The document is as it was then, others are as they are when they are looked at.
func (v *Version) About(t *plan.Trigger, payload map[string]any) access.Condition {
	key := func(name string) string { s, _ := payload[name].(string); return s }
	if t.Pair != nil {
		pair, _ := payload["pair"].(map[string]any)
		return access.Condition{Pair: pair, Given: map[string]*expr.Document{
			design.NameFrom: v.Law.Document(t.Pair.From.Collection, key("from"), nil),
			design.NameTo:   v.Law.Document(t.Pair.To.Collection, key("to"), nil)}}
	}
	in := t.Collection
	seen, _ := payload[Seen].(map[string]any)
	given := map[string]*expr.Document{design.NameDoc: v.Law.Document(in.Collection, key("key"), asSeen(in, seen))}
	if old, is := payload["old"].(map[string]any); is {
		given["old"] = v.Law.Document(in.Collection, key("key"), old)
	}
	return access.Condition{Given: given, Values: map[string]any{"key": key("key")}}
}

// asSeen are the values of a document in the types that expressions compute with.
func asSeen(c *plan.Collection, values map[string]any) map[string]any {
	out := map[string]any{}
	for name, x := range values {
		f := c.Collection.Field(name)
		n, isNumber := x.(json.Number)
		switch {
		case f != nil:
			if fits, wrong := f.Accept(x); len(wrong) == 0 {
				out[name] = fits
			}
		case isNumber && c.KeptValue(name) != nil:
			out[name] = counted(design.Part{Kept: c.KeptValue(name)}.Numeric(), x)
		case isNumber: // the version
			if whole, err := n.Int64(); err == nil {
				out[name] = whole
			}
		default:
			out[name] = x
		}
	}
	return out
}
