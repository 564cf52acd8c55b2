package access

import (
	"bytes"
	"fmt"
	"maps"
	"slices"
	"strings"
	"time"

	"github.com/goccy/go-yaml"

	"yalvo/internal/design"
)

// Table is what a developer expects of the rules of a design: documents and pairs, and for
// each of some operations which of some accounts may do it. Whoever is not named may not.
type Table struct {
	Documents map[string]map[string]any `yaml:"documents"` // facts by path
	Pairs     []map[string][]string     `yaml:"pairs"`     // a kind, and the keys of both ends
	Accounts  []string                  `yaml:"accounts"`
	Cases     []Case                    `yaml:"cases"`
}

// Case is an operation of a table. In facts, from, to, owner and of {me} stands for whoever
// tries it.
type Case struct {
	Read     string         `yaml:"read"`   // a document's path
	Create   string         `yaml:"create"` // a collection, with its parents, or a path
	Edit     string         `yaml:"edit"`
	Remove   string         `yaml:"remove"`
	Set      string         `yaml:"set"`   // a kind of pair
	Unset    string         `yaml:"unset"` // a kind of pair
	ReadPair string         `yaml:"read_pair"`
	Timeline string         `yaml:"read_timeline"`
	List     string         `yaml:"read_list"`
	Of       string         `yaml:"of"`    // of a list: the key of the document that it is asked for
	Field    string         `yaml:"field"` // of what is read
	Facts    map[string]any `yaml:"facts"`
	From     string         `yaml:"from"`
	To       string         `yaml:"to"`
	Owner    string         `yaml:"owner"`
	May      []string       `yaml:"may"`
	Missing  []string       `yaml:"missing"` // those for whom it is as if there were no such thing
}

// Stranger is who has no account, in a table; everyone stands for all of its accounts.
const (
	Stranger = "stranger"
	everyone = "everyone"
	theMe    = "{me}"
)

// MaxTable is how large a table may be, in bytes.
const MaxTable = 1 << 20

// Expectation is what a case came to for one account.
type Expectation struct {
	Case    int    `json:"case"` // from 1
	What    string `json:"what"`
	Account string `json:"account"`
	Want    string `json:"want"` // allowed, refused or missing
	Got     string `json:"got"`
	Rule    string `json:"rule,omitempty"` // what refused it
}

// Met tells whether the rules do what was expected.
func (e Expectation) Met() bool { return e.Want == e.Got }

// ReadTable reads a table.
func ReadTable(text []byte) (Table, error) {
	var t Table
	if len(text) > MaxTable {
		return t, fmt.Errorf("the table has %d bytes, %d are allowed", len(text), MaxTable)
	}
	if err := yaml.NewDecoder(bytes.NewReader(text), yaml.Strict()).Decode(&t); err != nil {
		return t, fmt.Errorf("the table cannot be read: %w", err)
	}
	for i, c := range t.Cases {
		for _, who := range append(slices.Clone(c.May), c.Missing...) {
			if who != everyone && !slices.Contains(t.Accounts, who) {
				return t, fmt.Errorf("case %d names %q, who is not one of the accounts", i+1, who)
			}
		}
	}
	if len(t.Cases) == 0 || len(t.Accounts) == 0 {
		return t, fmt.Errorf("the table needs accounts and cases")
	}
	return t, nil
}

// Tries tries all cases for all accounts, in their order.
func (t Table) Tries(d *design.Design) ([]Expectation, error) {
	law := New(d)
	known, err := t.source(law)
	if err != nil {
		return nil, err
	}
	var all []Expectation
	for i, c := range t.Cases {
		for _, who := range t.Accounts {
			account := who
			if who == Stranger {
				account = ""
			}
			trial, what, err := c.trial(who)
			if err != nil {
				return nil, fmt.Errorf("case %d: %w", i+1, err)
			}
			got, err := law.Evaluator(known, account, time.Now()).Try(trial)
			if err != nil {
				return nil, fmt.Errorf("case %d, %s as %s: %w", i+1, what, who, err)
			}
			all = append(all, Expectation{i + 1, what, who, c.wanted(who), gotten(got), got.Refused})
		}
	}
	return all, nil
}

func gotten(o Outcome) string {
	switch {
	case o.Allowed:
		return "allowed"
	case o.Missing:
		return "missing"
	}
	return "refused"
}

func (c Case) wanted(who string) string {
	switch {
	case slices.Contains(c.Missing, who):
		return "missing"
	case slices.Contains(c.May, who), slices.Contains(c.May, everyone):
		return "allowed"
	}
	return "refused"
}

// trial is a case for one account, with what it is in words.
func (c Case) trial(who string) (Trial, string, error) {
	me := func(s string) string { return strings.ReplaceAll(s, theMe, who) }
	t := Trial{Field: c.Field, From: me(c.From), To: me(c.To), Owner: me(c.Owner), Of: me(c.Of),
		Facts: maps.Clone(c.Facts)}
	for name, v := range t.Facts {
		if s, is := v.(string); is {
			t.Facts[name] = me(s)
		}
		if n, is := v.(uint64); is { // as the file's numbers are read
			t.Facts[name] = int64(n)
		}
	}
	var what []string
	for _, one := range []struct {
		op    design.Op
		named string
		into  *string
	}{{design.OpRead, c.Read, &t.Document}, {design.OpCreate, c.Create, &t.Document},
		{design.OpEdit, c.Edit, &t.Document}, {design.OpRemove, c.Remove, &t.Document},
		{design.OpSet, c.Set, &t.Pair}, {design.OpUnset, c.Unset, &t.Pair},
		{design.OpRead, c.ReadPair, &t.Pair}, {design.OpRead, c.Timeline, &t.Timeline},
		{design.OpRead, c.List, &t.List}} {
		if one.named != "" {
			t.Op, *one.into = one.op, me(one.named)
			what = append(what, string(one.op)+" "+one.named)
		}
	}
	if len(what) != 1 {
		return t, "", fmt.Errorf("it must do one thing: read, create, edit, remove, set, unset, read_pair, " +
			"read_timeline or read_list")
	}
	words := what[0]
	if c.Field != "" {
		words += "." + c.Field
	}
	if c.From+c.To != "" {
		words += " " + c.From + " → " + c.To
	}
	if c.Owner+c.Of != "" {
		words += " of " + c.Owner + c.Of
	}
	if len(c.Facts) > 0 {
		words += " with " + design.Listed(slices.Sorted(maps.Keys(c.Facts)))
	}
	return t, words, nil
}

// memory is a source of documents and pairs that a table has written out.
type memory struct {
	documents map[Address]map[string]any
	pairs     map[Ask]bool
}

// Know is part of [Source].
func (m memory) Know(docs []Address, pairs []Ask) (map[Address]map[string]any, map[Ask]bool, error) {
	values, there := map[Address]map[string]any{}, map[Ask]bool{}
	for _, a := range docs {
		if v, is := m.documents[a]; is {
			values[a] = maps.Clone(v)
		}
	}
	for _, a := range pairs {
		there[a] = m.pairs[a]
	}
	return values, there, nil
}

func (t Table) source(law *Law) (memory, error) {
	m := memory{map[Address]map[string]any{}, map[Ask]bool{}}
	for path, facts := range t.Documents {
		in, key, err := law.locate(path)
		if err != nil {
			return m, err
		}
		for _, f := range in.Fields {
			if f.Default != nil && f.Default.Literal != nil && facts[f.Name] == nil {
				if facts == nil {
					facts = map[string]any{}
				}
				facts[f.Name] = f.Default.Literal
			}
		}
		for name := range facts {
			if in.Field(name) == nil {
				return m, mistaken("%s: a document of %q has no field %q", path, in.Name, name)
			}
		}
		accepted, _ := design.AcceptAll(in.Fields, facts) // those that are required may be left out
		accepted["id"] = key[strings.LastIndexByte(key, '/')+1:]
		m.documents[Address{in.Name, key}] = accepted
	}
	for _, one := range t.Pairs {
		for kind, ends := range one {
			if law.design.Pair(kind) == nil || len(ends) != 2 {
				return m, mistaken("pairs: write a kind of pair and its two ends, as in `- block: [ben, cleo]`")
			}
			m.pairs[Ask{kind, ends[0], ends[1]}] = true
		}
	}
	return m, nil
}
