package versions

import (
	"cmp"
	"context"
	"errors"
	"slices"
	"strings"
	"time"

	"yalvo/internal/design"
	"yalvo/internal/design/compare"
	"yalvo/internal/design/plan"
	"yalvo/internal/engine/running"
	"yalvo/internal/engine/store"
	"yalvo/internal/engine/store/auditsql"
	"yalvo/internal/engine/store/versionsql"
)

// Difference is what a design would change, measured by what is stored.
type Difference struct {
	Base    int       `json:"base"` // the version that it is compared with, 0 if none is in force
	Changes []Change  `json:"changes"`
	Steps   []Planned `json:"steps"`   // what would be done in the background
	Seconds float64   `json:"seconds"` // how long that would take, at the rates just measured
	Drops   []string  `json:"drops"`   // facts that would be lost: these have to be named
}

// Change is one thing that differs.
type Change struct {
	Kind    string   `json:"kind"` // collection, field, check, kept value, pair, timeline, list, trigger or design
	Name    string   `json:"name"`
	Was     string   `json:"was,omitempty"`
	How     string   `json:"how"` // added, dropped, renamed or changed
	What    []string `json:"what,omitempty"`
	Effects []Effect `json:"effects"` // none: nothing that is stored changes
}

// Effect is what a change does to what is stored.
type Effect struct {
	Does     string    `json:"does"`               // fill, carry, convert, check, rebuild, redeliver, retract or drop
	Many     int64     `json:"many"`               // documents, pairs or entries that it is about
	Unfit    int64     `json:"unfit,omitempty"`    // those that would not fit, or cannot be converted
	Examples []Example `json:"examples,omitempty"` // a few of these
}

// Example is a document that would not fit.
type Example struct {
	Path   string `json:"path"`
	Detail string `json:"detail"`
}

// Planned is a step as it would be.
type Planned struct {
	Does    string  `json:"does"`
	Name    string  `json:"name"`
	Aspect  string  `json:"aspect,omitempty"`
	Shows   string  `json:"shows,omitempty"` // what readers see meanwhile
	Many    int64   `json:"many"`            // documents to go through
	Rate    float64 `json:"rate,omitempty"`  // of them a second, as just measured; 0: nothing was there to measure
	Seconds float64 `json:"seconds"`
}

// Diff compares a design with the one in force and measures what it would do. It
// writes nothing: what it tries it undoes.
func (k *Keeper) Diff(ctx context.Context, file string, to *design.Design) (Difference, error) {
	now, applied, err := versionsql.CurrentDesign(k.Store.Looking(ctx))
	if err != nil {
		return Difference{}, err
	}
	from := &design.Design{}
	if applied {
		if from, err = read(now); err != nil {
			return Difference{}, err
		}
	}
	c, err := compared(file, from, to)
	if err != nil {
		return Difference{}, err
	}
	d := Difference{Base: now.Version, Changes: []Change{}, Steps: []Planned{}, Drops: []string{}}
	err = k.Store.View(ctx, func(tx *store.Tx) error {
		d.Changes, d.Steps, d.Drops = []Change{}, []Planned{}, []string{}
		return k.measure(ctx, tx, c, now.Version, &d)
	})
	if err != nil {
		return d, err
	}
	return d, k.time(ctx, c, now.Version, &d)
}

// measure counts what the differences are about, as of one moment.
func (k *Keeper) measure(ctx context.Context, tx *store.Tx, c *compare.Comparison, base int, d *Difference) error {
	old, err := versionsql.LookUp(tx, c.From, nil)
	if err != nil {
		return err
	}
	m := measuring{ctx: ctx, tx: tx, c: c, old: old, trials: map[string]*trial{}}
	for _, diff := range c.Differences {
		change := Change{Kind: diff.Kind, Name: diff.Name, Was: diff.Was, How: string(diff.How), What: diff.What,
			Effects: []Effect{}}
		for _, e := range diff.Effects {
			effect, err := m.effect(diff, e)
			if err != nil {
				return err
			}
			if e == compare.Drop && (effect.Many > 0 || diff.Kind == "field") {
				d.Drops = append(d.Drops, diff.Name)
			}
			change.Effects = append(change.Effects, effect)
		}
		d.Changes = append(d.Changes, change)
	}
	return nil
}

// measuring counts what differences are about.
type measuring struct {
	ctx    context.Context
	tx     *store.Tx
	c      *compare.Comparison
	old    *plan.Plan // of the design in force, numbered as what is stored
	trials map[string]*trial
}

func (m measuring) effect(d compare.Difference, e compare.Effect) (Effect, error) {
	out := Effect{Does: string(e)}
	var err error
	switch {
	case d.Kind == "collection":
		out.Many, err = m.count("documents", "collection", m.old.Collection(d.Name))
	case d.Kind == "pair" && e == compare.Check:
		return m.alone(d)
	case d.Kind == "pair":
		out.Many, err = versionsql.CountOf(m.tx, "pairs", "kind", m.old.Pair(d.Name).Number)
	case d.Kind == "field":
		return m.field(d, e)
	case d.Kind == "check":
		return m.check(d)
	case d.Kind == "kept value" && e == compare.Rebuild:
		name, _, _ := strings.Cut(d.Name, ".")
		out.Many, err = m.count("documents", "collection", m.before(name))
	case d.Kind == "list":
		out.Many, err = m.count("documents", "collection", m.before(m.c.To.List(d.Name).Entries.Name))
	case e == compare.Redeliver:
		out.Many, err = m.count("documents", "collection", m.before(m.c.To.Timeline(d.Name).By.To.Name))
	case d.Kind == "timeline":
		out.Many, err = m.entries(d, e)
	}
	return out, err
}

// alone counts the pairs of documents with themselves.
func (m measuring) alone(d compare.Difference) (Effect, error) {
	p := m.old.Pair(cmp.Or(d.Was, d.Name))
	keys, many, err := versionsql.PairedAlone(m.tx, p, examplesShown)
	out := Effect{Does: string(compare.Check), Many: many, Unfit: many}
	for _, key := range keys {
		out.Examples = append(out.Examples, Example{p.Name + " " + running.EndsOf(p, key, key).String(), pairedAlone})
	}
	return out, err
}

const pairedAlone = "it joins a document with itself"

func (m measuring) count(table, column string, c *plan.Collection) (int64, error) {
	if c == nil {
		return 0, nil
	}
	return versionsql.CountOf(m.tx, table, column, c.Number)
}

// before is what a collection of the new design was, nil if it is new.
func (m measuring) before(name string) *plan.Collection {
	for _, d := range m.c.Differences {
		if d.Kind == "collection" && d.Name == name && d.Was != "" {
			name = d.Was
		} else if d.Kind == "collection" && d.Name == name && d.How == compare.Added {
			return nil
		}
	}
	return m.old.Collection(name)
}

// entries estimates how many entries a timeline has or is to have.
func (m measuring) entries(d compare.Difference, e compare.Effect) (int64, error) {
	name := d.Name
	if d.Was != "" {
		name = d.Was
	}
	if t := m.old.Timeline(name); t != nil && (e == compare.Retract || t.Deliver != "pull") {
		return versionsql.CountOf(m.tx, "entries", "timeline", t.Number)
	}
	t := m.c.To.Timeline(d.Name)
	through, entries, owner := m.old.Pair(t.Through.Name), m.before(t.Entries.Name), m.before(t.Owner.Name)
	if through == nil || entries == nil || owner == nil {
		return 0, nil // one of them is renamed or new
	}
	return versionsql.EstimateEntries(m.tx, through.Number, entries.Number, owner.Number, t.Length)
}

// field measures what becomes of a field.
func (m measuring) field(d compare.Difference, e compare.Effect) (Effect, error) {
	out := Effect{Does: string(e)}
	holder, name, _ := strings.Cut(d.Name, ".")
	t, err := m.trial(holder)
	if err != nil || t == nil {
		return out, err
	}
	was := name
	if d.Was != "" {
		_, was, _ = strings.Cut(d.Was, ".")
	}
	top, _, inside := strings.Cut(strings.ReplaceAll(name, "[]", ""), ".")
	oldTop, _, _ := strings.Cut(strings.ReplaceAll(was, "[]", ""), ".")
	switch e {
	case compare.Fill:
		out.Many = t.many - t.having[oldTop]
	case compare.Check:
		out.Many = t.many
	default:
		out.Many = t.having[oldTop]
	}
	if e == compare.Check || e == compare.Convert && !inside {
		out.Unfit, out.Examples = t.unfit[top], t.examples[top]
	}
	return out, nil
}

// check counts the documents that do not hold a check.
func (m measuring) check(d compare.Difference) (Effect, error) {
	out := Effect{Does: string(compare.Check)}
	t, err := m.trial(d.Name)
	if err == nil && t != nil {
		broken := checkSays(d.What[0])
		out.Many, out.Unfit, out.Examples = t.many, t.unfit[broken], t.examples[broken]
	}
	return out, err
}

// checkSays is under what the documents are counted that a check says something of.
func checkSays(otherwise string) string { return "check " + otherwise }

// trial is what came of bringing all documents of a collection, or all pairs of a
// kind, to their new form without storing it.
type trial struct {
	many     int64
	having   map[string]int64 // by old field: how many have a value
	unfit    map[string]int64 // by new field, or check: how many do not fit
	examples map[string][]Example
}

// examplesShown is how many documents are named that would not fit, by field.
const examplesShown = 5

func (m measuring) trial(holder string) (*trial, error) {
	if t, done := m.trials[holder]; done {
		return t, nil
	}
	t := &trial{having: map[string]int64{}, unfit: map[string]int64{}, examples: map[string][]Example{}}
	m.trials[holder] = t
	r := m.c.Rewrites[holder]
	if r == nil {
		return nil, nil
	}
	if c := m.before(holder); c != nil {
		return t, m.tryDocuments(t, r, c)
	}
	name := holder
	for _, d := range m.c.Differences {
		if d.Kind == "pair" && d.Name == holder && d.Was != "" {
			name = d.Was
		}
	}
	if p := m.old.Pair(name); p != nil {
		return t, m.tryPairs(t, r, p)
	}
	return t, nil
}

// triedAtOnce is how many documents are read at a time.
const triedAtOnce = 5000

func (m measuring) tryDocuments(t *trial, r *compare.Rewrite, c *plan.Collection) error {
	for after := int64(0); ; {
		if err := m.ctx.Err(); err != nil {
			return err
		}
		span, many, err := auditsql.Span(m.tx, c.Number, after, triedAtOnce)
		if err != nil {
			return err
		}
		docs, err := versionsql.ReadSpan(m.tx, c, span)
		if err != nil {
			return err
		}
		for _, d := range docs {
			if err := t.try(r, c.Path(d.Key), d.Fields, d.Created); err != nil {
				return err
			}
		}
		if after = span.UpTo; many < triedAtOnce {
			return nil
		}
	}
}

func (m measuring) tryPairs(t *trial, r *compare.Rewrite, p *plan.Pair) error {
	for b, a := int64(0), int64(0); ; {
		if err := m.ctx.Err(); err != nil {
			return err
		}
		rows, err := versionsql.ReadPairs(m.tx, p, b, a, triedAtOnce)
		if err != nil {
			return err
		}
		for _, row := range rows {
			path := p.Name + " " + running.EndsOf(p, row.AKey, row.BKey).String()
			if err := t.try(r, path, row.Fields, row.At); err != nil {
				return err
			}
			b, a = row.B, row.A
		}
		if len(rows) < triedAtOnce {
			return nil
		}
	}
}

func (t *trial) try(r *compare.Rewrite, path string, fields []byte, made time.Time) error {
	facts, err := running.Decode(fields)
	if err != nil {
		return err
	}
	t.many++
	for name, v := range facts {
		if v != nil {
			t.having[name]++
		}
	}
	_, mistakes := r.Facts(facts, made)
	var told []string
	for _, wrong := range mistakes {
		field, _, _ := strings.Cut(strings.TrimPrefix(wrong.Pointer, "/"), "/")
		if wrong.Code == design.MistakeCheck {
			field = checkSays(wrong.Detail)
		}
		if slices.Contains(told, field) {
			continue
		}
		told = append(told, field)
		if t.unfit[field]++; len(t.examples[field]) < examplesShown {
			t.examples[field] = append(t.examples[field], Example{path, wrong.Detail})
		}
	}
	return nil
}

var errUndone = errors.New("tried, and undone")
