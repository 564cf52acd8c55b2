package tests

import (
	"fmt"
	"strings"

	"yalvo/internal/design"
)

// marshTriggers are triggers that write facts of every kind, on every event.
const marshTriggers = `
triggers:
  measure:   {on: {created: posts}, when: "has(doc.text)", do: [{edit: {birds: "doc.text.size() % 10"}}]}
  remeasure: {on: {changed: posts}, when: "has(doc.text) && has(old.text) && doc.text != old.text", do: [{edit: {birds: "doc.text.size() % 10"}}]}
  tell:      {on: {set: follow}, do: [{create: notices, id: "from + '_' + to", fields: {text: "'follows'", about: to}}]}
  untell:    {on: {unset: follow}, do: [{remove: notices, id: "from + '_' + to"}]}
  mourn:     {on: {removed: posts}, when: "has(doc.text)", do: [{create: notices, id: "'gone_' + key", fields: {text: doc.text, about: doc.author}}]}
  keen:      {on: {set: vote}, when: "pair.value > 1", do: [{pair: like, from: from, to: to}]}
`

// reactions are what a design's triggers do about the deeds that are played:
// how often each is set off by what follows from a client's change, and the
// values that it writes. When it gets to write them the journal says.
type reactions struct {
	fired  map[string]int            // "trigger subject"
	writes map[string]map[string]any // "change path": fields
}

func newReactions() *reactions {
	return &reactions{map[string]int{}, map[string]map[string]any{}}
}

func about(cause int64, subject string) string { return fmt.Sprint(cause, " ", subject) }

// fire sets off the triggers that wait for an event of a document or a pair.
func (re *reactions) fire(d *design.Design, cause int64, on design.Event, c *design.Collection, p *design.Pair, payload map[string]any) {
	subject := ""
	if p != nil {
		subject = p.From.Path(payload["from"].(string)) + " → " + p.To.Path(payload["to"].(string))
	} else {
		subject = c.Path(payload["key"].(string))
	}
	for _, t := range d.Triggers {
		if t.On != on || t.Collection != c || t.Pair != p || t.When != nil && !holds(t.When.Condition, payload) {
			continue
		}
		re.fired[t.Name+" "+subject]++
		for _, s := range t.Steps {
			switch s.Do {
			case design.DoEdit:
				re.write(cause, c.Path(payload["key"].(string)), s, payload)
			case design.DoCreate:
				re.write(cause, s.Collection.Path(worth(s.ID.Value.Of(payload)).(string)), s, payload)
			}
		}
	}
}

func (re *reactions) write(cause int64, path string, s *design.Step, payload map[string]any) {
	fields := re.writes[about(cause, path)]
	if fields == nil {
		fields = map[string]any{}
		re.writes[about(cause, path)] = fields
	}
	for name, v := range s.Fields {
		fields[name] = worth(v.Value.Of(payload))
	}
}

// worth is a value that must be there; whole numbers are the tests' own.
func worth(v any, err error) any {
	if err != nil {
		panic(err)
	}
	if n, is := v.(int64); is {
		return int(n)
	}
	return v
}

// ofDocument is what a trigger sees of a document's change.
func ofDocument(d *thing, old map[string]any) map[string]any {
	payload := map[string]any{"doc": typed(d.fields), "key": d.key, "me": ""}
	if old != nil {
		payload["old"] = typed(old)
	}
	return payload
}

func ofPair(from, to *thing, fields map[string]any) map[string]any {
	return map[string]any{"pair": typed(fields), "from": from.key, "to": to.key, "me": ""}
}

// inForce takes from a change that followed from another what it wrote: the
// values of a trigger, or a reference that was cleared.
func (re *reactions) inForce(cause int64, path, names string) map[string]any {
	fields := map[string]any{}
	for _, name := range strings.Split(names, ", ") {
		fields[name] = re.writes[about(cause, path)][name]
	}
	return fields
}
