package bulk

import (
	"testing"
	"time"

	"yalvo/internal/design/language"
	"yalvo/internal/design/plan"
	"yalvo/internal/engine/running"
	"yalvo/tests/bounds"
)

// Whatever a line says, it is read within bounds, and either fits the design or is told
// why not.
func FuzzLine(f *testing.F) {
	d, err := language.Read("pond.yaml", []byte(`
yalvo: 1
app: pond
accounts: people
collections:
  people: {fields: {name: {type: string, required: true, unique: true}, at: {type: timestamp, default: now},
      best: {type: reference, to: people, when_gone: clear}}, kept: {given: {copy: best, fields: [name], frozen: true}}}
  notes: {under: people, fields: {n: {type: number}, of: {type: object, fields: {x: {type: list,
      of: {type: integer}, max: 4}}}}}
pairs: {follow: {from: people, to: people, from_calls: following, to_calls: followers,
    fields: {since: {type: integer, default: 1}}}}
`))
	if err != nil {
		f.Fatal(err)
	}
	n := plan.Number(0)
	v := &running.Version{Number: 1, Plan: plan.New(d, func(string, string) plan.Number { n++; return n })}
	for _, seed := range []string{
		`{"document":"people/ada","version":3,"created":"2031-04-05T06:07:08Z","facts":{"name":"Ada"},` +
			`"given":{"given":{"of":"ben","value":{"name":"Ben"}}}}`,
		`{"document":"people/ada/notes/n","facts":{"n":1e300,"of":{"x":[1,2]}}}`,
		`{"pair":"follow","from":"a","to":"b","at":"0000-01-01T00:00:00Z","facts":{}}`,
		`{"document":"people/\u0000","facts":{}}`, `[[[[[[[[`, `{"facts":null,"document":"people/a"}`, "\xff",
		`{"document":"people/a","document":"people/b"}`,
	} {
		f.Add([]byte(seed))
	}
	f.Fuzz(func(t *testing.T, text []byte) {
		bounds.Hold(t, func() {
			p, why := parse(v, 1, text, time.Unix(1_900_000_000, 0).UTC())
			if len(why) > 0 {
				return
			}
			if p == nil || p.in == nil && p.pair == nil || p.fields == nil {
				t.Errorf("%q is taken and says nothing: %+v", text, p)
			}
		})
	})
}
