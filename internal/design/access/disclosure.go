package access

import (
	"fmt"
	"slices"
	"strings"

	"yalvo/internal/design"
	"yalvo/internal/design/expr"
)

// Shown is a duplicate that shows documents, with the right by which it does.
type Shown struct {
	Name  string `json:"name"` // as in "sightings.byline"
	Kind  string `json:"kind"`
	Right Right  `json:"right"`
	Line  int    `json:"line"`
}

// Finding is something that a design tells to whom its rules hide it.
type Finding struct {
	Name    string `json:"name"` // what tells it
	Line    int    `json:"line"`
	Tells   string `json:"tells"`
	Remedy  string `json:"remedy"`
	Refused bool   `json:"refused"` // such a design is not put in force any more
	pos     design.Pos
}

// Problems are the findings of a design that is not to be put in force.
func Problems(file string, d *design.Design) error {
	var problems design.Problems
	for _, f := range New(d).findings() {
		if f.Refused {
			problems = append(problems, design.Problem{File: file, Pos: f.pos, Code: design.CodeTells, Message: f.Tells,
				Remedy: f.Remedy})
		}
	}
	if len(problems) == 0 {
		return nil
	}
	return problems
}

// shown are all duplicates that show documents.
func (l *Law) shown() []Shown {
	all := []Shown{}
	for _, c := range l.design.Collections {
		for _, k := range c.Kept {
			if Shows(k) {
				all = append(all, Shown{c.Name + "." + k.Name, string(k.Kind), l.rights[k], k.Pos.Line})
			}
		}
	}
	return all
}

func (l *Law) findings() []Finding {
	all := []Finding{}
	if !l.design.Guarded {
		return all
	}
	add := func(at design.Pos, refused bool, name, tells, remedy string) {
		all = append(all, Finding{name, at.Line, tells, remedy, refused, at})
	}
	for _, c := range l.design.Collections {
		for _, k := range c.Kept {
			l.findSummed(c, k, add)
		}
		for _, f := range c.Fields {
			if f.Unique && narrowed(c, f.Name) {
				add(f.Pos, false, c.Name+"."+f.Name, fmt.Sprintf("%s.%s is unique, and not for everybody to read: "+
					"whoever writes a value that is taken learns that somebody has it", c.Name, f.Name),
					"leave out `unique` if that is more than they may know")
			}
			l.findRefusing(c, f, add)
		}
		for _, check := range c.Checks {
			for _, name := range c.Access.Narrowed() {
				if check.That.Names(design.NameDoc, name) || check.That.Names("old", name) {
					add(check.Pos, false, c.Name+" checks", fmt.Sprintf(
						"a check names %s.%s, which not everybody may read: "+
							"whoever may edit the document learns from what it refuses", c.Name, name),
						"check it where it is written alone, or let those who edit read it")
				}
			}
		}
	}
	for _, list := range l.design.Lists {
		l.findBeyond(list, add)
	}
	return all
}

type adding func(at design.Pos, refused bool, name, tells, remedy string)

func narrowed(c *design.Collection, name string) bool {
	return c.Access.OfField(name, design.OpRead) != nil
}

// findSummed finds narrowed values that numbers are made of, or that decide what is among many.
func (l *Law) findSummed(c *design.Collection, k *design.Kept, add adding) {
	from := k.Sources()
	if k.Kind == design.Copy || from == nil || narrowed(c, k.Name) {
		return // a copy is one document's, and is judged as that; or the design says who may read it
	}
	var names []string
	if k.Pair != nil {
		return // what pairs say of themselves is not narrowed
	}
	if k.Kind == design.Sum || k.Kind == design.Min || k.Kind == design.Max {
		names = append(names, k.Of.Name())
	}
	if k.Where != nil {
		for _, name := range from.Access.Narrowed() {
			if k.Where.Names(design.NameDoc, name) {
				names = append(names, name)
			}
		}
	}
	known := claimsOf(c, holder, nil)
	for _, name := range names {
		if narrowed(from, name) && !expr.Follows(fieldClaim(from, name, source), known...) {
			add(k.Pos, true, c.Name+"."+k.Name, fmt.Sprintf(
				"%s.%s is made of %s.%s, which not everybody may read who may read %s",
				c.Name, k.Name, from.Name, name, c.Name), fmt.Sprintf("say who may read it, in the access of "+
				"%q, as in `fields: {%s: {read: true}}` for all who may read the document", c.Name, k.Name))
		}
	}
}

// findRefusing finds references that keep their target from going, of documents that whoever removes it need
// not be able to read.
func (l *Law) findRefusing(c *design.Collection, f *design.Field, add adding) {
	if f.Type != design.Reference || f.To == nil || f.WhenGone != design.GoneRefuse {
		return
	}
	needed := claimsOf(c, source, map[string]string{source + "." + f.Name: holder})
	for _, what := range needed {
		if !expr.Follows(what, claimsOf(f.To, holder, nil)...) {
			add(f.Pos, false, c.Name+"."+f.Name, fmt.Sprintf(
				"whoever may remove one of %s learns from the refusal that some "+
					"of %s point at it, though they may not read these", f.To.Name, c.Name),
				"say `when_gone: remove`, `clear` or `leave` if that is more than they may know")
			return
		}
	}
}

// findBeyond finds values of other documents than the entries by which a list can be searched.
func (l *Law) findBeyond(list *design.Listing, add adding) {
	if list.Entries == nil || list.Where == nil || list.Where.That == nil ||
		!slices.ContainsFunc(list.Params, func(p *design.Field) bool { return list.Where.Names(p.Name) }) {
		return
	}
	for _, m := range list.Where.That.Reads {
		of := l.design.Collection(m.Collection)
		if slices.Contains(list.Where.That.Beyond, m.Collection) && of != list.Entries && narrowed(of, m.Name) {
			add(list.Pos, true, list.Name, fmt.Sprintf(
				"the list %s can be searched by %s, which not everybody may read",
				list.Name, strings.Join([]string{m.Collection, m.Name}, ".")),
				"compare a value of the entries themselves: these are judged for whoever reads the list")
		}
	}
}
