package bulk

import (
	"bytes"
	"encoding/json"
	"errors"
	"fmt"
	"io"
	"strings"
	"time"
	"unicode/utf8"

	"github.com/go-json-experiment/json/jsontext"

	"yalvo/internal/design"
	"yalvo/internal/design/plan"
	"yalvo/internal/engine/facts"
	"yalvo/internal/engine/running"
	"yalvo/internal/engine/store"
)

// Line is a document or a pair.
type Line struct {
	Document string     `json:"document,omitempty"` // its path
	Version  int64      `json:"version,omitempty"`  // 1 if it is left out
	Created  *time.Time `json:"created,omitempty"`  // now if it is left out
	Updated  *time.Time `json:"updated,omitempty"`  // when it was created, if it is left out

	Pair string     `json:"pair,omitempty"`
	From string     `json:"from,omitempty"` // keys
	To   string     `json:"to,omitempty"`
	At   *time.Time `json:"at,omitempty"` // now if it is left out

	Facts json.RawMessage  `json:"facts,omitempty"`
	Quiet store.Quiet      `json:"quiet,omitempty"` // of a document: edits that not everybody is told of
	Given map[string]Given `json:"given,omitempty"` // of a document: what its frozen copies were given, by name

	// Unfit: facts that do not fit the design are taken as they are, and listed.
	Unfit bool `json:"unfit,omitempty"`
}

// Given is what a frozen copy was given: it cannot be derived again.
type Given struct {
	Of    string          `json:"of"` // the key of the document it was copied from, empty if that is gone
	Value json.RawMessage `json:"value"`
}

// MaxLine is how many bytes a line may have: facts have [facts.MaxFacts] at most.
const MaxLine = 2 * facts.MaxFacts

// Bad is a line that cannot be loaded.
type Bad struct {
	Line  int      `json:"line"` // from 1, among those that were sent
	Why   []string `json:"why"`
	Waits bool     `json:"waits,omitempty"` // for a document that may come later: send it again at the end
}

// parsed is a line that fits the design.
type parsed struct {
	nth    int
	in     *plan.Collection
	pair   *plan.Pair
	key    string
	parent string
	line   Line
	facts  map[string]any
	fields []byte
	filled []string         // fields that the line leaves out and that have got their default
	unfit  []design.Mistake // that are taken
}

// parse reads a line and sees that it fits the design.
func parse(v *running.Version, nth int, text []byte, now time.Time) (*parsed, []string) {
	if len(text) > MaxLine {
		return nil, []string{fmt.Sprintf("the line has %d bytes, %d are allowed", len(text), MaxLine)}
	}
	if !utf8.Valid(text) {
		return nil, []string{"the line is not UTF-8"}
	}
	switch _, err := jsontext.NewDecoder(bytes.NewReader(text)).ReadValue(); {
	case errors.Is(err, io.ErrUnexpectedEOF):
		return nil, []string{"the line is not a whole JSON object: it was cut off"}
	case err != nil:
		return nil, []string{"the line is no JSON as RFC 7493 has it: " + strings.TrimPrefix(err.Error(), "jsontext: ")}
	}
	p := &parsed{nth: nth}
	dec := json.NewDecoder(bytes.NewReader(text))
	dec.DisallowUnknownFields()
	if err := dec.Decode(&p.line); err != nil {
		return nil, []string{"the line has another form than a document or a pair: " + inWords(err)}
	}
	switch {
	case p.line.Document != "" && p.line.Pair == "":
		return p, p.document(v, now)
	case p.line.Pair != "" && p.line.Document == "":
		return p, p.link(v, now)
	}
	return nil, []string{`the line says neither "document" nor "pair", or both`}
}

func inWords(err error) string {
	text := strings.TrimPrefix(err.Error(), "json: ")
	if name, unknown := strings.CutPrefix(text, "unknown field "); unknown {
		return "it has no member " + name
	}
	return text
}

// document checks a document's line.
func (p *parsed) document(v *running.Version, now time.Time) []string {
	c, key, err := v.Locate(p.line.Document)
	if err != nil {
		return []string{err.Error()}
	}
	p.in, p.key = c, key
	if i := strings.LastIndexByte(key, '/'); i >= 0 {
		p.parent = key[:i]
	}
	l := &p.line
	if l.Version == 0 {
		l.Version = 1
	}
	if l.Created == nil {
		l.Created = &now
	}
	if l.Updated == nil {
		l.Updated = l.Created
	}
	var wrong []string
	if l.Version < 1 {
		wrong = append(wrong, fmt.Sprintf("version is %d: it is at least 1", l.Version))
	}
	for name, at := range map[string]*time.Time{"created": l.Created, "updated": l.Updated} {
		if year := at.UTC().Year(); year < 1 || year > 9999 {
			wrong = append(wrong, name+" lies outside the years 1 to 9999 of UTC")
		}
	}
	for _, q := range l.Quiet {
		if q.Many < 1 || q.Many >= l.Version {
			wrong = append(wrong, "/quiet counts more edits than there were")
		}
	}
	if l.Updated.Before(*l.Created) {
		wrong = append(wrong, "updated lies before created")
	}
	for name, g := range l.Given {
		if frozenCopy(c, name) == nil {
			wrong = append(wrong, fmt.Sprintf("%s has no frozen copy %q", c.Name, name))
		}
		if emptied := string(g.Value) == "null" && g.Of == ""; !emptied && (len(g.Value) == 0 || g.Value[0] != '{') {
			wrong = append(wrong, fmt.Sprintf("/given/%s/value must be an object, or null if what it was of is "+
				"forgotten", name))
		}
	}
	wrong = append(wrong, p.accept(c.Collection.Fields, *l.Created)...)
	for _, b := range c.Broken(p.facts, nil) {
		switch {
		case p.facts == nil: // told already
		case l.Unfit:
			p.unfit = append(p.unfit, b.Mistake)
		default:
			wrong = append(wrong, "/facts: "+b.Detail)
		}
	}
	return wrong
}

func frozenCopy(c *plan.Collection, name string) *plan.Copy {
	for _, copied := range c.Copies {
		if copied.Name == name && copied.Frozen {
			return copied
		}
	}
	return nil
}

// link checks a pair's line.
func (p *parsed) link(v *running.Version, now time.Time) []string {
	pair, err := v.Pair(p.line.Pair)
	if err != nil {
		return []string{err.Error()}
	}
	p.pair = pair
	if p.line.At == nil {
		p.line.At = &now
	}
	var wrong []string
	if year := p.line.At.UTC().Year(); year < 1 || year > 9999 {
		wrong = append(wrong, "at lies outside the years 1 to 9999 of UTC")
	}
	for _, end := range []struct {
		c   *plan.Collection
		key string
	}{{pair.From, p.line.From}, {pair.To, p.line.To}} {
		if _, not := end.c.ParseKey(end.key); not != "" {
			wrong = append(wrong, not)
		}
	}
	if pair.From == pair.To && p.line.From == p.line.To && !pair.Self {
		alone := fmt.Sprintf("%s cannot be paired with itself by %q", p.line.From, pair.Name)
		if p.line.Unfit {
			p.unfit = append(p.unfit, design.Mistake{Pointer: "/to", Code: design.MistakeSelf, Detail: alone})
		} else {
			wrong = append(wrong, alone)
		}
	}
	return append(wrong, p.accept(pair.Fields, *p.line.At)...)
}

// accept checks the facts. What is left out and has a default gets it, now being
// when the line's document or pair was made.
func (p *parsed) accept(fields []*design.Field, made time.Time) []string {
	given := map[string]any{}
	if len(p.line.Facts) > 0 {
		var err error
		if given, err = running.Decode(p.line.Facts); err != nil || given == nil {
			return []string{"facts must be an object"}
		}
	}
	for _, f := range fields {
		if _, is := given[f.Name]; is || f.Default == nil || f.Default.Me {
			continue
		}
		if given[f.Name] = f.Default.Literal; f.Default.Now {
			given[f.Name] = design.FormatTime(made)
		}
		p.filled = append(p.filled, f.Name)
	}
	accepted, mistakes := design.AcceptAll(fields, given)
	var wrong []string
	for _, m := range mistakes {
		if p.line.Unfit && m.Code != design.MistakeZero {
			p.unfit = append(p.unfit, m)
			continue
		}
		wrong = append(wrong, "/facts"+m.Pointer+": "+m.Detail)
	}
	if wrong != nil {
		return wrong
	}
	for name, v := range given {
		if v != nil && design.Mentioned(p.unfit, name) {
			accepted[name] = v
		}
	}
	p.facts = accepted
	raw, err := facts.Encoded(accepted)
	if err != nil {
		return []string{err.Error()}
	}
	p.fields = raw
	return nil
}
