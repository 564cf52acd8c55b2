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
	"yalvo/internal/plan"
	"yalvo/internal/running"
	"yalvo/internal/store"
)

// Mover moves facts in and out.
type Mover struct {
	*running.App
	turn chan struct{} // whose lines are being loaded: one at a time, for they take much memory
}

// New makes a mover.
func New(app *running.App) *Mover { return &Mover{app, make(chan struct{}, 1)} }

// Head is the first line of a dump.
type Head struct {
	Yalvo    int              `json:"yalvo"` // the form of the lines
	App      string           `json:"app"`
	Taken    time.Time        `json:"taken"`
	Position running.Position `json:"position"` // of the newest change that is in the dump
	Design   string           `json:"design"`   // the design file that was in force
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
// then pairs.
func (m *Mover) Dump(ctx context.Context, w io.Writer) error {
	v, err := m.Now(ctx)
	if err != nil {
		return err
	}
	out := bufio.NewWriterSize(w, 64<<10)
	err = m.Store.View(ctx, func(tx *store.Tx) error {
		version, err := tx.DesignInForce()
		if err == nil && version != v.Number {
			err = running.ErrMoved
		}
		if err != nil {
			return err
		}
		last, err := tx.NewestChange()
		if err != nil {
			return err
		}
		head := Head{lineForm, v.Plan.Design.App, time.Now().UTC(), running.At(last), string(v.Plan.Design.Source)}
		if err := writeLine(out, head); err != nil {
			return err
		}
		tail := Tail{End: true}
		if tail.Documents, err = dumpDocuments(v, tx, out); err != nil {
			return err
		}
		if tail.Pairs, err = dumpPairs(v, tx, out); err != nil {
			return err
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

func dumpDocuments(v *running.Version, tx *store.Tx, w io.Writer) (many int64, err error) {
	_, frozen := v.Plan.Traces()
	err = tx.EachDocument(len(frozen) > 0, func(d store.Dumped) error {
		c := v.Plan.CollectionNumbered(d.Collection)
		if c == nil {
			return nil // of a collection that is being dropped
		}
		seen := running.See(c, d.Document)
		line := Line{Document: seen.Path, Version: seen.Version, Created: &seen.Created, Updated: &seen.Updated,
			Facts: seen.Facts}
		if line.Given, err = given(c, d.Given); err != nil {
			return err
		}
		line.Facts, line.Unfit, err = dumped(v, c.Collection.Fields, c.Collection.AcceptWhole, seen.Facts, d.Unfit)
		if err != nil {
			return err
		}
		many++
		return writeLine(w, line)
	})
	return many, err
}

// dumped are facts as a line has them: what has a default and is absent is null, or it
// would get the default. It tells whether they may not fit: what a design has not been
// carried out for yet is not listed.
func dumped(v *running.Version, fields []*design.Field, fit fitting, facts json.RawMessage,
	unfit bool) (json.RawMessage, bool, error) {
	if len(v.Builds) == 0 && !slices.ContainsFunc(fields, func(f *design.Field) bool { return mayLack(f, facts) }) {
		return facts, unfit, nil
	}
	all, err := running.Decode(facts)
	if err != nil {
		return nil, false, err
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

// given is what a document's frozen copies were given, by their names.
func given(c *plan.Collection, stored json.RawMessage) (map[string]Given, error) {
	if len(stored) == 0 {
		return nil, nil
	}
	var byNumber map[plan.Number]Given
	if err := json.Unmarshal(stored, &byNumber); err != nil {
		return nil, err
	}
	named := map[string]Given{}
	for _, copied := range c.Copies {
		if g, is := byNumber[copied.Number]; is && copied.Frozen {
			named[copied.Name] = g
		}
	}
	return named, nil
}

func dumpPairs(v *running.Version, tx *store.Tx, w io.Writer) (many int64, err error) {
	for _, p := range v.Plan.Pairs {
		err = tx.EachPair(p, func(row store.DumpedPair) (err error) {
			if row.AKey == "" || row.BKey == "" {
				return nil // an end is gone, and the pair about to go
			}
			many++
			at := row.At.UTC()
			line := Line{Pair: p.Name, From: row.AKey, To: row.BKey, At: &at, Unfit: row.Unfit}
			if len(p.Fields) > 0 {
				line.Facts, line.Unfit, err = dumped(v, p.Fields, fittingAll(p.Fields), row.Fields, row.Unfit)
				if err != nil {
					return err
				}
			}
			return writeLine(w, line)
		})
		if err != nil {
			return many, err
		}
	}
	return many, nil
}
