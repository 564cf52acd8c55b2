package access

import (
	"fmt"
	"maps"
	"slices"
	"strings"

	"yalvo/internal/design"
	"yalvo/internal/design/expr"
)

// Trial is an operation to be tried: one on a document, on one value of it, on a pair, or
// a look at a timeline or a list.
type Trial struct {
	Op       design.Op
	Document string         // its path; of a creation the id may be left out
	Field    string         // read: one value of the document
	Facts    map[string]any // of a creation, an edit or a pair
	Pair     string
	From, To string // keys of the pair's ends
	Timeline string
	Owner    string // a key
	List     string
	Of       string // a key, of a list that is asked for a document
}

// Outcome is what a trial came to.
type Outcome struct {
	Allowed bool     `json:"allowed"`
	Missing bool     `json:"missing"` // it is refused as if what it is about were not there
	Refused string   `json:"refused,omitempty"`
	Words   []string `json:"words,omitempty"` // what the caller is told
	Steps   []Step   `json:"steps"`
}

// Step is one of the conditions that stand before an operation. All of them have to hold.
type Step struct {
	Rule      string      `json:"rule"` // as in "members.edit"
	Line      int         `json:"line,omitempty"`
	Condition string      `json:"condition,omitempty"` // empty: the design has no such rule, so nobody may
	About     string      `json:"about,omitempty"`     // the path of the document it is about
	Value     expr.Truth  `json:"value"`
	Parts     []expr.Part `json:"parts,omitempty"`
}

// Mistake is why something cannot be tried.
type Mistake struct{ Detail string }

// Error is the mistake in words.
func (m *Mistake) Error() string { return m.Detail }

func mistaken(detail string, args ...any) error { return &Mistake{fmt.Sprintf(detail, args...)} }

// Try tells whether an operation would be allowed, and why. Nothing is done. The error may
// be a [*Mistake].
func (c *Evaluator) Try(t Trial) (Outcome, error) {
	if !c.law.Guards() {
		return Outcome{}, mistaken("the design says nothing about access: operators alone are let in")
	}
	conditions, err := c.conditions(t)
	if err != nil {
		return Outcome{}, err
	}
	verdicts, err := c.Judge([][]Condition{conditions})
	if err != nil {
		return Outcome{}, err
	}
	parts, err := c.Explain(conditions)
	if err != nil {
		return Outcome{}, err
	}
	v := verdicts[0]
	out := Outcome{Allowed: v.Allowed, Missing: v.Hidden() != nil, Words: v.Words}
	if v.Refused != nil {
		out.Refused = v.Refused.Name
	}
	for i, on := range conditions {
		step := Step{Rule: on.Name, Condition: on.Rule.Text(), Value: parts[i].Value, Parts: parts[i].Parts}
		if on.Rule != nil {
			step.Line = on.Rule.Pos.Line
		}
		if on.Hidden != nil {
			step.About = c.path(on.Hidden)
		}
		out.Steps = append(out.Steps, step)
	}
	return out, nil
}

func (c *Evaluator) path(d *expr.Document) string {
	return c.law.design.Collection(d.Collection).Path(d.Key)
}

// conditions are those that stand before a trial.
func (c *Evaluator) conditions(t Trial) ([]Condition, error) {
	switch {
	case t.Pair != "":
		return c.pairTrial(t)
	case t.Timeline != "" || t.List != "":
		return c.viewTrial(t)
	case t.Op == design.OpCreate:
		return c.creationTrial(t)
	}
	in, key, err := c.law.locate(t.Document)
	if err != nil {
		return nil, err
	}
	doc, err := c.there(in, key)
	if err != nil {
		return nil, err
	}
	switch t.Op {
	case design.OpRead:
		return c.readingTrial(in, doc, t.Field)
	case design.OpEdit:
		changed, err := c.with(in, doc, t.Facts)
		if err != nil {
			return nil, err
		}
		return c.law.Editing(in, doc, changed, slices.Sorted(maps.Keys(t.Facts))), nil
	case design.OpRemove:
		return c.law.Removing(in, doc), nil
	}
	return nil, mistaken("a document can be read, created, edited and removed, not %q", t.Op)
}

// viewTrial is a look at a timeline or a list.
func (c *Evaluator) viewTrial(t Trial) ([]Condition, error) {
	if t.Op != design.OpRead {
		return nil, mistaken("a timeline or a list can be read, and nothing else")
	}
	if t.List == "" {
		line := c.law.design.Timeline(t.Timeline)
		if line == nil {
			return nil, mistaken("%s", c.law.design.NoSuch("timeline", t.Timeline))
		}
		if _, wrong := line.Owner.ParseKey(t.Owner); wrong != "" {
			return nil, mistaken("the owner: %s", wrong)
		}
		return c.law.ReadingTimeline(line, c.law.Document(line.Owner, t.Owner, nil)), nil
	}
	list := c.law.design.List(t.List)
	if list == nil {
		return nil, mistaken("%s", c.law.design.NoSuch("list", t.List))
	}
	owner := list.Owner()
	switch {
	case owner == nil && t.Of == "":
		return c.law.ReadingList(list, nil), nil
	case owner == nil:
		return nil, mistaken("the list %q is asked for no document", t.List)
	}
	if _, wrong := owner.ParseKey(t.Of); wrong != "" {
		return nil, mistaken("of: %s", wrong)
	}
	return c.law.ReadingList(list, c.law.Document(owner, t.Of, nil)), nil
}

func (c *Evaluator) readingTrial(in *design.Collection, doc *expr.Document, field string) ([]Condition, error) {
	all := c.law.Reading(in, doc)
	if field == "" {
		return all, nil
	}
	if in.Field(field) == nil && in.KeptValue(field) == nil {
		return nil, mistaken("a document of %q has nothing called %q: %s", in.Name, design.Clip(field),
			design.Meant(field, in.Names()))
	}
	if in.Access.OfField(field, design.OpRead) == nil {
		return all, nil
	}
	return append(all, c.law.ReadingField(in, doc, field)...), nil
}

func (c *Evaluator) creationTrial(t Trial) ([]Condition, error) {
	path := strings.Trim(t.Document, "/")
	if strings.Count(path, "/")%2 == 0 {
		path += "/new"
	}
	in, key, err := c.law.locate(path)
	if err != nil {
		return nil, err
	}
	made, err := c.with(in, c.law.Document(in, key, map[string]any{}), t.Facts)
	if err != nil {
		return nil, err
	}
	for _, f := range in.Fields { // what the client leaves out
		switch {
		case made.Values[f.Name] != nil || f.Default == nil:
		case f.Default.Me && c.me != nil:
			made.Values[f.Name] = c.me.Key
		case f.Default.Now:
			made.Values[f.Name] = c.now()
		case f.Default.Literal != nil:
			made.Values[f.Name] = f.Default.Literal
		}
	}
	return c.law.Creating(in, made, slices.Sorted(maps.Keys(t.Facts))), nil
}

func (c *Evaluator) pairTrial(t Trial) ([]Condition, error) {
	p := c.law.design.Pair(t.Pair)
	if p == nil {
		return nil, mistaken("%s", c.law.design.NoSuch("pair", t.Pair))
	}
	if _, wrong := p.From.ParseKey(t.From); wrong != "" {
		return nil, mistaken("from: %s", wrong)
	}
	if _, wrong := p.To.ParseKey(t.To); wrong != "" {
		return nil, mistaken("to: %s", wrong)
	}
	facts, mistakes := design.AcceptAll(p.Fields, t.Facts)
	if len(mistakes) > 0 && len(t.Facts) > 0 {
		return nil, mistaken("facts%s: %s", mistakes[0].Pointer, mistakes[0].Detail)
	}
	from, to := c.law.Document(p.From, t.From, nil), c.law.Document(p.To, t.To, nil)
	switch t.Op {
	case design.OpRead:
		ends := append(c.law.Reading(p.From, from), c.law.Reading(p.To, to)...)
		return append(ends, c.law.ReadingPair(p, from, to, facts)...), nil
	case design.OpSet:
		return c.law.Setting(p, from, to, facts), nil
	case design.OpUnset:
		return c.law.Unsetting(p, from, to, facts), nil
	}
	return nil, mistaken("a pair can be read, set and unset, not %q", t.Op)
}

// with is a document with some facts changed.
func (c *Evaluator) with(in *design.Collection, doc *expr.Document, facts map[string]any) (*expr.Document, error) {
	values := maps.Clone(doc.Values)
	accepted, mistakes := design.AcceptAll(in.Fields, facts)
	for _, m := range mistakes {
		name, _, _ := strings.Cut(strings.TrimPrefix(m.Pointer, "/"), "/")
		if _, given := facts[name]; given && facts[name] != nil {
			return nil, mistaken("facts%s: %s", m.Pointer, m.Detail)
		}
	}
	for name := range facts {
		delete(values, name)
	}
	maps.Copy(values, accepted)
	return c.law.Document(in, doc.Key, values), nil
}

// there is a document that is stored.
func (c *Evaluator) there(in *design.Collection, key string) (*expr.Document, error) {
	a := Address{in.Name, key}
	values, _, err := c.source.Know([]Address{a}, nil)
	if err == nil && values[a] == nil {
		err = mistaken("there is no document %s", in.Path(key))
	}
	return c.law.Document(in, key, values[a]), err
}

// locate finds the collection and the key that a path means.
func (l *Law) locate(path string) (*design.Collection, string, error) {
	parts := strings.Split(strings.Trim(path, "/"), "/")
	if len(parts) < 2 || len(parts)%2 != 0 {
		return nil, "", mistaken("%q is no path of a document: write collection/id", design.Clip(path))
	}
	in := l.design.Collection(parts[len(parts)-2])
	if in == nil {
		return nil, "", mistaken("%s", l.design.NoSuch("collection", parts[len(parts)-2]))
	}
	var ids []string
	for i := 1; i < len(parts); i += 2 {
		ids = append(ids, parts[i])
	}
	key := strings.Join(ids, "/")
	if _, wrong := in.ParseKey(key); wrong != "" || in.Path(key) != strings.Trim(path, "/") {
		return nil, "", mistaken("%q is no path of a document of %q", design.Clip(path), in.Name)
	}
	return in, key, nil
}
