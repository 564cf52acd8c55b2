package tests

import (
	"cmp"
	"fmt"
	"math/rand/v2"
	"slices"
	"strings"
	"time"

	"yalvo/client"
	"yalvo/internal/design"
	"yalvo/internal/design/expr"
)

// list derives what belongs to a list for a caller, nil for a stranger, in no order; of is
// the document that it is asked for.
func (m *model) list(l *design.Listing, of, me *thing, params map[string]any) []*thing {
	var entries []*thing
	for _, d := range m.all(l.Entries) {
		var pair *couple
		switch {
		case l.Under && d.parent != of, l.By != nil && d.refs[l.By.Name] != of:
			continue
		case l.Through != nil:
			if pair = m.tie(l, of, d); pair == nil {
				continue
			}
		}
		if !slices.ContainsFunc(l.Unless, func(u design.Apart) bool { return me != nil && m.apart(u, me, d) }) &&
			m.where(l, d, of, me, pair, params) && looksFor(l, d, params) {
			entries = append(entries, d)
		}
	}
	return entries
}

func (m *model) tie(l *design.Listing, of, d *thing) *couple {
	e := ends{of, d}
	if l.Side == design.To {
		e = ends{d, of}
	}
	return m.pairs[l.Through.Name][e]
}

// at is the document that a reference leads to by its key.
func (m *model) at(d *thing, ref *design.Field) *thing {
	key, is := d.fields[ref.Name].(string)
	if !is {
		return nil
	}
	return m.docs[ref.To.Path(key)]
}

func (m *model) apart(u design.Apart, me, d *thing) bool {
	if u.With != nil {
		if d = m.at(d, u.With); d == nil {
			return false
		}
	}
	return m.paired(u.Paired, me, d) || u.EitherWay && m.paired(u.Paired, d, me)
}

func (m *model) where(l *design.Listing, d, of, me *thing, pair *couple, params map[string]any) bool {
	if l.Where == nil {
		return true
	}
	values := map[string]any{design.NameDoc: m.seen(d), design.NameMe: m.seen(me), design.NameOf: m.seen(of),
		design.NameNow: design.FormatTime(time.Now()), design.NamePair: map[string]any{}}
	if pair != nil {
		values[design.NamePair] = typed(pair.fields)
	}
	for name, v := range typed(params) {
		values[name] = v
	}
	is, err := l.Where.That.Allows(values, func(string, *expr.Document, *expr.Document) bool { return false })
	return err == nil && is
}

// seen is a document as conditions see it.
func (m *model) seen(d *thing) *expr.Document {
	if d == nil {
		return nil
	}
	values := typed(d.fields)
	values["created"], values["updated"] = design.FormatTime(d.created), design.FormatTime(d.updated)
	for _, k := range d.in.Kept {
		if (design.Part{Kept: k}).Numeric() != "" {
			values[k.Name] = m.kept(d, k)
			if n, is := values[k.Name].(int); is {
				values[k.Name] = int64(n)
			}
		}
	}
	return &expr.Document{Collection: d.in.Name, Key: d.key, Shape: d.in.ShapeOf(), Values: typed(values)}
}

func looksFor(l *design.Listing, d *thing, params map[string]any) bool {
	text := func(f *design.Field) string { s, _ := d.fields[f.Name].(string); return strings.ToLower(s) }
	look, _ := params[l.Looks()].(string)
	look = strings.ToLower(look)
	if l.Starts != nil {
		return strings.HasPrefix(text(l.Starts), look)
	}
	var words []string
	for _, f := range l.Words {
		words = append(words, strings.Fields(text(f))...)
	}
	return !slices.ContainsFunc(strings.Fields(look), func(w string) bool { return !slices.Contains(words, w) })
}

// order compares two entries of a list by one of its values, least first.
func (m *model) order(l *design.Listing, o design.Order, of, a, b *thing) int {
	value := func(d *thing) any {
		switch {
		case o.System == design.ByPaired:
			return design.FormatTime(m.tie(l, of, d).since)
		case o.System == design.ByUpdated:
			return design.FormatTime(d.updated)
		case o.System != "":
			return design.FormatTime(d.created)
		case o.Part.Kept != nil:
			return m.kept(d, o.Part.Kept)
		}
		return d.fields[o.Part.Field.Name]
	}
	x, y := value(a), value(b)
	if x == nil || y == nil {
		return cmp.Compare(count(x != nil), count(y != nil))
	}
	switch x := x.(type) {
	case string:
		return strings.Compare(strings.ToLower(x), strings.ToLower(y.(string)))
	case bool:
		return cmp.Compare(count(x), count(y.(bool)))
	}
	return cmp.Compare(float(x), float(y))
}

func count(is bool) int {
	if is {
		return 1
	}
	return 0
}

func float(v any) float64 {
	switch v := v.(type) {
	case int:
		return float64(v)
	case int64:
		return float64(v)
	}
	return v.(float64)
}

// listsAgree asks for every list as several callers and compares the pages with the model.
func (th *throng) listsAgree(m *model, differ func(string, any, any)) {
	r := rand.New(rand.NewPCG(uint64(len(th.deeds)), 3))
	pick := func(c *design.Collection) *thing {
		if all := m.all(c); c != nil && len(all) > 0 {
			slices.SortFunc(all, func(a, b *thing) int { return strings.Compare(a.key, b.key) })
			return all[r.IntN(len(all))]
		}
		return nil
	}
	for _, l := range th.design.Lists {
		for range 6 {
			of, me := pick(l.Owner()), pick(th.design.Accounts)
			if l.Owner() != nil && of == nil {
				continue
			}
			if r.IntN(4) == 0 {
				me = nil
			}
			params := map[string]any{}
			for _, p := range l.Params {
				params[p.Name] = th.anyValue(r, p)
			}
			if looks := l.Looks(); looks != "" {
				params[looks] = []string{"text 1", "TEXT 2", "n", "text"}[r.IntN(4)]
			}
			what := fmt.Sprintf("list %s of %v as %v with %v", l.Name, keyIn(of), keyIn(me), params)
			want := m.list(l, of, me, params)
			got := th.listed(l, keyIn(of), keyIn(me), params)
			// Between the two a document may have become too old for it: then it is asked again.
			for again := 0; again < 5 && l.Where.Names(design.NameNow) && len(got) != len(want); again++ {
				want = m.list(l, of, me, params)
				got = th.listed(l, keyIn(of), keyIn(me), params)
			}
			paths := func(all []*thing) []string {
				var out []string
				for _, d := range all {
					out = append(out, d.in.Path(d.key))
				}
				slices.Sort(out)
				return out
			}
			sorted := slices.Sorted(slices.Values(got))
			differ(what, sorted, paths(want))
			for i := 1; i < len(got); i++ {
				a, b := m.docs[got[i-1]], m.docs[got[i]]
				if a != nil && b != nil && !m.inOrder(l, of, a, b) {
					differ(what+": the order of", []string{got[i-1], got[i]}, "the other way round")
				}
			}
		}
	}
}

func keyIn(d *thing) string {
	if d == nil {
		return ""
	}
	return d.key
}

func (m *model) inOrder(l *design.Listing, of, a, b *thing) bool {
	for _, o := range l.Order {
		by := m.order(l, o, of, a, b)
		if !o.Up {
			by = -by
		}
		if by != 0 {
			return by < 0
		}
	}
	return true
}

// listed are the paths of a list's entries, page by page.
func (th *throng) listed(l *design.Listing, of, me string, params map[string]any) []string {
	query := map[string]string{}
	for name, v := range params {
		query[name] = fmt.Sprint(v)
	}
	c := th.Client
	if me != "" {
		c = c.As(me)
	}
	paths := []string{}
	for cursor := ""; ; {
		page := must(c.Named(th.t.Context(), l.Name, of, query, client.Page{Limit: 7, Cursor: cursor}))(th.t)
		for _, d := range page.Documents {
			paths = append(paths, d.Path)
		}
		if cursor = page.Next; cursor == "" {
			return paths
		}
	}
}

// ordered makes up a list.
func (m imagination) ordered(name string) {
	in := m.named(m.collections)
	values := []string{"created", "updated", "text"}
	for _, part := range []string{"fields", "kept"} {
		for name := range m.collections[in].(dict)[part].(dict) {
			values = append(values, name)
		}
	}
	slices.Sort(values)
	by := func() string { return m.one(values...) + m.one("", "", " up") }
	l := dict{"entries": in, "order": m.one("created", by())}
	if m.IntN(2) == 0 {
		l["order"] = []string{by(), by()}
	}
	switch m.IntN(6) {
	case 0, 1:
		l["of"] = m.one("parent", "author", "ref0", "ref1")
	case 2:
		l["through"], l["of"] = m.named(m.pairs), m.one("from", "to")
	case 3:
		l["through"], l["order"] = m.named(m.pairs), m.one("paired", "paired up")
	}
	switch m.IntN(4) {
	case 0:
		l["unless"] = dict{"paired": m.named(m.pairs), "either_way": m.IntN(2) == 0, "with": m.one("author", "ref0")}
	case 1:
		l["unless"] = dict{"paired": m.named(m.pairs)}
	}
	l["params"] = dict{"given": dict{"type": "integer"}}
	l["where"] = m.one("doc.size == given", "has(doc.text) && doc.size > given || doc.size < 2", "!doc.shown", "doc.author == me",
		"doc.created < now && (doc.weight > 1.0 || !has(doc.weight))", "doc."+m.one(values...)+" >= given", "doc.created > now - duration('5s')",
		"doc.seen > timestamp('2030-03-17T17:50:00Z')")
	if m.IntN(3) == 0 {
		delete(l, "where")
	}
	switch m.IntN(8) {
	case 0:
		l["starts"] = "text"
	case 1:
		l["words"] = []string{"text"}
	}
	m.add(m.lists, name, l)
}
