package models

import (
	"slices"

	"yalvo/internal/design"
)

// Screen is what a screen is answered: a part each, any of which may be refused.
type Screen struct {
	Name, Doc string
	Parts     []Part
}

// Part is a part of a screen: a page of documents or entries, or one document.
type Part struct {
	Name     string
	Property string // by its name in a program
	Of       string // the type of a document or an entry
	Kind     string // Page, Entries or Document
}

// screen adds what a screen shows. A part that shows some values alone has types of its own: what it does not show is
// not missing by mistake.
func (m *Model) screen(s *design.Screen) {
	out := Screen{Name: typeName(s.Name) + "Screen", Doc: "What the screen " + s.Name +
		" shows. A part that is refused is missing."}
	taken := map[string]bool{}
	for _, p := range s.Parts {
		part := Part{Name: p.Name, Property: memberName(p.Name), Of: m.shown(out.Name, p), Kind: "Page"}
		if taken[part.Property] {
			part.Property = p.Name
		}
		taken[part.Property] = true
		switch {
		case p.Timeline != nil:
			part.Kind = "Entries"
		case p.Document:
			part.Kind = "Document"
		}
		out.Parts = append(out.Parts, part)
	}
	m.Screens = append(m.Screens, out)
}

// shown is the type of what a part shows.
func (m *Model) shown(screen string, p *design.ScreenPart) string {
	of, names := m.names[p.Shows], p.Fields()
	usual := of
	if p.Timeline != nil {
		usual = typeName(p.Timeline.Name) + "Entry"
	}
	if len(names) == 0 {
		return usual
	}
	names = append(names, design.FieldNames(p.With)...)
	var fields []*design.Field
	var kept []*design.Kept
	for _, f := range p.Shows.Fields {
		if slices.Contains(names, f.Name) {
			fields = append(fields, f)
		}
	}
	for _, k := range p.Shows.Kept {
		if slices.Contains(names, k.Name) {
			kept = append(kept, k)
		}
	}
	base := screen + typeName(p.Name)
	m.facts(base+"Facts", of, "The facts that "+p.Name+" of "+screen+" shows.", fields, p.Shows.Access)
	m.kept(base+"Kept", of, "The kept values that "+p.Name+" of "+screen+" shows.", kept, p.Shows.Access)
	name := base + "Item"
	if p.Timeline != nil {
		name = base + "Entry"
	}
	m.Documents = append(m.Documents, Document{name, "What " + p.Name + " of " + screen + " shows.", base +
		"Facts", base + "Kept"})
	return name
}
