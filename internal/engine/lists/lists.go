package lists

import (
	"context"

	"yalvo/internal/design"
	"yalvo/internal/design/access"
	"yalvo/internal/design/expr"
	"yalvo/internal/design/plan"
	"yalvo/internal/engine/documents"
	"yalvo/internal/engine/gathering"
	"yalvo/internal/engine/judging"
	"yalvo/internal/engine/memory"
	"yalvo/internal/engine/running"
	"yalvo/internal/engine/store"
	"yalvo/internal/engine/store/factsql"
	"yalvo/internal/engine/store/listsql"
	"yalvo/internal/engine/store/readsql"
	"yalvo/internal/engine/store/rulesql"
)

// Reader reads lists.
type Reader struct {
	*documents.Reader
	memory   *memory.Memory // the documents that lists show
	pairs    memory.Pairs   // for whom pairs are looked for one by one
	together gathering.Batcher[*listsql.ListQuery, listsql.Listed]
}

// New makes a reader with what it remembers of documents.
func New(r *documents.Reader, m *memory.Memory) (*Reader, error) {
	l := &Reader{Reader: r, memory: m}
	l.together.Log = r.Log
	var err error
	l.pairs, err = memory.NewPairs(r.Remember("pairs", memory.Looks))
	return l, err
}

// Together is how many pages have been read together with those of other readers, by one statement for all.
func (r *Reader) Together() int64 { return r.together.Together() }

// Request asks for a list.
type Request struct {
	Name   string
	Of     string            // the key of the document that it is asked for, empty for none
	Params map[string]string // as the query has them
	Marks  []string          // how the viewer's account is paired with each entry: by what names
}

// List reads a page of a list of the design, as the viewer sees it.
func (r *Reader) List(ctx context.Context, who running.Viewer, ask Request, page documents.Page) (documents.Documents,
	error) {
	v, err := r.Now(ctx)
	if err != nil {
		return documents.Documents{}, err
	}
	l, err := v.List(ask.Name)
	if err != nil {
		return documents.Documents{}, err
	}
	in := listing{Reader: r, ctx: ctx, v: v, l: l, who: who, rules: r.JudgeNow(ctx, v, who),
		asks: r.Asking(ctx, v, who)}
	if in.params, in.page.Look, err = given(l, ask.Params); err != nil {
		return documents.Documents{}, err
	}
	if err := in.findOwner(ask.Of); err != nil {
		return documents.Documents{}, err
	}
	if err := in.filter(); err != nil {
		return documents.Documents{}, err
	}
	if err := in.askOfReader(); err != nil {
		return documents.Documents{}, err
	}
	if len(ask.Marks) > 0 {
		if in.page.MarksAsked, err = documents.MarksAsked(v.Plan, who, ask.Marks, l.Entries); err != nil {
			return documents.Documents{}, err
		}
	}
	out, err := in.read(page)
	if err == nil {
		err = out.Show(in.rules)
	}
	if err == nil && len(in.page.Marks) > 0 && in.accounted {
		out.Marks, err = r.ShowMarks(in.rules, who, in.page.Marks, in.marks, out.Keys)
	}
	return out, err
}

// listing is a list that is being read.
type listing struct {
	*Reader
	ctx    context.Context
	v      *running.Version
	l      *plan.List
	who    running.Viewer
	rules  *judging.Judge // who may read what; nil: the viewer everything
	asks   *judging.Judge // what belongs to the list
	params map[string]any

	page  listsql.ListPage
	of    *expr.Document // the document that the list is asked for
	top   string         // the key of what is shown on top, empty for none
	exact bool           // the filter says all there is to say

	accounted bool             // the account whose marks are read is there
	marks     []readsql.Marked // of what has been added
}

// findOwner finds the document that the list is asked for, if the viewer may read it.
func (in *listing) findOwner(key string) error {
	in.page.List = in.l
	owner := in.l.Owner
	if owner == nil {
		if key != "" {
			return running.Refuse(running.CodeUnknownName, "the list %q is asked for no document: its path ends with "+
				"its name", in.l.Name)
		}
		return in.mayAsk()
	}
	if key == "" {
		return running.Refuse(running.CodeUnknownName, "the list %q is asked for one of %s: write its id after the "+
			"name of the list", in.l.Name, owner.Name)
	}
	doc, found, err := factsql.Document(in.Store.Looking(in.ctx), owner, key)
	if err == nil && !found {
		err = running.NotFound(owner, key)
	}
	if err == nil {
		err = in.rules.MayRead(owner, doc)
	}
	if err != nil {
		return err
	}
	in.page.Of = listsql.Owned{N: doc.N, Key: key}
	values, err := in.v.RuleValues(owner, doc)
	if err != nil {
		return err
	}
	in.of = in.v.Law.Document(owner.Collection, key, values)
	if in.l.Top != nil {
		seen := running.See(owner, doc)
		if owner.Access.OfField(in.l.Top.Name, design.OpRead) != nil { // it may not be for the viewer
			if seen, err = in.rules.Show(owner, doc); err != nil {
				return err
			}
		}
		if in.top, err = documents.ReferenceIn(seen.Facts, in.l.Top.Name); err != nil {
			return err
		}
	}
	return in.mayAsk()
}

func (in *listing) mayAsk() error {
	if in.rules == nil {
		return nil
	}
	return in.rules.Allow(in.v.Law.ReadingList(in.l.Listing, in.of))
}

// filter is what the database leaves out.
func (in *listing) filter() error {
	belongs, exact, err := in.asks.ListFilter(in.l, in.of, in.params)
	if err != nil {
		return err
	}
	in.exact = exact
	apart := in.apart()
	if in.rules != nil {
		may, exact, asked, err := in.rules.FilterBeside(in.l.Entries, apart)
		if err != nil {
			return err
		}
		belongs = rulesql.Both(belongs, may)
		pairs := in.l.Through == nil || in.l.Through.Access.Of(design.OpRead).Text() == "true"
		in.exact = in.exact && exact && in.l.Entries.Parent == nil && pairs && !in.v.Law.Tells(in.l.Name)
		apart = asked // the rules leave out the rest
	}
	in.page.Filter = rulesql.Both(belongs, rulesql.NewApart(in.v.Plan, in.l, apart))
	return nil
}

// askOfReader has pages tell of the reader what is asked of them to show their entries.
func (in *listing) askOfReader() (err error) {
	if in.page.Partners, err = in.rules.WillAsk(in.l.Entries); err == nil && len(in.page.Partners) > 0 {
		in.page.Reader = running.Address(in.v.Plan.Collection(in.v.Plan.Design.Accounts.Name), in.who.Me)
	}
	return err
}

// apart are the questions for pairs that keep an entry from the caller.
func (in *listing) apart() []expr.Filter {
	accounts := in.v.Plan.Design.Accounts
	if in.who.Me == "" || accounts == nil {
		return nil
	}
	me := expr.End{Known: in.v.Law.Document(accounts, in.who.Me, nil)}
	var pairs []expr.Filter
	for _, u := range in.l.Unless {
		other := expr.End{Collection: in.l.Entries.Name}
		if u.With != nil {
			other = expr.End{Collection: u.With.To.Name, Reference: u.With.Name}
		}
		pairs = append(pairs, expr.Filter{Kind: expr.Paired, Pair: u.Paired.Name, From: me, To: other})
		if u.EitherWay {
			pairs = append(pairs, expr.Filter{Kind: expr.Paired, Pair: u.Paired.Name, From: other, To: me})
		}
	}
	return pairs
}

// read reads a page, with what stands on top of the first.
func (in *listing) read(page documents.Page) (documents.Documents, error) {
	out := documents.Documents{Markable: documents.Markable{Of: in.l.Entries}, Linked: in.l.Through != nil,
		Tops: page.Top}
	limit := page.Limit
	if in.top != "" && page.After == documents.FromTheTop && page.Top == 0 {
		if err := in.addTop(&out); err != nil {
			return out, err
		}
		limit -= out.Len()
	}
	in.page.Without = out.Tops
	next := (*documents.Boundary)(nil)
	if limit > 0 {
		rows, after, err := in.source().Page(page.After, limit)
		if err != nil {
			return out, err
		}
		next = after
		out.Room(len(rows))
		for i := range rows {
			in.add(&out, &rows[i])
		}
	} else { // the one on top fills the page
		begin := documents.FromTheTop
		next = &begin
	}
	if next != nil {
		out.Next = &documents.Page{After: *next, Limit: page.Limit, Top: out.Tops}
	}
	return out, nil
}

// addTop adds what the document that the list is asked for wants on top, if it belongs to
// the list.
func (in *listing) addTop(out *documents.Documents) error {
	n, err := factsql.Number(in.ctx, in.Store, running.Address(in.l.Entries, in.top))
	if err != nil || n == 0 {
		return err
	}
	in.page.Only = n
	rows, _, err := in.source().Page(documents.FromTheTop, 1)
	in.page.Only = 0
	if err != nil || len(rows) == 0 {
		return err
	}
	out.Tops = n
	in.add(out, &rows[0])
	return nil
}

func (in *listing) add(out *documents.Documents, row *listsql.Listed) {
	if in.l.Through != nil && len(in.l.Through.Fields) > 0 {
		out.PairFacts = append(out.PairFacts, row.PairFields)
	}
	in.accounted = row.Accounted
	for _, m := range row.Marks {
		m.Doc = out.Len()
		in.marks = append(in.marks, m)
	}
	out.Add(row.Document, row.At)
}

func (in *listing) source() documents.Sequence[listsql.Listed] {
	s := documents.Sequence[listsql.Listed]{
		Read: func(after documents.Boundary, filter rulesql.Filter, limit int) ([]listsql.Listed, error) {
			page := in.page
			page.After, page.Filter, page.Limit = after, filter, limit
			return in.rows(page)
		},
		Boundary: in.page.Behind,
		Size:     func(row listsql.Listed) int { return row.Document.Size() },
		Filter:   func() (rulesql.Filter, bool, error) { return in.page.Filter, in.exact, nil },
	}
	s.May = in.belong
	return s
}

// belong tells which of some rows belong to the list and may be read.
func (in *listing) belong(rows []listsql.Listed) ([]bool, error) {
	allowed := make([]bool, len(rows))
	for i := range allowed {
		allowed[i] = true
	}
	if in.l.Where != nil {
		is, err := judging.Allowed(in.asks, rows, func(row listsql.Listed) ([]access.Condition, error) {
			values, err := in.v.RuleValues(in.l.Entries, row.Document)
			if err != nil {
				return nil, err
			}
			var pair map[string]any
			if in.l.Through != nil {
				if pair, err = running.Typed(in.l.Through.Fields, row.PairFields); err != nil {
					return nil, err
				}
			}
			doc := in.v.Law.Document(in.l.Entries.Collection, row.Key, values)
			return []access.Condition{in.v.Law.Belonging(in.l.Listing, doc, in.of, pair, in.params)}, nil
		})
		if err != nil {
			return nil, err
		}
		allowed = is
	}
	if in.rules == nil {
		return allowed, nil
	}
	for _, judge := range []func([]listsql.Listed) ([]bool, error){in.readable, in.told} {
		may, err := judge(rows)
		if err != nil {
			return nil, err
		}
		for i := range may {
			allowed[i] = allowed[i] && may[i]
		}
	}
	return allowed, nil
}

// told tells of which rows the viewer may read what the list tells of them.
func (in *listing) told(rows []listsql.Listed) ([]bool, error) {
	if !in.v.Law.Tells(in.l.Name) {
		return nil, nil
	}
	return judging.Allowed(in.rules, rows, func(row listsql.Listed) ([]access.Condition, error) {
		values, err := in.v.RuleValues(in.l.Entries, row.Document)
		return in.v.Law.ReadingTold(in.l.Listing, in.v.Law.Document(in.l.Entries.Collection, row.Key, values)), err
	})
}

func (in *listing) readable(rows []listsql.Listed) ([]bool, error) {
	linked, docs := make([]readsql.Linked, len(rows)), make([]store.Document, len(rows))
	for i, row := range rows {
		linked[i], docs[i] = row.Linked, row.Document
	}
	if in.l.Through == nil {
		return in.rules.Readable(in.l.Entries, docs)
	}
	return documents.JudgedPairs(in.rules, in.l.Through, in.page.Of.Key, in.l.Side == design.From)(linked)
}

// given reads the parameters of a request.
func given(l *plan.List, query map[string]string) (params map[string]any, look string, err error) {
	params = map[string]any{}
	var mistakes []design.Mistake
	wrong := func(name, code, detail string) {
		mistakes = append(mistakes, design.Mistake{Pointer: "?" + name, Code: code, Detail: detail})
	}
	for _, p := range l.Params {
		text, is := query[p.Name]
		if !is && p.Default == nil {
			wrong(p.Name, design.MistakeMissing, "the list needs the parameter "+p.Name)
			continue
		}
		fits, bad := p.Accept(documents.AsGiven(p, text, is))
		for _, m := range bad {
			wrong(p.Name, m.Code, m.Detail)
		}
		params[p.Name] = fits
	}
	if name := l.Looks(); name != "" {
		if look = query[name]; look == "" {
			wrong(name, design.MistakeMissing, "the list needs the parameter "+name+": what is looked for")
		}
		if len(look) > maxLook {
			wrong(name, design.MistakeLong, "what is looked for may have 200 bytes")
		}
	}
	if len(mistakes) > 0 {
		return nil, "", running.Invalid(mistakes)
	}
	return params, look, nil
}

// maxLook is how many bytes the words or the beginning may have that are looked for.
const maxLook = 200
