package bring

import (
	"crypto/sha256"
	"encoding/hex"
	"encoding/json"
	"errors"
	"fmt"
	"io"
	"io/fs"
	"math"
	"reflect"
	"strings"
	"time"

	"yalvo/internal/design"
)

// Line is a document or a pair, as package bulk reads it.
type Line struct {
	Document string         `json:"document,omitempty"`
	Created  *time.Time     `json:"created,omitempty"`
	Pair     string         `json:"pair,omitempty"`
	From     string         `json:"from,omitempty"`
	To       string         `json:"to,omitempty"`
	At       *time.Time     `json:"at,omitempty"`
	Facts    map[string]any `json:"facts,omitempty"`
}

// Along brings an export along: it writes the facts as lines, and reports what was
// wrong with the old duplicates.
func Along(m *Mapping, d *design.Design, files fs.FS, out io.Writer) (*Report, error) {
	b := &bringing{mapping: m, design: d, files: files, report: &Report{Findings: []Finding{}},
		docs: map[*design.Collection]map[string]*doc{}, pairs: map[*design.Pair]map[link]*pair{},
		paths: map[string]map[string]bool{}}
	if err := b.readAll(); err != nil {
		return nil, err
	}
	b.dropTheLost()
	b.readPairs()
	b.compare()
	if err := b.pathsAreThere(); err != nil {
		return nil, err
	}
	b.report.sort()
	return b.report, b.write(out)
}

// bringing is an export on its way.
type bringing struct {
	mapping *Mapping
	design  *design.Design
	files   fs.FS
	report  *Report
	docs    map[*design.Collection]map[string]*doc // by key
	order   []*doc
	pairs   map[*design.Pair]map[link]*pair
	found   []*pair                    // in their order
	paths   map[string]map[string]bool // by place in the mapping: paths that were there in some object
}

// doc is a document of the export.
type doc struct {
	in      *design.Collection
	key     string
	created *time.Time
	facts   map[string]any
	source  map[string]any
	gone    bool
}

func (x *doc) path() string { return x.in.Path(x.key) }

type link struct{ from, to string }

// pair is a pair with the sides on which it stands.
type pair struct {
	of       *design.Pair
	link     link
	at       *time.Time
	facts    map[string]any
	from, to bool
}

// readAll reads the documents of all collections, those that lie in others after them.
func (b *bringing) readAll() error {
	for depth := 1; depth <= 8; depth++ {
		for _, c := range b.design.Collections {
			m := b.mapping.Collections[c.Name]
			if m == nil || c.Depth() != depth {
				continue
			}
			b.docs[c] = map[string]*doc{}
			if m.From != "" {
				if err := b.readFile(c, m); err != nil {
					return err
				}
				continue
			}
			for _, up := range b.order {
				if up.in == c.Under {
					b.readList(c, m, up)
				}
			}
		}
	}
	return nil
}

func (b *bringing) readFile(c *design.Collection, m *Collection) error {
	file, err := b.files.Open(m.From)
	if err != nil {
		return fmt.Errorf("collections.%s.from: %s cannot be read: %w", c.Name, m.From, err)
	}
	objects, err := readObjects(m.From, file)
	if err = errors.Join(err, file.Close()); err != nil {
		return err
	}
	for i, o := range objects {
		b.readDoc(c, m, "", o, fmt.Sprintf("%s, item %d", m.From, i+1))
	}
	return nil
}

// readList reads the documents that lie in a list of another.
func (b *bringing) readList(c *design.Collection, m *Collection, up *doc) {
	v, there := b.at("collections."+c.Name, up.source, m.List)
	if !there {
		return
	}
	var objects []object
	switch v := v.(type) {
	case []any:
		for _, item := range v {
			if members, is := item.(map[string]any); is {
				objects = append(objects, object{"", members})
			}
		}
	case map[string]any:
		objects = byName(v)
	}
	for i, o := range objects {
		b.readDoc(c, m, up.key+"/", o, fmt.Sprintf("%s of %s, item %d", m.List, up.path(), i+1))
	}
}

// at is a value at a path of the mapping; that it was there is remembered.
func (b *bringing) at(place string, v any, path string) (any, bool) {
	seen := b.paths[place]
	if seen == nil {
		seen = map[string]bool{}
		b.paths[place] = seen
	}
	got, there := at(v, path)
	seen[path] = seen[path] || there
	return got, there
}

// readDoc takes an object as a document.
func (b *bringing) readDoc(c *design.Collection, m *Collection, under string, o object, where string) {
	place := "collections." + c.Name
	x := &doc{in: c, source: o.members, facts: map[string]any{}}
	id := o.name
	if m.ID != "" {
		v, there := b.at(place, o.members, m.ID)
		if there {
			id = inID(v)
		}
	}
	for _, name := range sorted(m.Facts) {
		if v, there := b.at(place, o.members, m.Facts[name]); there {
			x.facts[name] = b.value(c.Field(name), v)
		}
	}
	if m.Created != "" {
		if v, there := b.at(place, o.members, m.Created); there {
			x.created = asTime(v)
		}
	}
	if id == "" && under == "" {
		b.report.add(NoID, c.Name, where, nil, "left out")
		return
	}
	if id == "" { // what has no id is known by what it says
		id = digest(under, x.facts, x.created)
	}
	x.key = under + b.idFor(c, id)
	if first := b.docs[c][x.key]; first != nil {
		is := "the first one"
		if reflect.DeepEqual(first.facts, x.facts) {
			is = "once"
		}
		b.report.add(Twice, c.Name, x.path(), "twice", is)
		return
	}
	b.docs[c][x.key] = x
	b.order = append(b.order, x)
}

func inID(v any) string {
	switch v := v.(type) {
	case string:
		return v
	case json.Number:
		return v.String()
	}
	return ""
}

func digest(under string, facts map[string]any, created *time.Time) string {
	text, _ := json.Marshal([]any{under, facts, created}) // decoded JSON can be encoded
	sum := sha256.Sum256(text)
	return hex.EncodeToString(sum[:10])
}

// idFor is an id as it can be; one that cannot is replaced, everywhere in the same way.
func (b *bringing) idFor(c *design.Collection, id string) string {
	if design.CheckID(id) == "" {
		return id
	}
	is := replaced(id)
	b.report.add(OtherID, c.Name, id, id, is)
	return is
}

func replaced(id string) string {
	if design.CheckID(id) == "" {
		return id
	}
	sum := sha256.Sum256([]byte(id))
	return "x" + hex.EncodeToString(sum[:10])
}

// value brings a value of the export nearer to its field: times as they are written
// often, and keys of what a reference points at.
func (b *bringing) value(f *design.Field, v any) any {
	switch f.Type {
	case design.Timestamp:
		if t := asTime(v); t != nil {
			return design.FormatTime(*t)
		}
	case design.Reference:
		if id := inID(v); id != "" {
			return keyIn(f.To, id)
		}
	}
	return v
}

// keyIn is the key that an id of the export means.
func keyIn(c *design.Collection, id string) string {
	parts := strings.Split(id, "/")
	if len(parts) != c.Depth() {
		return replaced(id)
	}
	for i, part := range parts {
		parts[i] = replaced(part)
	}
	return strings.Join(parts, "/")
}

// milliseconds is from where on a number is milliseconds since 1970, not seconds: as
// seconds it would be in the year 5138.
const milliseconds = 1e11

// asTime reads RFC 3339, or seconds or milliseconds since 1970; nil if it is neither.
func asTime(v any) *time.Time {
	var t time.Time
	switch v := v.(type) {
	case string:
		var err error
		if t, err = time.Parse(time.RFC3339Nano, v); err != nil {
			return nil
		}
	case json.Number:
		x, err := v.Float64()
		if err != nil || math.Abs(x) > 1e15 {
			return nil
		}
		if math.Abs(x) >= milliseconds {
			x /= 1000
		}
		t = time.UnixMicro(int64(x * 1e6))
	default:
		return nil
	}
	t = t.UTC()
	return &t
}

// dropTheLost ends what points at documents that are not in the export, as the design
// says, until nothing more follows.
func (b *bringing) dropTheLost() {
	for again := true; again; {
		again = false
		for _, x := range b.order {
			if x.gone {
				continue
			}
			again = b.dropIfLost(x) || again
		}
	}
	kept := b.order[:0]
	for _, x := range b.order {
		if !x.gone {
			kept = append(kept, x)
		}
	}
	b.order = kept
}

func (b *bringing) dropIfLost(x *doc) bool {
	if x.in.Under != nil {
		up := x.key[:strings.LastIndexByte(x.key, '/')]
		if b.docs[x.in.Under][up] == nil {
			b.drop(x)
			return true
		}
	}
	for _, f := range x.in.References() {
		key, points := x.facts[f.Name].(string)
		if !points || b.docs[f.To] == nil || b.docs[f.To][key] != nil {
			continue
		}
		where := x.in.Name + "." + f.Name
		switch f.WhenGone {
		case design.GoneLeave:
			continue
		case design.GoneClear:
			b.report.add(Gone, where, x.path(), f.To.Path(key), "cleared")
			delete(x.facts, f.Name)
		default:
			b.report.add(Gone, where, x.path(), f.To.Path(key), "left out")
			b.drop(x)
			return true
		}
	}
	return false
}

func (b *bringing) drop(x *doc) {
	x.gone = true
	delete(b.docs[x.in], x.key)
}

// write writes the lines, documents first.
func (b *bringing) write(out io.Writer) error {
	enc := json.NewEncoder(out)
	enc.SetEscapeHTML(false)
	for _, x := range b.order {
		if err := enc.Encode(Line{Document: x.path(), Created: x.created, Facts: x.facts}); err != nil {
			return err
		}
		b.report.Documents++
	}
	for _, p := range b.found {
		if b.pairs[p.of][p.link] == nil {
			continue
		}
		line := Line{Pair: p.of.Name, From: p.link.from, To: p.link.to, At: p.at, Facts: p.facts}
		if err := enc.Encode(line); err != nil {
			return err
		}
		b.report.Pairs++
	}
	return nil
}
