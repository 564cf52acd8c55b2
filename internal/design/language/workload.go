package language

import (
	"fmt"
	"maps"
	"math"
	"slices"

	"yalvo/internal/design"
)

// Limits on a workload: what a number may be, how many shares a spread has, how often something may be done by an
// account in a day, and how far two numbers may differ that must be the same.
const (
	mostOfAnything = 1e12
	mostShares     = 100
	mostADay       = 1e5
	nearEnough     = 0.05
)

func (r *reader) noteWorkload(n *node) { r.workload = n }

// ReadWorkload reads a workload that lies beside its design, in a file of its own: what a design has under `workload`.
// The error, if any, is [design.Problems].
func ReadWorkload(name string, source []byte, d *design.Design) (*design.Workload, error) {
	r := &reader{file: name, design: d}
	root := r.parse(source)
	if root == nil {
		return nil, r.problems
	}
	w := r.readWorkload(root)
	if len(r.problems) > 0 {
		return nil, r.problems
	}
	return w, nil
}

// workloadReader reads a workload over a design whose names are all known.
type workloadReader struct {
	*reader
	*design.Workload
	relations map[string]design.Relation
}

func (r *reader) readWorkload(n *node) *design.Workload {
	before := len(r.problems)
	w := &workloadReader{r, &design.Workload{Pos: n.pos, Documents: map[string]float64{},
		Spreads: map[string]design.Spread{},
		Opened:  map[string]float64{}, Done: map[string]design.Deeds{}, Busy: map[string]string{},
		Sizes: map[string]float64{}, Present: map[string]float64{}, Unchanged: map[string]float64{}},
		r.design.Relations()}
	given := map[string]*node{}
	known := keys{}
	for _, key := range []string{"accounts", "documents", "spread", "opened", "done", "busy", "hours", "sizes",
		"present", "unchanged",
		"prices", "fan_out"} {
		known[key] = func(n *node) { given[key] = n }
	}
	r.mapping(n, "workload", known, "accounts")
	for _, part := range []struct { // documents before spreads, which are compared with them
		key  string
		read func(*node)
	}{{"accounts", w.readAccountsNow}, {"documents", w.readDocuments}, {"sizes", w.readSizes}, {"present",
		w.readPresent},
		{"spread", w.readSpreads},
		{"opened", w.readOpened}, {"unchanged", w.readUnchanged}, {"done", w.readDone}, {"busy", w.readBusy},
		{"hours", w.readHours}, {"prices", w.readPrices}, {"fan_out", w.readFanOut}} {
		if n := given[part.key]; n != nil {
			part.read(n)
		}
	}
	if r.design.Accounts == nil && len(r.problems) == before {
		r.problem(n.pos, design.CodeContradicted, "a workload is about accounts, and the design has none",
			"say which collection they are, as in `accounts: members`")
	}
	if len(r.problems) == before {
		w.checkTotals()
	}
	if len(r.problems) > before {
		return nil
	}
	return w.Workload
}

// number reads a number from least to most.
func (w *workloadReader) number(n *node, what string, least, most float64) (float64, bool) {
	var x float64
	switch v := n.scalar.(type) {
	case int64:
		x = float64(v)
	case float64:
		x = v
	default:
		w.problem(n.pos, design.CodeShape, fmt.Sprintf("%s must be a number, this is %s", what, describe(n)), "")
		return 0, false
	}
	if math.IsNaN(x) || x < least || x > most {
		w.problem(n.pos, design.CodeBadValue, fmt.Sprintf("%s must be from %s to %s, not %s", what, short(least),
			short(most),
			short(x)), "")
		return 0, false
	}
	return x, true
}

func short(x float64) string { return fmt.Sprintf("%.6g", x) }

func (w *workloadReader) readAccountsNow(n *node) {
	if n.shape != mapping {
		w.Accounts, _ = w.number(n, "accounts", 1, mostOfAnything)
		return
	}
	at := map[string]*node{}
	w.mapping(n, "accounts", keys{
		"now":   func(n *node) { w.Accounts, _ = w.number(n, "now", 1, mostOfAnything) },
		"later": func(n *node) { at["later"] = n; w.Later, _ = w.number(n, "later", 1, mostOfAnything) },
	}, "now")
	if w.Later != 0 && w.Later < w.Accounts {
		w.problem(at["later"].pos, design.CodeContradicted, fmt.Sprintf("there are %s accounts now, and %s later",
			short(w.Accounts), short(w.Later)), "a forecast is of an app that grows")
	}
}

// each reads a mapping from known names to something.
func (w *workloadReader) each(n *node, what, kind string, known []string, read func(name string, n *node)) {
	if n.shape != mapping {
		w.problem(n.pos, design.CodeShape, fmt.Sprintf("%s must be a mapping, this is %s", what, describe(n)), "")
		return
	}
	for _, e := range n.entries {
		if !slices.Contains(known, e.key) {
			w.unknown(e.pos, design.CodeUnknownName, fmt.Sprintf("there is no %s %q", kind, design.Clip(e.key)),
				e.key, known)
			continue
		}
		read(e.key, e.value)
	}
}

func (w *workloadReader) numbers(n *node, what, kind string, known []string, most float64, into map[string]float64) {
	w.each(n, what, kind, known, func(name string, n *node) {
		if x, ok := w.number(n, name, 0, most); ok {
			into[name] = x
		}
	})
}

func (w *workloadReader) readDocuments(n *node) {
	var known []string
	for _, c := range w.design.Collections {
		if c != w.design.Accounts {
			known = append(known, c.Name)
		}
	}
	w.numbers(n, "documents", "collection besides accounts", known, mostOfAnything, w.Documents)
}

func (w *workloadReader) readSizes(n *node) {
	var known []string
	for _, c := range w.design.Collections {
		for _, f := range c.Fields {
			known = append(known, c.Name+"."+f.Name)
		}
		if c.Field("id") == nil {
			known = append(known, c.Name+".id")
		}
	}
	w.numbers(n, "sizes", "field", known, 1<<20, w.Sizes)
}

func (w *workloadReader) readPresent(n *node) {
	var known []string
	for _, c := range w.design.Collections {
		for _, f := range c.Fields {
			known = append(known, c.Name+"."+f.Name)
		}
		for _, k := range c.Kept {
			if k.Kind != design.Copy {
				known = append(known, c.Name+"."+k.Name)
			}
		}
	}
	w.numbers(n, "present", "field, or value kept of several sources,", known, 1, w.Present)
}

func (w *workloadReader) screenNames() []string {
	return design.NamesOf(w.design.Screens, func(s *design.Screen) string { return s.Name })
}

func (w *workloadReader) readOpened(n *node) {
	w.numbers(n, "opened", "screen", w.screenNames(), mostADay, w.Opened)
}

func (w *workloadReader) readUnchanged(n *node) {
	w.numbers(n, "unchanged", "screen", w.screenNames(), 1, w.Unchanged)
}

func (w *workloadReader) readFanOut(n *node) {
	w.FanOut, _ = w.number(n, "fan_out", 1, mostOfAnything)
}

func (w *workloadReader) readPrices(n *node) {
	price := func(what string, into *float64) func(*node) {
		return func(n *node) { *into, _ = w.number(n, what, 0, mostOfAnything) }
	}
	w.mapping(n, "prices", keys{"read": price("read", &w.Prices.Read), "write": price("write", &w.Prices.Write),
		"stored": price("stored", &w.Prices.Stored)})
}

// readHours reads how a day is spread over its hours, in any unit.
func (w *workloadReader) readHours(n *node) {
	if n.shape != sequence || len(n.items) != 24 {
		many := ""
		if n.shape == sequence {
			many = fmt.Sprintf(" of %d", len(n.items))
		}
		w.problem(n.pos, design.CodeShape, fmt.Sprintf("hours must be a list of 24 numbers, this is %s%s",
			describe(n), many),
			"one for each hour of the day, from midnight on")
		return
	}
	sum, hours := 0.0, make([]float64, 24)
	for i, item := range n.items {
		hours[i], _ = w.number(item, "an hour", 0, mostOfAnything)
		sum += hours[i]
	}
	if sum == 0 {
		w.problem(n.pos, design.CodeContradicted, "nothing is done at any hour", "")
		return
	}
	for i := range hours {
		hours[i] /= sum
	}
	w.Hours = hours
}

func (w *workloadReader) readDone(n *node) {
	known := design.NamesOf(w.design.Collections, func(c *design.Collection) string { return c.Name })
	known = append(known, design.NamesOf(w.design.Pairs, func(p *design.Pair) string { return p.Name })...)
	w.each(n, "done", "collection or pair", known, func(name string, n *node) {
		deeds := design.Deeds{Edit: map[string]float64{}}
		often := func(what string, into *float64) func(*node) {
			return func(n *node) { *into, _ = w.number(n, what, 0, mostADay) }
		}
		c := w.design.Collection(name)
		if c == nil {
			w.mapping(n, name, keys{"set": often("set", &deeds.Set), "unset": often("unset", &deeds.Unset)})
		} else {
			w.mapping(n, name, keys{"create": often("create", &deeds.Create), "remove": often("remove", &deeds.Remove),
				"edit": func(n *node) {
					w.numbers(n, "edit", "field of "+name, design.FieldNames(c.Fields), mostADay, deeds.Edit)
				}})
		}
		w.Done[name] = deeds
	})
}

// readBusy reads who creates more than others: those who have many of something.
func (w *workloadReader) readBusy(n *node) {
	known := design.NamesOf(w.design.Collections, func(c *design.Collection) string { return c.Name })
	w.each(n, "busy", "collection", known, func(name string, n *node) {
		by := w.word(n, "busy")
		relation, is := w.relations[by]
		switch {
		case by == "":
		case !is:
			w.unknown(n.pos, design.CodeUnknownName, fmt.Sprintf("there is no relation %q", design.Clip(by)), by,
				slices.Sorted(maps.Keys(w.relations)))
		case relation.Of != w.design.Accounts:
			w.problem(n.pos, design.CodeContradicted, fmt.Sprintf("%s is what one of %q has, not an account", by,
				relation.Of.Name), "name a relation that accounts have")
		default:
			w.Busy[name] = by
		}
	})
}

func (w *workloadReader) readSpreads(n *node) {
	w.each(n, "spread", "relation", slices.Sorted(maps.Keys(w.relations)), func(name string, n *node) {
		if s, ok := w.readSpread(name, n); ok {
			w.Spreads[name] = s
		}
	})
}

// readSpread reads how many of something one document has.
func (w *workloadReader) readSpread(name string, n *node) (design.Spread, bool) {
	s, at, before := design.Spread{Pos: n.pos, Mean: -1}, map[string]*node{}, len(w.problems)
	others := w.Total(w.design, w.relations[name].Others, 1)
	w.mapping(n, "the spread of "+name, keys{
		"mean":   func(n *node) { at["mean"] = n; s.Mean, _ = w.number(n, "mean", 0, mostOfAnything) },
		"most":   func(n *node) { at["most"] = n; s.Most, _ = w.number(n, "most", 1, mostOfAnything) },
		"shares": func(n *node) { at["shares"] = n; s.Shares = w.readShares(n) },
	})
	if len(w.problems) > before {
		return s, false
	}
	switch {
	case at["shares"] != nil && (at["mean"] != nil || at["most"] != nil):
		w.problem(n.pos, design.CodeContradicted, "a spread has a mean and the most, or shares",
			"leave one of them out")
	case at["shares"] != nil:
		for _, share := range s.Shares {
			s.Most = max(s.Most, share.Many)
		}
	case at["mean"] == nil || at["most"] == nil:
		w.problem(n.pos, design.CodeMissingKey, fmt.Sprintf("the spread of %s needs a mean and the most that one "+
			"has", name),
			"write it as in `{mean: 30, most: 1500}`, or give `shares`")
	case s.Mean > s.Most:
		w.problem(at["mean"].pos, design.CodeContradicted, fmt.Sprintf("the mean is %s, and the most that one has %s",
			short(s.Mean), short(s.Most)), "")
	}
	if s.Most > others && len(w.problems) == before {
		w.problem(n.pos, design.CodeContradicted, fmt.Sprintf("one has up to %s, and there are %s of %q", short(s.Most),
			short(others), w.relations[name].Others.Name), "say how many there are in `accounts` or `documents`")
	}
	return s, len(w.problems) == before
}

// readShares reads pairs of how many, and the share of documents that have so many.
func (w *workloadReader) readShares(n *node) []design.Share {
	if n.shape != sequence || len(n.items) == 0 || len(n.items) > mostShares {
		w.problem(n.pos, design.CodeShape, fmt.Sprintf("shares must be a list of up to %d pairs, this is %s",
			mostShares,
			describe(n)), "write it as in `[[0, 0.5], [10, 0.5]]`: so many, and the share that has so many")
		return nil
	}
	var shares []design.Share
	sum := 0.0
	for _, item := range n.items {
		if item.shape != sequence || len(item.items) != 2 {
			w.problem(item.pos, design.CodeShape, "this must be a pair, as in [10, 0.5]", "")
			return nil
		}
		many, ok := w.number(item.items[0], "how many", 0, mostOfAnything)
		part, is := w.number(item.items[1], "a share", 0, 1)
		if !ok || !is {
			return nil
		}
		shares, sum = append(shares, design.Share{Many: many, Part: part}), sum+part
	}
	if math.Abs(sum-1) > 0.001 {
		w.problem(n.pos, design.CodeContradicted, fmt.Sprintf("the shares come to %s, not to 1", short(sum)), "")
	}
	slices.SortFunc(shares, func(a, b design.Share) int {
		if a.Many < b.Many {
			return -1
		}
		return 1
	})
	return shares
}

// checkTotals sees that what is said of both ends of pairs, or of references and of how many documents there are, comes
// to the same.
func (w *workloadReader) checkTotals() {
	for name, s := range w.Spreads {
		relation := w.relations[name]
		total := s.MeanOf() * w.Total(w.design, relation.Of, 1)
		other, what := 0.0, ""
		switch {
		case relation.Timeline != nil:
			continue
		case relation.Pair != nil && relation.Side == design.To:
			from, is := w.Spreads[relation.Pair.Name+".from"]
			if !is {
				continue
			}
			other, what = from.MeanOf()*w.Total(w.design, relation.Pair.From, 1), relation.Pair.Name+".from"
		case relation.Pair != nil:
			continue // looked at from the other end
		default:
			other, what = w.Total(w.design, relation.Others, 1), "documents"
		}
		most := max(total, other)
		if relation.By != nil && !relation.By.Required && total <= other || most == 0 {
			continue // some point nowhere
		}
		if math.Abs(total-other) > nearEnough*most {
			w.problem(s.Pos, design.CodeContradicted, fmt.Sprintf("by the spread of %s there are %s in all, and by "+
				"%s %s", name,
				short(total), what, short(other)), "a mean times those who have it is the number of all")
		}
	}
}
