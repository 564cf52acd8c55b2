package models

import (
	"fmt"
	"slices"
	"strings"

	"yalvo/internal/design"
)

// Struct is a type with members.
type Struct struct {
	Name    string
	Doc     string
	Members []Member
	Read    bool // it is only read: what is missing in it has a value all the same
}

// Member is a member of a [Struct], by its name in JSON.
type Member struct {
	Name     string
	Property string // by its name in a program: lastRemarks of last_remarks
	Type     Type
	Optional bool
	Empty    bool // if it is missing, it is zero or an empty list
}

// Type is the type of a value.
type Type struct {
	Kind    Kind
	Of      *Type    // of a list
	Name    string   // of a struct
	Choices []string // of a text: what it may be, if the design says so
}

// Kind is a kind of type.
type Kind string

// The kinds.
const (
	Text   Kind = "text"
	Whole  Kind = "whole"
	Number Kind = "number"
	Truth  Kind = "truth"
	Time   Kind = "time"
	List   Kind = "list"
	Object Kind = "object"
)

// Model is all that is written of a design.
type Model struct {
	App       string
	Structs   []Struct
	Documents []Document
	Screens   []Screen

	names map[*design.Collection]string
}

// Document is a kind of document, or of entry, with the types of its facts and kept values.
type Document struct{ Name, Doc, Facts, Kept string }

// Of makes the model of a design.
func Of(d *design.Design) Model {
	m := &Model{App: d.App, names: map[*design.Collection]string{}}
	taken := map[string]int{}
	for _, c := range d.Collections { // two may differ in what a type's name leaves out
		name := typeName(c.Name)
		if taken[name]++; taken[name] > 1 {
			name = fmt.Sprint(name, taken[name])
		}
		m.names[c] = name
	}
	for _, c := range d.Collections {
		name := m.names[c]
		m.facts(name+"Facts", name, "What may be written of "+c.Name+".", c.Fields, c.Access)
		m.kept(name+"Kept", name, "What is kept for "+c.Name+".", c.Kept, c.Access)
		m.Documents = append(m.Documents, Document{name, "One of " + c.Name + ".", name + "Facts", name + "Kept"})
	}
	for _, p := range d.Pairs {
		if len(p.Fields) > 0 {
			name := typeName(p.Name)
			m.facts(name+"Pair", name, "The facts of a "+p.Name+".", p.Fields, nil)
		}
	}
	for _, t := range d.Timelines {
		m.timeline(t)
	}
	for _, s := range d.Screens {
		m.screen(s)
	}
	return *m
}

// timeline adds what entries of a timeline carry.
func (m *Model) timeline(t *design.Timeline) {
	entries := m.names[t.Entries]
	if len(t.Carry) == 0 {
		m.Documents = append(m.Documents, Document{typeName(t.Name) + "Entry",
			"An entry of the timeline " + t.Name + ".",
			entries + "Facts", entries + "Kept"})
		return
	}
	fields, kept := design.PartsApart(t.Carry)
	name := typeName(t.Name) + "Entry"
	m.facts(name+"Facts", entries, "The facts that an entry of "+t.Name+" carries.", fields, t.Entries.Access)
	m.kept(name+"Kept", entries, "The kept values that an entry of "+t.Name+" carries.", kept, t.Entries.Access)
	m.Documents = append(m.Documents, Document{name, "An entry of the timeline " + t.Name + ".", name + "Facts",
		name + "Kept"})
}

// facts adds a type for fields; what lies in them is named after what they belong to.
func (m *Model) facts(name, of, doc string, fields []*design.Field, access *design.Access) {
	s := Struct{Name: name, Doc: doc}
	narrowed := access.Narrowed()
	for _, f := range fields {
		s.Members = append(s.Members, Member{Name: f.Name, Type: m.typeOf(f, of),
			Optional: !f.Required || slices.Contains(narrowed, f.Name)})
	}
	m.add(s)
}

func (m *Model) typeOf(f *design.Field, of string) Type {
	switch f.Type {
	case design.Integer:
		return Type{Kind: Whole}
	case design.Number:
		return Type{Kind: Number}
	case design.Boolean:
		return Type{Kind: Truth}
	case design.Timestamp:
		return Type{Kind: Time}
	case design.List, design.Set:
		item := *f.Of
		item.Name = "item"
		items := m.typeOf(&item, of+typeName(f.Name))
		return Type{Kind: List, Of: &items}
	case design.Object:
		name := of + typeName(f.Name)
		m.facts(name, name, "The "+f.Name+" of "+of+".", f.Fields, nil)
		return Type{Kind: Object, Name: name}
	}
	t := Type{Kind: Text}
	for _, choice := range f.OneOf {
		t.Choices = append(t.Choices, fmt.Sprint(choice))
	}
	return t
}

func (m *Model) kept(name, of, doc string, kept []*design.Kept, access *design.Access) {
	s := Struct{Name: name, Doc: doc, Read: true}
	narrowed := access.Narrowed()
	for _, k := range kept {
		member := m.keptMember(k, of)
		if slices.Contains(narrowed, k.Name) {
			member.Optional, member.Empty = true, false
		}
		s.Members = append(s.Members, member)
	}
	m.add(s)
}

func (m *Model) keptMember(k *design.Kept, of string) Member {
	name := of + typeName(k.Name)
	switch k.Kind {
	case design.Count:
		return Member{Name: k.Name, Type: Type{Kind: Whole}, Empty: true}
	case design.Sum:
		return Member{Name: k.Name, Type: numeric(k), Empty: true}
	case design.Min, design.Max:
		return Member{Name: k.Name, Type: numeric(k), Optional: true}
	case design.Gather:
		return Member{Name: k.Name, Type: Type{Kind: List, Of: &Type{Kind: Text}}, Empty: true}
	}
	shown := Struct{Name: name, Doc: "What " + k.Name + " of " + of + " shows.", Read: true}
	if k.Kind == design.Latest {
		shown.Members = []Member{{Name: "id", Type: Type{Kind: Text}}, {Name: "path", Type: Type{Kind: Text}}}
	}
	for _, p := range k.Parts {
		member := Member{Name: p.Name(), Optional: true}
		if p.Kept != nil {
			member.Type = m.keptMember(p.Kept, name).Type
		} else {
			member.Type = m.typeOf(p.Field, name)
		}
		shown.Members = append(shown.Members, member)
	}
	m.add(shown)
	if k.Kind == design.Latest {
		return Member{Name: k.Name, Type: Type{Kind: List, Of: &Type{Kind: Object, Name: name}}, Empty: true}
	}
	return Member{Name: k.Name, Type: Type{Kind: Object, Name: name}, Optional: true}
}

// numeric is the type of a sum, a least or a greatest.
func numeric(k *design.Kept) Type {
	switch {
	case k.Timed():
		return Type{Kind: Time}
	case design.Part{Kept: k}.Numeric() == design.Integer:
		return Type{Kind: Whole}
	}
	return Type{Kind: Number}
}

// add adds a type, unless there is one of the name: what two show of the same is the same.
func (m *Model) add(s Struct) {
	if slices.ContainsFunc(m.Structs, func(other Struct) bool { return other.Name == s.Name }) {
		return
	}
	taken := map[string]bool{}
	for i, member := range s.Members {
		name := memberName(member.Name)
		if taken[name] {
			name = member.Name
		}
		taken[name], s.Members[i].Property = true, name
	}
	m.Structs = append(m.Structs, s)
}

// typeName makes a type's name of a design's: last_remarks becomes LastRemarks.
func typeName(name string) string {
	var b strings.Builder
	for _, part := range strings.Split(name, "_") {
		if part != "" {
			b.WriteString(strings.ToUpper(part[:1]) + part[1:])
		}
	}
	return b.String()
}

// memberName makes a property's name of a design's: last_remarks becomes lastRemarks.
func memberName(name string) string {
	s := typeName(name)
	if s == "" {
		return name
	}
	return strings.ToLower(s[:1]) + s[1:]
}
