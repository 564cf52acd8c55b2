package tests

import (
	"encoding/base64"
	"encoding/json"
	"errors"
	"fmt"
	"math/rand/v2"
	"slices"
	"strings"
	"testing"
	"time"

	"yalvo/client"
	"yalvo/internal/design"
	"yalvo/internal/design/expr"
	"yalvo/internal/design/language"
)

// readRules makes up who may read what of a made-up design. A rule that means nothing there
// gives way to one that lets everybody in.
func readRules(r *rand.Rand, source string) string {
	var whole dict
	if err := json.Unmarshal([]byte(source), &whole); err != nil {
		panic(err)
	}
	access := dict{}
	whole["access"] = access
	text := func() string {
		raw, err := json.Marshal(whole)
		if err != nil {
			panic(err)
		}
		return string(raw)
	}
	section := func(name string, rules ...string) {
		all := dict{}
		access[name] = all
		of, _ := whole[name].(dict)
		for _, one := range slices.Sorted(keysOf(of)) {
			all[one] = dict{"read": rules[r.IntN(len(rules))]}
			if name == "collections" && one == "people" { // oneself always
				all[one] = dict{"read": "doc == me || " + []string{"true", "true", "!paired('kin1', doc, me)", "doc.size > 2", "!has(doc.size)"}[r.IntN(5)]}
			}
			if _, err := language.Read("ruled.yaml", []byte(text())); err != nil {
				all[one] = dict{"read": true}
			}
		}
	}
	section("collections", "!paired('kin0', me, doc.author)", "!paired('kin0', me, doc.author) && !paired('kin0', doc.author, me)",
		"me != null && (doc.author == me || paired('follow', me, doc.author))", "doc.shown", "!doc.shown || doc.author == me", "doc.author.size > 3",
		"has(doc.text) && doc.size != 3", "doc.ref0 == me || !has(doc.ref0)", "me != null && me.size > doc.size", "true")
	section("pairs", "from == me", "from == me || to == me", "pair.value > 0", "true", "true")
	section("timelines", "true")
	section("lists", "true")
	return text()
}

func keysOf(m dict) func(func(string) bool) {
	return func(yield func(string) bool) {
		for name := range m {
			if !yield(name) {
				return
			}
		}
	}
}

// linked is a document as rules see it, with what its references lead to.
func (m *model) linked(d *thing) *expr.Document {
	seen := m.seen(d)
	if seen == nil {
		return nil
	}
	seen.Links = map[string]*expr.Document{}
	for _, f := range d.in.Fields {
		if f.Type == design.Reference {
			if to := m.at(d, f); to != nil {
				seen.Links[f.Name] = m.seen(to)
			}
		}
	}
	return seen
}

func (m *model) asks(kind string, from, to *expr.Document) bool {
	p := m.design.Pair(kind)
	if from == nil || to == nil {
		return false
	}
	a, b := m.docs[p.From.Path(from.Key)], m.docs[p.To.Path(to.Key)]
	return a != nil && b != nil && m.paired(p, a, b)
}

func (m *model) may(rule *design.Rule, values map[string]any, me *thing) bool {
	switch {
	case rule == nil:
		return false
	case rule.That == nil:
		return rule.Fixed
	}
	values[design.NameMe], values[design.NameNow] = m.linked(me), design.FormatTime(time.Now())
	is, err := rule.That.Allows(values, m.asks)
	return err == nil && is
}

// reads tells whether somebody may read a document: by the rule for it, and for what it lies under.
func (m *model) reads(me, d *thing) bool {
	values := map[string]any{design.NameDoc: m.linked(d), design.NameParent: m.linked(d.parent)}
	return (d.parent == nil || m.reads(me, d.parent)) && m.may(d.in.Access.Of(design.OpRead), values, me)
}

func (m *model) readsPair(me *thing, p *design.Pair, e ends) bool {
	return m.may(p.Access.Of(design.OpRead), map[string]any{design.NameFrom: m.linked(e.from), design.NameTo: m.linked(e.to),
		design.NamePair: typed(m.pairs[p.Name][e].fields)}, me)
}

// marks are how an account is paired with a document, as far as it may read that, by what it calls it.
func (m *model) marks(me, d *thing, names []string) map[string]any {
	out := map[string]any{}
	for _, name := range names {
		out[name] = nil
		for _, p := range m.design.Pairs {
			e := ends{me, d}
			if p.From != m.design.Accounts || p.To != d.in || p.FromCalls != name {
				if e = (ends{d, me}); p.To != m.design.Accounts || p.From != d.in || p.ToCalls != name {
					continue
				}
			}
			if tie := m.pairs[p.Name][e]; tie != nil && m.readsPair(me, p, e) {
				out[name] = tie.fields
				if tie.fields == nil {
					out[name] = dict{}
				}
			}
		}
	}
	return out
}

// markNames are some of the marks that documents of a collection can bear.
func (m *model) markNames(r *rand.Rand, c *design.Collection) []string {
	var names []string
	for _, p := range m.design.Pairs {
		if p.From == m.design.Accounts && p.To == c {
			names = append(names, p.FromCalls)
		}
		if p.To == m.design.Accounts && p.From == c {
			names = append(names, p.ToCalls)
		}
	}
	r.Shuffle(len(names), func(i, j int) { names[i], names[j] = names[j], names[i] })
	return names[:min(len(names), 3)]
}

func marksOf(found map[string]*client.Mark) map[string]any {
	out := map[string]any{}
	for name, mark := range found {
		out[name] = nil
		if mark != nil {
			out[name] = mark.Facts
			if mark.Facts == nil {
				out[name] = dict{}
			}
		}
	}
	return out
}

// rulesAgree has made-up rules say who may read what, asks for documents, timelines and lists
// as several callers, with their marks, and compares with a model that filters plainly.
func (th *throng) rulesAgree(m *model, seed uint64) {
	th.t.Helper()
	r := rand.New(rand.NewPCG(seed, 77))
	source := readRules(r, th.source)
	applied := must(th.Apply(th.t.Context(), "ruled.yaml", []byte(source)))(th.t)
	must(th.AwaitVersion(th.t.Context(), applied.Version, nil))(th.t)
	ruled := must(language.Read("ruled.yaml", []byte(source)))(th.t)
	for _, c := range ruled.Collections {
		m.design.Collection(c.Name).Access = c.Access
	}
	for _, p := range ruled.Pairs {
		m.design.Pair(p.Name).Access = p.Access
	}
	wrong, shown, hidden := 0, 0, 0
	differ := func(what string, got, want any) {
		if g, w := canonical(got), canonical(want); g != w {
			if wrong++; wrong <= 10 {
				th.t.Errorf("%s:\n got %s\nwant %s", what, g, w)
			}
		}
	}
	pick := func(c *design.Collection) *thing {
		all := m.all(c)
		if c == nil || len(all) == 0 {
			return nil
		}
		slices.SortFunc(all, func(a, b *thing) int { return strings.Compare(a.key, b.key) })
		return all[r.IntN(len(all))]
	}
	for range 8 {
		me := pick(th.design.Accounts)
		if r.IntN(5) == 0 {
			me = nil
		}
		c := th.As(callerIn(me))
		for _, in := range th.design.Collections {
			if d := pick(in); d != nil {
				_, err := c.Get(th.t.Context(), in.Path(d.key))
				differ(fmt.Sprintf("%s as %s may be read", in.Path(d.key), callerIn(me)), statusIn(err), map[bool]int{true: 200, false: 404}[m.reads(me, d)])
			}
		}
		for _, t := range th.design.Timelines {
			owner := pick(t.Owner)
			for range 5 { // rather one with many entries
				if other := pick(t.Owner); other != nil && len(m.timeline(t, other)) > len(m.timeline(t, owner)) {
					owner = other
				}
			}
			if owner == nil {
				continue
			}
			what := fmt.Sprintf("%s of %s as %s", t.Name, owner.key, callerIn(me))
			if !m.reads(me, owner) {
				_, err := c.Timeline(th.t.Context(), t.Name, owner.key, client.Page{})
				differ(what, statusIn(err), 404)
				continue
			}
			want := []any{}
			var names []string
			if me != nil {
				names = m.markNames(r, t.Entries)
			}
			// What may not be read takes no place in it.
			for _, path := range m.timelineOfAll(t, owner) {
				if d := m.docs[path]; len(want) < t.Length && m.reads(me, d) {
					want = append(want, []any{path, m.marks(me, d, names)})
				} else if len(want) < t.Length {
					hidden++
				}
			}
			shown += len(want)
			differ(what, entriesWith(th, c, t.Name, owner.key, names), want)
		}
		for _, l := range th.design.Lists {
			th.ruledList(m, l, pick(l.Owner()), me, r, differ)
		}
	}
	if wrong > 0 {
		th.t.Log(source)
	}
	th.t.Logf("%d entries are shown and %d may not be read by who asked", shown, hidden)
}

func (th *throng) ruledList(m *model, l *design.Listing, of, me *thing, r *rand.Rand, differ func(string, any, any)) {
	if l.Owner() != nil && of == nil {
		return
	}
	params := map[string]any{}
	for _, p := range l.Params {
		params[p.Name] = th.anyValue(r, p)
	}
	if looks := l.Looks(); looks != "" {
		params[looks] = "text"
	}
	what := fmt.Sprintf("list %s of %s as %s with %v", l.Name, keyIn(of), callerIn(me), params)
	if of != nil && !m.reads(me, of) {
		query := map[string]string{}
		for name, v := range params {
			query[name] = fmt.Sprint(v)
		}
		_, err := th.As(callerIn(me)).Named(th.t.Context(), l.Name, keyIn(of), query, client.Page{})
		differ(what, statusIn(err), 404)
		return
	}
	want, got := th.ruledEntries(m, l, of, me, params), th.listed(l, keyIn(of), callerIn(me), params)
	for again := 0; again < 5 && l.Where.Names(design.NameNow) && len(got) != len(want); again++ { // it has become too old
		want, got = th.ruledEntries(m, l, of, me, params), th.listed(l, keyIn(of), callerIn(me), params)
	}
	slices.Sort(want)
	slices.Sort(got)
	differ(what, got, want)
}

// ruledEntries are those of a list that somebody may read.
func (th *throng) ruledEntries(m *model, l *design.Listing, of, me *thing, params map[string]any) []string {
	want := []string{}
	for _, d := range m.list(l, of, me, params) {
		readable := m.reads(me, d)
		if readable && l.Through != nil {
			e := ends{of, d}
			if l.Side == design.To {
				e = ends{d, of}
			}
			readable = m.readsPair(me, l.Through, e)
		}
		if readable {
			want = append(want, d.in.Path(d.key))
		}
	}
	return want
}

// callerIn is who acts: an account, or a stranger.
func callerIn(me *thing) string {
	if me == nil {
		return "~"
	}
	return me.key
}

func statusIn(err error) int {
	var p *client.Problem
	switch {
	case err == nil:
		return 200
	case errors.As(err, &p):
		return p.Status
	}
	return 0
}

// entriesWith are the paths of a whole timeline's entries with the caller's marks, page by page.
func entriesWith(th *throng, c *client.Client, timeline, owner string, names []string) []any {
	out := []any{}
	for cursor := ""; ; {
		page := must(c.Timeline(th.t.Context(), timeline, owner, client.Page{Limit: 4, Cursor: cursor, Marks: names}))(th.t)
		for _, e := range page.Entries {
			out = append(out, []any{e.Path, marksOf(e.Marks)})
		}
		if cursor = page.Next; cursor == "" {
			return out
		}
	}
}

// A timeline holds as many entries as its length, of those that its reader may read: if more are hidden than it
// keeps beyond its length, older ones are collected from their authors.
func TestWhatMayNotBeReadTakesNoPlaceInATimeline(t *testing.T) {
	t.Parallel()
	for _, deliver := range []string{"push", "pull"} {
		w := start(t, strings.Replace(`yalvo: 1
app: nooks
accounts: people
collections:
  people: {fields: {name: {type: string}}}
  posts:  {fields: {open: {type: boolean, default: true}, author: {type: reference, to: people, required: true, default: me, inverse: posts, when_gone: remove}}}
pairs:
  follow: {from: people, to: people, from_calls: following, to_calls: followers}
timelines:
  home: {owner: people, entries: posts, by: author, through: follow, length: 4, deliver: DELIVER}
access:
  collections:
    people: {read: true}
    posts:  {read: doc.open}
  timelines: {home: {read: owner == me}}
`, "DELIVER", deliver, 1))
		w.person("ada")
		w.person("ben")
		w.follow("ben", "ada")
		for i := range 60 { // but for one the newest fifty are hidden
			if _, _, err := w.Create(t.Context(), "posts", fmt.Sprintf("p%02d", i), map[string]any{"author": "ada", "open": i < 10 || i == 55}); err != nil {
				t.Fatal(err)
			}
		}
		if deliver == "push" {
			w.Settle()
			w.SQL("DELETE FROM cuts")
			w.SQL("INSERT INTO cuts SELECT timeline, owner, rank, doc, 0 FROM entries ORDER BY rank DESC, doc DESC OFFSET 12 LIMIT 1")
			w.SQL("DELETE FROM entries e USING cuts c WHERE (e.rank, e.doc) <= (c.rank, c.doc)")
		}
		for _, limit := range []int{1, 2, 3, 30} {
			var ids []string
			for cursor := ""; ; {
				page := must(w.As("ben").Timeline(t.Context(), "home", "ben", client.Page{Limit: limit, Cursor: cursor}))(t)
				for _, e := range page.Entries {
					ids = append(ids, e.ID)
				}
				if cursor = page.Next; cursor == "" {
					break
				}
				if raw, err := base64.RawURLEncoding.DecodeString(cursor); err != nil || strings.Contains(string(raw), `"g"`) {
					t.Errorf("the cursor tells what it says: %q, %v", raw, err)
				}
			}
			same(t, fmt.Sprint("what ben may read, by ", limit), strings.Join(ids, " "), "p55 p09 p08 p07")
		}
		same(t, "an operator", w.home("ben"), []string{"p59", "p58", "p57", "p56"})
		w.auditFindsNothing()
	}
}
