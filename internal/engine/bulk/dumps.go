package bulk

import (
	"bufio"
	"bytes"
	"context"
	"encoding/json"
	"io"
	"slices"
	"time"

	"yalvo/internal/design"
	"yalvo/internal/design/plan"
	"yalvo/internal/engine/running"
	"yalvo/internal/engine/store"
	"yalvo/internal/engine/store/factsql"
	"yalvo/internal/engine/store/keysql"
	"yalvo/internal/engine/store/loadsql"
	"yalvo/internal/engine/store/versionsql"
)

// Mover moves facts in and out.
type Mover struct {
	*running.App
	keys KeyRules
	turn chan struct{} // whose lines are being loaded: one at a time, for they take much memory
}

// KeyRules is how keys of operators have to be that are loaded. Those know who let in by them.
type KeyRules struct {
	Most  int                                    // so many may hold
	Wrong func(keysql.OperatorKey) (text string) // what is wrong with one, empty for nothing
}

// New makes a mover.
func New(app *running.App, keys KeyRules) *Mover { return &Mover{app, keys, make(chan struct{}, 1)} }

// Head is the first line of a dump.
type Head struct {
	Yalvo    int              `json:"yalvo"` // the form of the lines
	App      string           `json:"app"`
	Taken    time.Time        `json:"taken"`
	Position running.Position `json:"position"` // of the newest change that is in the dump
	Design   string           `json:"design"`   // the design file that was in force
	Secrets  Secrets          `json:"secrets"`
}

// Tail is the last line of a dump: without it the file was cut off.
type Tail struct {
	End       bool  `json:"end"`
	Documents int64 `json:"documents"`
	Pairs     int64 `json:"pairs"`
}

// lineForm is the form of the lines.
const lineForm = 1

// Dump writes all facts as of one moment: documents in the order of their creation,
// then pairs, and sealed, if that is asked for, what accounts and operators sign in with.
func (m *Mover) Dump(ctx context.Context, w io.Writer, sealing *Sealing) error {
	v, err := m.Now(ctx)
	if err != nil {
		return err
	}
	out := bufio.NewWriterSize(w, 64<<10)
	err = m.Store.View(ctx, func(tx *store.Tx) error {
		version, err := versionsql.DesignInForce(tx)
		if err == nil && version != v.Number {
			err = running.ErrMoved
		}
		if err != nil {
			return err
		}
		last, err := loadsql.NewestChange(tx)
		if err != nil {
			return err
		}
		head := Head{lineForm, v.Plan.Design.App, time.Now().UTC(), running.At(last), string(v.Plan.Design.Source),
			Secrets{}}
		if head.Secrets.Secrets, err = keysql.ReadSecrets(tx); err != nil {
			return err
		}
		if sealing != nil {
			head.Secrets.Seal = sealing.Seal
		}
		if err := writeLine(out, head); err != nil {
			return err
		}
		// What follows from removals is due, and comes to its end in the dump at once: who loads it has no such
		// work, and what was removed, even forgotten, would have come back for good.
		d := dumping{Version: v, tx: tx, out: out}
		if d.departing, err = departing(v, tx); err != nil {
			return err
		}
		tail := Tail{End: true}
		if tail.Documents, err = d.documents(); err != nil {
			return err
		}
		if tail.Pairs, err = d.pairs(); err != nil {
			return err
		}
		if sealing != nil {
			if err := d.secrets(sealing); err != nil {
				return err
			}
		}
		return writeLine(out, tail)
	})
	if err != nil {
		return err
	}
	return out.Flush()
}

func writeLine(w io.Writer, v any) error {
	text, err := json.Marshal(v)
	if err != nil {
		return err
	}
	_, err = w.Write(append(text, '\n'))
	return err
}

// dumping is a dump in hand.
type dumping struct {
	*running.Version
	tx        *store.Tx
	out       io.Writer
	departing factsql.Departing
}

func departing(v *running.Version, tx *store.Tx) (factsql.Departing, error) {
	var clearing []plan.Number
	for _, c := range v.Plan.Collections {
		for _, r := range c.References {
			if r.WhenGone == design.GoneClear {
				clearing = append(clearing, r.Number)
			}
		}
	}
	leaving, frozen := v.Plan.Traces()
	return factsql.ReadDeparting(tx, v.Plan.Removing(), clearing, leaving, frozen)
}

func (d dumping) documents() (many int64, err error) {
	_, frozen := d.Plan.Traces()
	err = loadsql.EachDocument(d.tx, len(frozen) > 0, func(row loadsql.Dumped) error {
		c := d.Plan.CollectionNumbered(row.Collection)
		if c == nil || d.departing.Goes[row.N] {
			return nil // of a collection that is being dropped, or about to go
		}
		seen := running.See(c, row.Document)
		updated := row.Updated.UTC() // and what is quiet beside it
		line := Line{Document: seen.Path, Version: seen.Version, Created: &seen.Created, Updated: &updated,
			Quiet: row.Quiet}
		if line.Given, err = d.given(c, row); err != nil {
			return err
		}
		line.Facts, line.Unfit, err = d.facts(c.Collection.Fields, c.Collection.AcceptWhole, seen.Facts, row.Unfit,
			d.cleared(c, row.N))
		if err != nil {
			return err
		}
		many++
		return writeLine(d.out, line)
	})
	return many, err
}

// cleared are the fields of a document that are about to be emptied.
func (d dumping) cleared(c *plan.Collection, n int64) (names []string) {
	for _, r := range c.References {
		if slices.Contains(d.departing.Cleared[n], r.Number) {
			names = append(names, r.Name)
		}
	}
	return names
}

// facts are facts as a line has them: what has a default and is absent is null, or it
// would get the default. It tells whether they may not fit: what a design has not been
// carried out for yet is not listed.
func (d dumping) facts(fields []*design.Field, fit fitting, stored json.RawMessage, unfit bool,
	cleared []string) (json.RawMessage, bool, error) {
	if len(d.Builds) == 0 && len(cleared) == 0 &&
		!slices.ContainsFunc(fields, func(f *design.Field) bool { return mayLack(f, stored) }) {
		return stored, unfit, nil
	}
	all, err := running.Decode(stored)
	if err != nil {
		return nil, false, err
	}
	for _, name := range cleared {
		delete(all, name)
	}
	if _, mistakes := fit(all); len(mistakes) > 0 {
		unfit = true
	}
	for _, f := range fields {
		if _, is := all[f.Name]; f.Default != nil && !is {
			all[f.Name] = nil
		}
	}
	whole, err := json.Marshal(all)
	return whole, unfit, err
}

// fitting says what does not fit.
type fitting func(map[string]any) (map[string]any, []design.Mistake)

func fittingAll(fields []*design.Field) fitting {
	return func(values map[string]any) (map[string]any, []design.Mistake) {
		return design.AcceptAll(fields, values)
	}
}

// mayLack tells whether a field that has a default may be absent from facts as the
// database writes them. A quote inside a text is escaped; a name inside an object is
// taken for absent from outside it.
func mayLack(f *design.Field, facts json.RawMessage) bool {
	at := bytes.Index(facts, []byte(`"`+f.Name+`":`))
	return f.Default != nil && (at < 0 || bytes.Count(facts[:at], []byte("{")) > 1)
}

// given is what a document's frozen copies were given, by their names: nothing of what is being forgotten, and of
// nobody that is about to go.
func (d dumping) given(c *plan.Collection, row loadsql.Dumped) (map[string]Given, error) {
	if len(row.Given) == 0 {
		return nil, nil
	}
	var byNumber map[plan.Number]struct {
		Given
		Target int64
	}
	if err := json.Unmarshal(row.Given, &byNumber); err != nil {
		return nil, err
	}
	named := map[string]Given{}
	for _, copied := range c.Copies {
		g, is := byNumber[copied.Number]
		if !is || !copied.Frozen {
			continue
		}
		if d.departing.Goes[g.Target] {
			g.Of = ""
		}
		if slices.Contains(d.departing.Forgot[row.N], copied.Number) {
			g.Given = Given{Value: json.RawMessage("null")}
		}
		named[copied.Name] = g.Given
	}
	return named, nil
}

func (d dumping) pairs() (many int64, err error) {
	for _, p := range d.Plan.Pairs {
		err = loadsql.EachPair(d.tx, p, func(row loadsql.DumpedPair) (err error) {
			if row.AKey == "" || row.BKey == "" || d.departing.Goes[row.A] || d.departing.Goes[row.B] {
				return nil // an end is gone or about to go, and the pair with it
			}
			many++
			at := row.At.UTC()
			line := Line{Pair: p.Name, From: row.AKey, To: row.BKey, At: &at, Unfit: row.Unfit}
			if len(p.Fields) > 0 {
				line.Facts, line.Unfit, err = d.facts(p.Fields, fittingAll(p.Fields), row.Fields, row.Unfit, nil)
				if err != nil {
					return err
				}
			}
			return writeLine(d.out, line)
		})
		if err != nil {
			return many, err
		}
	}
	return many, nil
}
