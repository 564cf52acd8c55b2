package words

import (
	"fmt"
	"strings"

	"github.com/jinzhu/inflection"

	"yalvo/internal/design"
)

// Passage is what is said of one thing of a design.
type Passage struct {
	About     string   `json:"about"` // its name, as in "sightings" or "follow"
	Kind      string   `json:"kind"`  // collection, pair, timeline, list, screen or trigger
	Sentences []string `json:"sentences"`
}

// Of tells a design.
func Of(d *design.Design) []Passage {
	var all []Passage
	say := func(kind, about string, sentences []string) {
		all = append(all, Passage{about, kind, sentences})
	}
	for _, c := range d.Collections {
		say("collection", c.Name, ofCollection(d, c))
	}
	for _, p := range d.Pairs {
		say("pair", p.Name, ofPair(p))
	}
	for _, t := range d.Timelines {
		say("timeline", t.Name, ofTimeline(t))
	}
	for _, l := range d.Lists {
		say("list", l.Name, ofList(l))
	}
	for _, s := range d.Screens {
		say("screen", s.Name, ofScreen(s))
	}
	for _, t := range d.Triggers {
		say("trigger", t.Name, ofTrigger(t))
	}
	return all
}

// one is what one document of a collection is called.
func one(c *design.Collection) string {
	return strings.ReplaceAll(inflection.Singular(c.Name), "_", " ")
}

// several is what documents of a collection are called.
func several(c *design.Collection) string { return strings.ReplaceAll(c.Name, "_", " ") }

// a puts the article before a word.
func a(word string) string {
	if word != "" && strings.ContainsRune("aeiou", rune(word[0])) {
		return "an " + word
	}
	return "a " + word
}

func aDocument(c *design.Collection) string { return a(one(c)) }

// sentence begins with a capital and ends with a full stop.
func sentence(format string, args ...any) string {
	text := fmt.Sprintf(format, args...)
	return strings.ToUpper(text[:1]) + text[1:] + "."
}

// enumerate joins words as a sentence does.
func enumerate(all []string) string {
	switch len(all) {
	case 0:
		return "nothing"
	case 1:
		return all[0]
	}
	return strings.Join(all[:len(all)-1], ", ") + " and " + all[len(all)-1]
}

func ofCollection(d *design.Design, c *design.Collection) []string {
	var all []string
	if c == d.Accounts {
		all = append(all, sentence("%s is somebody who uses the app: whoever is signed in is one", aDocument(c)))
	}
	if c.Under != nil {
		all = append(all, sentence("%s has any number of %s; %s lies under one %s and goes with it",
			aDocument(c.Under), several(c), aDocument(c), one(c.Under)))
	}
	var must, may []string
	for _, f := range c.Fields {
		switch {
		case f.Type == design.Reference:
		case f.Required:
			must = append(must, field(f))
		default:
			may = append(may, field(f))
		}
	}
	if len(must) > 0 {
		all = append(all, sentence("%s has %s", aDocument(c), enumerate(must)))
	}
	if len(may) > 0 {
		all = append(all, sentence("it may have %s", enumerate(may)))
	}
	for _, f := range c.References() {
		all = append(all, ofReference(c, f)...)
	}
	for _, k := range c.Kept {
		all = append(all, ofKept(c, k))
	}
	return append(all, ofAccess(c.Access, aDocument(c))...)
}

// field is a field with what bounds it.
func field(f *design.Field) string {
	var says []string
	if f.Unique {
		says = append(says, "like no other")
	}
	if f.Type == design.String && f.Max != nil {
		says = append(says, fmt.Sprintf("up to %.0f characters", *f.Max))
	}
	if f.Fixed {
		says = append(says, "for good")
	}
	name := strings.ReplaceAll(f.Name, "_", " ")
	if len(says) > 0 {
		return name + " (" + strings.Join(says, ", ") + ")"
	}
	return name
}

// whenGone says what becomes of a document when what it points at goes.
var whenGone = map[design.WhenGone]string{
	design.GoneRemove: "when that goes, the %[1]s goes too",
	design.GoneClear:  "when that goes, the %[1]s stays and points nowhere",
	design.GoneRefuse: "that cannot go as long as the %[1]s is there",
	design.GoneLeave:  "when that goes, the %[1]s goes on pointing at what is not there",
}

func ofReference(c *design.Collection, f *design.Field) []string {
	if f.To == nil {
		return nil
	}
	how := "may have one"
	if f.Required {
		how = "has one"
	}
	last := ""
	if f.Fixed {
		last = ", for good"
	}
	what := strings.ReplaceAll(f.Name, "_", " ")
	all := []string{sentence("%s %s %s, %s%s; %s", aDocument(c), how, what, aDocument(f.To), last,
		fmt.Sprintf(whenGone[f.WhenGone], one(c)))}
	called := ""
	if f.Inverse != "" {
		called = ", called " + f.Inverse
	}
	return append(all, sentence("%s is the %s of any number of %s%s", aDocument(f.To), what, several(c), called))
}

func ofPair(p *design.Pair) []string {
	if p.From == nil || p.To == nil {
		return nil
	}
	all := []string{
		sentence("by %s %s is paired with any number of %s, which it calls %s", p.Name, aDocument(p.From),
			several(p.To),
			p.FromCalls),
		sentence("%s is so paired with any number of %s, which it calls %s", aDocument(p.To), several(p.From),
			p.ToCalls),
		"Two are paired once, however often that is said; when one goes, so does the pair.",
	}
	if p.From == p.To && p.Self {
		all = append(all, sentence("%s may be paired with itself", aDocument(p.From)))
	}
	if len(p.Fields) > 0 {
		var names []string
		for _, f := range p.Fields {
			names = append(names, field(f))
		}
		all = append(all, sentence("each pair has %s of its own", enumerate(names)))
	}
	if len(p.Dissolves) > 0 {
		names := design.NamesOf(p.Dissolves, func(o *design.Pair) string { return o.Name })
		all = append(all, sentence("to pair two so ends %s between them, either way", enumerate(names)))
	}
	if p.Access != nil {
		all = append(all, ofAccess(p.Access, "such a pair")...)
	}
	return all
}

func partNames(parts []design.Part) string {
	var names []string
	for _, p := range parts {
		names = append(names, p.Name())
	}
	return enumerate(names)
}

// sources are what a value is kept of.
func sources(k *design.Kept) string {
	switch {
	case k.Nested != nil:
		return "the " + several(k.Nested) + " under it"
	case k.Pair != nil:
		calls := k.Pair.ToCalls
		if k.Side == design.From {
			calls = k.Pair.FromCalls
		}
		return "its " + strings.ReplaceAll(calls, "_", " ") + " (" + several(k.Sources()) + ", by " + k.Pair.Name + ")"
	}
	return "the " + several(k.Via.In) + " whose " + k.Via.Name + " it is"
}

func ofKept(c *design.Collection, k *design.Kept) string {
	name, where := k.Name, ""
	if k.Where != nil {
		where = fmt.Sprintf(", of those for which `%s`", k.Where.Text)
	}
	switch k.Kind {
	case design.Copy:
		lasts := "which changes as they do"
		if k.Frozen {
			lasts = "as they were when it was first set"
		}
		return sentence("each %s carries %s: a copy of %s of its %s, %s", one(c), name, partNames(k.Parts),
			k.Via.Name, lasts)
	case design.Count:
		return sentence("each %s carries %s: how many there are of %s%s", one(c), name, sources(k), where)
	case design.Latest:
		return sentence("each %s carries %s: the newest %d of %s%s, each with %s", one(c), name, k.HowMany,
			sources(k), where,
			partNames(k.Parts))
	case design.Gather:
		return sentence("each %s carries %s: which are the newest %d of %s%s", one(c), name, k.HowMany,
			sources(k), where)
	}
	kind := map[design.KeptKind]string{design.Sum: "the sum", design.Min: "the least",
		design.Max: "the greatest"}[k.Kind]
	return sentence("each %s carries %s: %s of %s of %s%s", one(c), name, kind, k.Of.Name(), sources(k), where)
}

func ofScreen(s *design.Screen) []string {
	asked := "whoever asks"
	if s.Of != nil {
		asked = "one " + one(s.Of)
		if s.By != nil {
			asked += ", by " + s.By.Name
		}
	}
	var parts []string
	for _, p := range s.Parts {
		parts = append(parts, ofPart(p))
	}
	return []string{sentence("for %s it shows %s", asked, enumerate(parts))}
}

func ofPart(p *design.ScreenPart) string {
	shows := ""
	if names := p.Fields(); len(names) > 0 {
		shows = " with " + enumerate(names)
	}
	live := ""
	if p.Live {
		live = ", as they change"
	}
	switch {
	case p.Document && p.For == design.Mine:
		return "who that is" + shows
	case p.Document:
		return "that " + one(p.Shows) + shows
	case p.Timeline != nil:
		return fmt.Sprintf("%d of the timeline %s%s%s", p.Page, p.Timeline.Name, shows, live)
	case p.List != nil:
		return fmt.Sprintf("%d of the list %s%s%s", p.Page, p.List.Name, shows, live)
	}
	return fmt.Sprintf("%d of its %s%s%s", p.Page, p.Leads, shows, live)
}

func ofTrigger(t *design.Trigger) []string {
	what := "such a pair"
	if t.Collection != nil {
		what = aDocument(t.Collection)
	} else if t.Pair != nil {
		what = a(t.Pair.Name)
	}
	when := ""
	if t.When != nil {
		when = fmt.Sprintf(" and `%s`", t.When.Text)
	}
	var does []string
	for _, s := range t.Steps {
		does = append(does, ofStep(s))
	}
	return []string{sentence("when %s is %s%s, %s", what, t.On, when, enumerate(does))}
}

func ofStep(s *design.Step) string {
	switch s.Do {
	case design.DoEdit:
		return "fields of it are edited"
	case design.DoCreate:
		return aDocument(s.Collection) + " is made"
	case design.DoRemove:
		return aDocument(s.Collection) + " is removed"
	case design.DoPair:
		return "two are paired by " + s.Pair.Name
	case design.DoUnpair:
		return "a pair ends, of " + s.Pair.Name
	}
	return "something is sent to " + s.URL
}
