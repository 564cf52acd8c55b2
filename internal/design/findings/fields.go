package findings

import (
	"fmt"
	"slices"

	"yalvo/internal/design"
	"yalvo/internal/design/expr"
)

// fields looks at what a field lets in.
func (r *review) fields() {
	for _, c := range r.d.Collections {
		for _, f := range c.Fields {
			place := c.Name + "." + f.Name
			path := []string{"collections", c.Name, "fields", f.Name}
			r.growing(place, path, f)
			r.swallowing(place, f)
			r.unbounded(place, path, f)
			r.unique(place, path, f)
			r.guessable(place, f)
			r.lacking(place, path, c, f)
		}
	}
}

// manyItems is from how many on a list within a document is one that grows.
const manyItems = 200

// growing: a list within a document is read and written whole, however long it has become.
func (r *review) growing(place string, path []string, f *design.Field) {
	if f.Type != design.List && f.Type != design.Set || f.Max == nil || *f.Max < manyItems {
		return
	}
	r.add(found{code: "growing-list", severity: Costly, place: place, at: f.Pos,
		reason: fmt.Sprintf("The %s %s grows to %s items within its document: whoever reads or edits that reads "+
			"and writes all of them. "+
			"At 1 MiB the document can be written no more.", f.Type, place, number(*f.Max)),
		cure: "bound it to what a screen shows (`max: 20`), or make its items documents under this one, which are " +
			"counted and paged",
		edit: &Edit{path, "max", "20"}, ground: []any{f.Type, size(*f.Max)}})
}

// swallowing: a set has each value once.
func (r *review) swallowing(place string, f *design.Field) {
	if f.Type != design.Set || f.Of == nil {
		return
	}
	long := f.Of.Type == design.String && len(f.Of.OneOf) == 0 && (f.Of.Max == nil || *f.Of.Max > 80)
	if f.Of.Type != design.Object && !long {
		return
	}
	r.add(found{code: "swallowed-twice", severity: Wrong, place: place, at: f.Pos,
		reason: fmt.Sprintf("%s is a set: of two equal items it keeps one. Two people who write the same, or one "+
			"who says it twice, are "+
			"one item, and nobody is told.", place),
		cure: "make it a list, or documents of their own under this one", ground: []any{f.Of.Type}})
}

// unbounded: a text without an end is somebody's megabyte in everybody's answer.
func (r *review) unbounded(place string, path []string, f *design.Field) {
	if f.Type != design.String || f.Max != nil || len(f.OneOf) > 0 || f.Pattern != nil {
		return
	}
	r.add(found{code: "endless-text", severity: Costly, place: place, at: f.Pos,
		reason: fmt.Sprintf("%s may be as long as a document: up to 1 MiB. A page that shows it ends there, with "+
			"one entry on it.", place),
		cure: "bound it by what a screen can show, as in `max: 2000`", edit: &Edit{path, "max", "2000"}})
}

// unique: Ada and ada are two values.
func (r *review) unique(place string, path []string, f *design.Field) {
	if !f.Unique || f.Type != design.String || len(f.OneOf) > 0 || f.Pattern != nil && !letsCapitals(f.Pattern) {
		return
	}
	r.add(found{code: "unique-but-capitals", severity: Wrong, place: place, at: f.Pos,
		reason: fmt.Sprintf("%s is unique, and lets capitals: Ada and ada are two values of it, and two people can "+
			"have them. Who reads it "+
			"takes one for the other.", place),
		cure: "let small letters alone, with a pattern, and have clients write them so",
		edit: &Edit{path, "pattern", `"^[a-z0-9][a-z0-9_.-]{1,39}$"`}, ground: []any{f.Pattern != nil}})
}

// letsCapitals tries a pattern on texts that have some, and are otherwise what people write.
func letsCapitals(p *expr.Pattern) bool {
	for _, text := range []string{"Ada", "ADA", "Ada_fen", "ADA@fen.example", "Ada@Fen.example", "A1", "Abcdefgh12"} {
		if p.Matches(text) {
			return true
		}
	}
	return false
}

// guessable: numbers that clients give can collide, and be tried one after the other.
func (r *review) guessable(place string, f *design.Field) {
	if !f.Unique || f.Type != design.Integer {
		return
	}
	r.add(found{code: "counted-ids", severity: Doubt, place: place, at: f.Pos,
		reason: fmt.Sprintf("%s is a number that clients choose and that no two share. Two of them who count on "+
			"from the same one collide, "+
			"and whoever knows one number can try those beside it.", place),
		cure: "refer by the document's id, which the service makes so that it neither collides nor can be guessed"})
}

// lacking: a field that is required from now on is lacking in what was written before.
func (r *review) lacking(place string, path []string, c *design.Collection, f *design.Field) {
	if r.w == nil || !f.Required || f.Default != nil {
		return
	}
	lack := r.w.Total(r.d, c, 1) * (1 - r.w.Share(c, f.Name))
	if lack < 1 {
		return
	}
	r.add(found{code: "required-but-lacking", severity: Wrong, place: place, at: f.Pos,
		reason: fmt.Sprintf("%s is required, and by the workload %s of %s have none. Those stay as they are and "+
			"do not "+
			"fit; a client that counts on it breaks on each of them.", place, number(lack), c.Name),
		cure: "let it be absent, or give it a default, which those take that have none",
		edit: &Edit{path, "required", "false"}, ground: []any{size(lack)}})
}

// references looks at what a reference says of both its ends.
func (r *review) references() {
	for _, c := range r.d.Collections {
		to := map[*design.Collection][]*design.Field{}
		for _, f := range c.References() {
			place := c.Name + "." + f.Name
			to[f.To] = append(to[f.To], f)
			if f.WhenGone == design.GoneLeave {
				r.add(found{code: "left-dangling", severity: Doubt, place: place, at: f.Pos,
					reason: fmt.Sprintf("When what %s leads to is removed, it goes on naming it. Each client has "+
						"to know that a name may lead "+
						"nowhere, and each screen what it shows then.", place),
					cure: "decide its end: `when_gone: remove`, `clear` or `refuse`", ground: []any{f.Required},
					edit: clearing(c, f)})
			}
		}
		for other, refs := range to {
			unnamed := slices.IndexFunc(refs, func(f *design.Field) bool { return f.Inverse == "" })
			if len(refs) > 1 && unnamed >= 0 {
				nameless := refs[unnamed]
				r.add(found{code: "nameless-references", severity: Doubt, place: c.Name + "." + nameless.Name,
					at: nameless.Pos,
					reason: fmt.Sprintf("%d references of %s lead to %s, and not all have a name at that end. "+
						"Whoever reads one of %s finds "+
						"no word for who points at it, and by which.", len(refs), c.Name, other.Name, other.Name),
					cure:   "give each an `inverse`: what the other end calls the documents that point at it",
					ground: []any{len(refs)}})
			}
		}
	}
}

// clearing is the edit that lets a reference be emptied, if it need not be there.
func clearing(c *design.Collection, f *design.Field) *Edit {
	if f.Required {
		return nil
	}
	return &Edit{[]string{"collections", c.Name, "fields", f.Name}, "when_gone", "clear"}
}
