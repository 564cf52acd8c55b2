package language

import (
	"fmt"
	"maps"
	"slices"
	"strings"

	"yalvo/internal/design"
)

// resolveShown sees that each value that a part of a screen shows is there, or says what would bring it.
func (p *partReader) resolveShown() {
	n := p.given["shows"]
	if n == nil {
		return
	}
	for _, w := range p.atMost(n, "shows", maxShown) {
		path := strings.Split(w.scalar.(string), ".")
		if len(path) > maxShownDepth || slices.Contains(path, "") {
			p.problem(w.pos, design.CodeBadValue, fmt.Sprintf("%q is no name of a value, or of one within it",
				design.Clip(w.scalar.(string))), "write it as in `byline.name`")
			continue
		}
		if design.ShownAnyway(path[0]) && (path[0] != "pair" || p.pairShown(w, path)) || p.shows(w, path) {
			p.Names = append(p.Names, design.Shown{Pos: w.pos, Path: path})
		}
	}
}

// pairShown sees that a list goes through pairs that have a field.
func (p *partReader) pairShown(w *node, path []string) bool {
	var fields []*design.Field
	if p.List != nil && p.List.Through != nil {
		fields = p.List.Through.Fields
	}
	if len(path) == 2 && design.FieldNamed(fields, path[1]) != nil {
		return true
	}
	p.unknown(w.pos, design.CodeUnknownName, fmt.Sprintf("no pairs with a value %q are shown", strings.Join(path, ".")),
		path[len(path)-1], design.FieldNames(fields))
	return false
}

// shows tells whether a value of what the part shows is there.
func (p *partReader) shows(w *node, path []string) bool {
	c, name := p.ScreenPart.Shows, path[0]
	f, k := c.Field(name), c.KeptValue(name)
	switch {
	case f == nil && k == nil:
		p.missing(w, c, path)
		return false
	case p.never(c.Access.OfField(name, design.OpRead)) && c.Access.OfField(name, design.OpRead) != nil:
		p.neverRead(w.pos, c.Name+"."+name, fmt.Sprintf("access.collections.%s.fields.%s", c.Name, name))
		return false
	case f != nil && f.Type == design.Reference && len(path) > 1:
		return p.lookedUp(w, f, path)
	case p.Timeline != nil && !p.carries(name) && (f == nil || f != p.Timeline.By):
		p.notCarried(w.pos, name)
		return false
	case k != nil:
		return p.within(w, k, path[1:])
	}
	return p.withinField(w, f, path[1:])
}

// carries tells whether entries of the part's timeline have a value; those of lists have all.
func (p *partReader) carries(name string) bool {
	return p.Timeline == nil || len(p.Timeline.Carry) == 0 ||
		slices.ContainsFunc(p.Timeline.Carry, func(part design.Part) bool { return part.Name() == name })
}

func (p *partReader) notCarried(at design.Pos, name string) {
	fields, kept := design.Names(p.Timeline.Carry)
	p.problem(at, design.CodeNotShown, fmt.Sprintf("entries of timeline %q do not carry %q", p.Timeline.Name, name),
		fmt.Sprintf("add it to timelines.%s: `carry: [%s]`", p.Timeline.Name,
			strings.Join(append(slices.Concat(fields, kept), name), ", ")))
}

// lookedUp is a value of what a reference leads to: it is there if that comes along.
func (p *partReader) lookedUp(w *node, f *design.Field, path []string) bool {
	if f.To == nil {
		return false
	}
	if slices.Contains(p.With, f) {
		to := f.To
		if to.Field(path[1]) != nil || to.KeptValue(path[1]) != nil || design.ShownAnyway(path[1]) {
			return true
		}
		p.unknown(w.pos, design.CodeUnknownName, fmt.Sprintf("%q has no value %q", to.Name, design.Clip(path[1])),
			path[1],
			to.Names())
		return false
	}
	c := p.ScreenPart.Shows
	look := fmt.Sprintf("look it up with each, `with: [%s]`", f.Name)
	for _, k := range c.Kept {
		if k.Kind != design.Copy || k.Via != f {
			continue
		}
		if slices.ContainsFunc(k.Parts, func(part design.Part) bool { return part.Name() == path[1] }) {
			p.problem(w.pos, design.CodeNotShown, fmt.Sprintf("%s is another document's: %q has a copy of it",
				strings.Join(path, "."), c.Name), fmt.Sprintf("write `%s.%s`, or %s", k.Name, path[1], look))
			return false
		}
		fields, kept := design.Names(k.Parts)
		p.problem(w.pos, design.CodeNotShown, fmt.Sprintf("%s is another document's, and %s.%s does not copy it",
			strings.Join(path, "."), c.Name, k.Name), fmt.Sprintf("copy it too, `%s: {copy: %s, fields: [%s]}`, "+
			"and write "+
			"`%s.%s`; or %s", k.Name, f.Name, strings.Join(append(slices.Concat(fields, kept), path[1]), ", "), k.Name,
			path[1], look))
		return false
	}
	p.problem(w.pos, design.CodeNotShown, fmt.Sprintf("%s is another document's", strings.Join(path, ".")),
		fmt.Sprintf("keep a copy in %q, `%s_card: {copy: %s, fields: [%s]}`, and write `%s_card.%s`; or %s",
			c.Name, f.Name,
			f.Name, path[1], f.Name, path[1], look))
	return false
}

// within is what lies in a kept value.
func (p *partReader) within(w *node, k *design.Kept, path []string) bool {
	if len(path) == 0 {
		return true
	}
	for _, part := range k.Parts {
		switch {
		case part.Name() != path[0]:
		case part.Kept != nil:
			return p.within(w, part.Kept, path[1:])
		default:
			return p.withinField(w, part.Field, path[1:])
		}
	}
	if k.Kind == design.Latest && len(path) == 1 && (path[0] == "id" || path[0] == "path") {
		return true
	}
	fields, kept := design.Names(k.Parts)
	names := append(slices.Concat(fields, kept), path[0])
	remedy := ""
	if len(k.Parts) > 0 && slices.Contains(k.Shown().Names(), path[0]) {
		remedy = fmt.Sprintf("add it to %s.%s: `fields: [%s]`", k.In.Name, k.Name, strings.Join(names, ", "))
	}
	if remedy != "" {
		p.problem(w.pos, design.CodeNotShown, fmt.Sprintf("%s.%s does not show %q", k.In.Name, k.Name, path[0]), remedy)
		return false
	}
	p.unknown(w.pos, design.CodeUnknownName, fmt.Sprintf("nothing in %s.%s is called %q", k.In.Name, k.Name,
		design.Clip(path[0])), path[0], names[:len(names)-1])
	return false
}

// withinField is what lies in an object.
func (p *partReader) withinField(w *node, f *design.Field, path []string) bool {
	for ; len(path) > 0; path = path[1:] {
		for f.Of != nil {
			f = f.Of
		}
		in := design.FieldNamed(f.Fields, path[0])
		if in == nil {
			p.unknown(w.pos, design.CodeUnknownName, fmt.Sprintf("nothing in %q is called %q", f.Name,
				design.Clip(path[0])),
				path[0], design.FieldNames(f.Fields))
			return false
		}
		f = in
	}
	return true
}

// missing says of a value that is not there what would bring it: a count of something that its name is made of, the
// newest of them, or a value of another name.
func (p *partReader) missing(w *node, c *design.Collection, path []string) {
	name := path[0]
	message := fmt.Sprintf("%q has no value %q", c.Name, design.Clip(name))
	sources := p.sourcesOf(c)
	stem, counted := strings.CutSuffix(name, "_count")
	if !counted {
		stem, counted = strings.CutSuffix(name, "_number")
	}
	switch from := nearestSource(stem, sources); {
	case counted && from != "":
		p.problem(w.pos, design.CodeNotShown, message, fmt.Sprintf("have it kept, in the kept values of %q: `%s: "+
			"{count: %s}`",
			c.Name, name, from))
	case nearestSource(name, sources) != "":
		first := ""
		for other, led := range p.design.Leads(c) {
			if led.To != nil && len(led.To.Fields) > 0 && sources[other] == nearestSource(name, sources) {
				first = led.To.Fields[0].Name
			}
		}
		p.problem(w.pos, design.CodeNotShown, message, fmt.Sprintf("have the newest few kept, in the kept values "+
			"of %q: "+
			"`last_%s: {latest: %s, how_many: 3, fields: [%s]}`; or read them as a part of their own, `leads: "+
			"%s`", c.Name,
			name, nearestSource(name, sources), first, name))
	default:
		p.unknown(w.pos, design.CodeUnknownName, message, name, c.Names())
	}
}

// sourcesOf are what a kept value of a collection could be made of, by the names that people have for it.
func (p *partReader) sourcesOf(c *design.Collection) map[string]string {
	all := map[string]string{}
	for name, led := range p.design.Leads(c) {
		switch {
		case led.Nested:
			all[name] = led.To.Name
		case led.By != nil:
			all[name] = led.By.In.Name + "." + led.By.Name
		default:
			all[name] = led.Pair.Name + "." + string(led.Side)
			if led.Pair.From != led.Pair.To {
				all[led.Pair.Name] = all[name]
			}
		}
	}
	return all
}

// nearestSource is the source that a name means, also in the plural or misspelled; empty for none.
func nearestSource(name string, sources map[string]string) string {
	for _, form := range []string{name, name + "s", strings.TrimSuffix(name, "s")} {
		if from := sources[form]; from != "" {
			return from
		}
	}
	return sources[design.Nearest(name, slices.Collect(maps.Keys(sources)))]
}

// checkRead sees that whoever may ask for what the part reads is somebody.
func (p *partReader) checkRead(n *node) {
	var access *design.Access
	where := ""
	switch {
	case p.Timeline != nil:
		access, where = p.Timeline.Access, "access.timelines."+p.Timeline.Name
	case p.List != nil:
		access, where = p.List.Access, "access.lists."+p.List.Name
	default:
		access, where = p.ScreenPart.Shows.Access, "access.collections."+p.ScreenPart.Shows.Name
	}
	if p.never(access.Of(design.OpRead)) {
		p.neverRead(n.pos, fmt.Sprint(n.scalar), where)
	} else if shown := p.ScreenPart.Shows; p.never(shown.Access.Of(design.OpRead)) {
		p.neverRead(n.pos, shown.Name, "access.collections."+shown.Name)
	}
}

// never tells whether a rule lets nobody read. One that is missing because it could not be read is another problem.
func (p *partReader) never(rule *design.Rule) bool {
	return p.design.Guarded && p.ruled && (rule == nil || rule.That == nil && rule.Named == "" && !rule.Fixed)
}

func (p *partReader) neverRead(at design.Pos, what, where string) {
	p.problem(at, design.CodeNeverRead, fmt.Sprintf("screen %q shows %s, and nobody may read that",
		p.screenReader.Name, what),
		"say who may in `"+where+"`, or leave it out of the screen")
}
