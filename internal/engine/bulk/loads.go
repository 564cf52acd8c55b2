package bulk

import (
	"bytes"
	"cmp"
	"context"
	"encoding/json"
	"errors"
	"fmt"
	"maps"
	"reflect"
	"runtime"
	"slices"
	"sync"
	"time"

	"yalvo/internal/design"
	"yalvo/internal/design/plan"
	"yalvo/internal/engine/running"
	"yalvo/internal/engine/store"
	"yalvo/internal/engine/store/loadsql"
	"yalvo/internal/engine/store/versionsql"
)

// Loaded says what became of some lines.
type Loaded struct {
	Documents int   `json:"documents"` // that were made
	Pairs     int   `json:"pairs"`     // that were made
	Passed    int   `json:"passed"`    // lines of what is there already, just so
	Bad       []Bad `json:"bad"`

	WithoutPictures int `json:"without_pictures"` // documents, made or there, that refer to pictures which are not
}

// MostLines is how many lines are loaded at once.
const MostLines = 10_000

// Load writes the documents and pairs of some lines, all in one transaction, and
// tells which lines cannot be. A load must be under way: until it ends, nobody
// derives what follows from them.
func (m *Mover) Load(ctx context.Context, text []byte) (Loaded, error) {
	select {
	case m.turn <- struct{}{}:
		defer func() { <-m.turn }()
	case <-ctx.Done():
		return Loaded{}, ctx.Err()
	}
	for {
		v, err := m.Now(ctx)
		if err != nil {
			return Loaded{}, err
		}
		got, err := m.load(ctx, v, text)
		if errors.Is(err, running.ErrMoved) {
			if err := m.Reload(ctx); err != nil {
				return Loaded{}, err
			}
			continue
		}
		return got, err
	}
}

func (m *Mover) load(ctx context.Context, v *running.Version, text []byte) (Loaded, error) {
	lines, bad, err := read(v, text)
	if err != nil {
		return Loaded{}, err
	}
	var out Loaded
	err = m.Store.Upkeep(ctx, func(tx *store.Tx) error {
		out = Loaded{Bad: slices.Clone(bad)}
		if err := mayLoad(tx, v); err != nil {
			return err
		}
		l := loading{v, tx, &out}
		return l.all(lines)
	})
	slices.SortFunc(out.Bad, func(a, b Bad) int { return cmp.Compare(a.Line, b.Line) })
	return out, err
}

// read parses lines, on all processors: the database waits for it.
func read(v *running.Version, text []byte) ([]*parsed, []Bad, error) {
	if many := bytes.Count(bytes.TrimSuffix(text, []byte("\n")), []byte("\n")) + 1; many > MostLines {
		return nil, nil, running.Refuse(running.CodeInvalid, "there are %d lines: send %d at once", many, MostLines)
	}
	all := slices.Collect(bytes.Lines(text))
	now := time.Now().UTC()
	parsedLines, why := make([]*parsed, len(all)), make([][]string, len(all))
	var group sync.WaitGroup
	first := 0
	for some := range slices.Chunk(all, max(linesApart, len(all)/runtime.GOMAXPROCS(0)+1)) {
		from := first
		group.Go(func() {
			for i, line := range some {
				if line = bytes.TrimSpace(line); len(line) > 0 {
					parsedLines[from+i], why[from+i] = parse(v, from+i+1, line, now)
				}
			}
		})
		first += len(some)
	}
	group.Wait()
	bad := []Bad{}
	var lines []*parsed
	for i, p := range parsedLines {
		switch {
		case len(why[i]) > 0:
			bad = append(bad, Bad{Line: i + 1, Why: why[i]})
		case p != nil:
			lines = append(lines, p)
		}
	}
	return lines, bad, nil
}

// linesApart is how many lines are worth a processor of their own.
const linesApart = 200

// mayLoad sees that a load is under way, by the version of the design that the lines
// were read with.
func mayLoad(tx *store.Tx, v *running.Version) error {
	version, err := versionsql.DesignInForce(tx)
	if err == nil && version != v.Number {
		err = running.ErrMoved
	}
	if err != nil {
		return err
	}
	under, err := loadsql.LoadUnderWay(tx)
	if err == nil && !under {
		err = running.Refuse(running.CodeConflict, "no load is under way: begin one first")
	}
	return err
}

// loading is a transaction that loads lines.
type loading struct {
	*running.Version
	tx  *store.Tx
	out *Loaded
}

func (l loading) bad(p *parsed, waits bool, why string, args ...any) {
	l.out.Bad = append(l.out.Bad, Bad{Line: p.nth, Why: []string{fmt.Sprintf(why, args...)}, Waits: waits})
}

// all loads documents, what lies above others first, and then pairs.
func (l loading) all(lines []*parsed) error {
	documents, pairs := map[*plan.Collection][]*parsed{}, map[*plan.Pair][]*parsed{}
	for _, p := range lines {
		if p.in != nil {
			documents[p.in] = append(documents[p.in], p)
			continue
		}
		pairs[p.pair] = append(pairs[p.pair], p)
	}
	collections := slices.Clone(l.Plan.Collections)
	slices.SortStableFunc(collections, func(a, b *plan.Collection) int { return cmp.Compare(a.Depth(), b.Depth()) })
	for _, c := range collections {
		if some := documents[c]; len(some) > 0 {
			if err := l.documents(c, some); err != nil {
				return fmt.Errorf("loading %s: %w", c.Name, err)
			}
		}
	}
	for _, p := range l.Plan.Pairs {
		if some := pairs[p]; len(some) > 0 {
			if err := l.pairs(p, some); err != nil {
				return fmt.Errorf("loading %s: %w", p.Name, err)
			}
		}
	}
	return nil
}

// documents loads those of one collection.
func (l loading) documents(c *plan.Collection, lines []*parsed) error {
	lines = l.firstOfEach(lines)
	there, err := loadsql.LoadedThere(l.tx, c, keysOf(lines))
	if err != nil {
		return err
	}
	var others []*parsed
	for _, p := range lines {
		if old, is := there[p.key]; is {
			l.passOver(p, old)
		} else {
			others = append(others, p)
		}
	}
	made, err := l.make(c, others)
	if err != nil {
		return err
	}
	return l.pictures(c, lines, there, made)
}

// make makes the documents of some lines whose ids are free. It returns the rows of those it has made.
func (l loading) make(c *plan.Collection, lines []*parsed) (map[string]int64, error) {
	lines, err := l.freeOnly(c, lines)
	if err != nil || len(lines) == 0 {
		return nil, err
	}
	rows := make([]loadsql.Row, len(lines))
	for i, p := range lines {
		rows[i] = loadsql.Row{Key: p.key, Parent: p.parent, Path: c.Path(p.key), Version: p.line.Version,
			Created: *p.line.Created, Updated: *p.line.Updated, Fields: p.fields,
			Quiet: p.line.Quiet, Unfit: p.line.Unfit}
	}
	made, err := loadsql.LoadDocuments(l.tx, c, rows)
	if err != nil {
		return nil, err
	}
	if err := l.given(c, lines, made); err != nil {
		return nil, err
	}
	var misfits []versionsql.Misfit
	for _, p := range lines {
		n, is := made[p.key]
		if !is {
			l.bad(p, true, "there is no parent %s", c.Parent.Path(p.parent))
			continue
		}
		l.out.Documents++
		for _, m := range append(p.unfit, p.mayPointNowhere()...) {
			misfits = append(misfits, versionsql.MisfitOf(c.Number, n, 0, p.line.Version, m))
		}
	}
	return made, versionsql.NoteMisfits(l.tx, misfits)
}

// mayPointNowhere lists the references of a line that may not fit, until the end of the load shows which of them
// do.
func (p *parsed) mayPointNowhere() (mistakes []design.Mistake) {
	for _, r := range p.in.References {
		if _, points := p.facts[r.Name].(string); points && p.line.Unfit {
			mistakes = append(mistakes, design.Mistake{Pointer: "/" + r.Name, Code: design.MistakeNoTarget,
				Detail: "there is no such document of " + r.To.Name})
		}
	}
	return mistakes
}

// given notes what frozen copies of documents that were made were given.
func (l loading) given(c *plan.Collection, lines []*parsed, made map[string]int64) error {
	var all []loadsql.Given
	for _, p := range lines {
		for name, g := range p.line.Given {
			if copied := frozenCopy(c, name); made[p.key] != 0 {
				all = append(all, loadsql.Given{Source: p.key, Copy: copied.Number, Of: copied.Via.To.Number,
					Target: g.Of, Value: g.Value})
			}
		}
	}
	return loadsql.LoadGiven(l.tx, c, all)
}

// firstOfEach leaves out lines whose id another line has had before.
func (l loading) firstOfEach(lines []*parsed) []*parsed {
	seen := map[string]*parsed{}
	return slices.DeleteFunc(lines, func(p *parsed) bool {
		first, twice := seen[p.key]
		switch {
		case !twice:
			seen[p.key] = p
		case reflect.DeepEqual(p.said(first.facts), p.said(p.facts)):
			l.out.Passed++
		default:
			l.bad(p, false, "%s stands in line %d already, otherwise", p.line.Document, first.nth)
		}
		return twice
	})
}

// passOver counts a document that is there as the line has it, or tells that it is
// there otherwise.
func (l loading) passOver(p *parsed, old store.Document) {
	was, err := running.Decode(running.See(p.in, old).Facts)
	if err == nil {
		stored, err := json.Marshal(p.said(was))
		if err == nil && bytes.Equal(canonical(stored), canonical(p.saidAsJSON())) {
			l.out.Passed++
			return
		}
	}
	l.bad(p, false, "%s is there already, otherwise: remove or edit it, or leave the line out", p.line.Document)
}

// said are those of some facts that the line itself says: what it leaves to a default
// was another one when the line was loaded before.
func (p *parsed) said(facts map[string]any) map[string]any {
	said := maps.Clone(facts)
	for _, name := range p.filled {
		delete(said, name)
	}
	return said
}

func (p *parsed) saidAsJSON() []byte {
	text, err := json.Marshal(p.said(p.facts))
	if err != nil {
		return p.fields
	}
	return text
}

// canonical is JSON with its names in order.
func canonical(text []byte) []byte {
	var v any
	dec := json.NewDecoder(bytes.NewReader(text))
	dec.UseNumber()
	if dec.Decode(&v) != nil {
		return text
	}
	out, err := json.Marshal(v)
	if err != nil {
		return text
	}
	return out
}

// freeOnly leaves out documents of which a unique value is taken.
func (l loading) freeOnly(c *plan.Collection, lines []*parsed) ([]*parsed, error) {
	for _, u := range c.Uniques {
		var values []string
		for _, p := range lines {
			if v := p.facts[u.Name]; v != nil {
				values = append(values, fmt.Sprint(v))
			}
		}
		taken, err := loadsql.TakenOf(l.tx, u.Number, values)
		if err != nil {
			return nil, err
		}
		lines = slices.DeleteFunc(lines, func(p *parsed) bool {
			v := p.facts[u.Name]
			if v == nil || p.line.Unfit {
				return false // of what may not fit, the one that has the value is found in the end
			}
			text := fmt.Sprint(v)
			is := taken[text]
			if is {
				l.bad(p, false, "/facts/%s: another document has %v", u.Name, v)
			}
			taken[text] = true
			return is
		})
	}
	return lines, nil
}

func keysOf(lines []*parsed) []string {
	keys := make([]string, len(lines))
	for i, p := range lines {
		keys[i] = p.key
	}
	return keys
}

// pairs loads those of one kind.
func (l loading) pairs(p *plan.Pair, lines []*parsed) error {
	rows := make([]loadsql.PairLine, len(lines))
	for i, x := range lines {
		rows[i] = loadsql.PairLine{From: x.line.From, To: x.line.To, At: *x.line.At,
			Ends: running.EndsOf(p, x.line.From, x.line.To).String()}
		if len(p.Fields) > 0 {
			rows[i].Fields, rows[i].Filled = x.fields, x.filled
		}
	}
	got, err := loadsql.LoadPairs(l.tx, p, rows)
	if err != nil {
		return err
	}
	var unfit []*parsed
	for i, x := range lines {
		switch got[i] {
		case loadsql.PairMade:
			l.out.Pairs++
			if len(x.unfit) > 0 {
				unfit = append(unfit, x)
			}
		case loadsql.PairThere:
			l.out.Passed++
		case loadsql.PairDiffers:
			l.bad(x, false, "the pair is there already, with other facts")
		case loadsql.NoFrom:
			l.bad(x, true, "there is no document %s", p.From.Path(x.line.From))
		case loadsql.NoTo:
			l.bad(x, true, "there is no document %s", p.To.Path(x.line.To))
		}
	}
	return l.unfitPairs(p, unfit)
}

// unfitPairs lists what of pairs that were made does not fit.
func (l loading) unfitPairs(p *plan.Pair, lines []*parsed) error {
	if len(lines) == 0 {
		return nil
	}
	var from, to []string
	for _, x := range lines {
		from, to = append(from, x.line.From), append(to, x.line.To)
	}
	rows, err := loadsql.PairsNamed(l.tx, p, from, to)
	if err != nil {
		return err
	}
	stamps, err := versionsql.StampsOf(l.tx, p.Number, rows)
	if err != nil {
		return err
	}
	var misfits []versionsql.Misfit
	for i, x := range lines {
		for _, m := range x.unfit {
			misfits = append(misfits, versionsql.MisfitOf(p.Number, rows[i].B, rows[i].A, stamps[i], m))
		}
	}
	return versionsql.NoteMisfits(l.tx, misfits)
}
