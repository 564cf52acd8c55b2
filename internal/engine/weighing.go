package engine

import (
	"encoding/json"
	"fmt"
	"math/big"
	"slices"
	"time"

	"yalvo/internal/design"
	"yalvo/internal/plan"
	"yalvo/internal/store"
)

// weigh looks at sources of a summary as the facts stand, notes what each
// contributes, and passes the difference on: into the sums, or as a choice to
// be made anew. It may run late, twice or for a source that is gone.
func (t *turn) weigh(s *plan.Summary, due []store.Due, sums tally) error {
	if err := t.tx.LockSummary(s.Number); err != nil {
		return err
	}
	owed := map[store.Link][]int64{}
	var links []store.Link
	for _, d := range due {
		l := store.Link{Source: d.Doc, Target: d.Key}
		if owed[l] == nil {
			links = append(links, l)
		}
		owed[l] = append(owed[l], d.Change)
	}
	moves, err := reweigh(t.tx, s, links)
	if err != nil {
		return err
	}
	for _, m := range moves {
		l := m.link
		if s.Pair == nil {
			l.Target = 0 // a document is weighed for whatever it points at
		}
		for _, change := range owed[l] {
			if s.Chosen() {
				if err := t.tx.AppendDue(change, []plan.Work{{Step: plan.Choose, Subject: s.Number, Doc: m.link.Target}}); err != nil {
					return err
				}
				continue
			}
			sums.add(s.In, m.link.Target, s.Name, &m.by, change)
			m.by.SetInt64(0) // once, however many wait
		}
	}
	return nil
}

// shift is a change of what a source contributes to a target.
type shift struct {
	link store.Link
	by   big.Rat
}

// reweigh brings the contributions of some sources in line with the facts and
// returns what moved. The summary must be locked.
func reweigh(tx *store.Tx, s *plan.Summary, links []store.Link) ([]shift, error) {
	is, err := contributions(tx, s, links)
	if err != nil {
		return nil, err
	}
	was, err := contributed(tx, s, links)
	if err != nil {
		return nil, err
	}
	var moves []shift
	var drop []store.Link
	var put []store.Contribution
	for l, before := range was {
		after := is[l]
		m := shift{link: l}
		switch {
		case after == nil:
			drop = append(drop, l)
			m.by.Neg(before)
		case after.Cmp(before) == 0:
			continue
		default:
			put = append(put, store.Contribution{Link: l, Value: decimal(after)})
			m.by.Sub(after, before)
		}
		moves = append(moves, m)
	}
	for l, after := range is {
		if was[l] == nil {
			put = append(put, store.Contribution{Link: l, Value: decimal(after)})
			m := shift{link: l}
			m.by.Set(after)
			moves = append(moves, m)
		}
	}
	return moves, tx.Contribute(s.Number, drop, put)
}

// contributions works out what sources contribute by the facts.
func contributions(tx *store.Tx, s *plan.Summary, links []store.Link) (map[store.Link]*big.Rat, error) {
	var found []store.Source
	var err error
	if s.Pair != nil {
		found, err = tx.SourcePairs(s, links)
	} else {
		found, err = tx.SourceDocuments(s, sourcesOf(links))
	}
	if err != nil {
		return nil, err
	}
	return weighed(s, found)
}

func weighed(s *plan.Summary, sources []store.Source) (map[store.Link]*big.Rat, error) {
	is := make(map[store.Link]*big.Rat, len(sources))
	for _, source := range sources {
		value, err := contribution(s, source)
		if err != nil {
			return nil, err
		}
		if value != nil && source.Target != 0 {
			is[store.Link{Source: source.Source, Target: source.Target}] = value
		}
	}
	return is, nil
}

// contributed reads what sources contribute as it is stored.
func contributed(tx *store.Tx, s *plan.Summary, links []store.Link) (map[store.Link]*big.Rat, error) {
	var stored []store.Contribution
	var err error
	if s.Pair != nil {
		stored, err = tx.ContributionsAt(s.Number, links)
	} else {
		stored, err = tx.ContributionsOf(s.Number, sourcesOf(links))
	}
	if err != nil {
		return nil, err
	}
	return parsed(stored)
}

func parsed(stored []store.Contribution) (map[store.Link]*big.Rat, error) {
	was := make(map[store.Link]*big.Rat, len(stored))
	for _, c := range stored {
		value, ok := new(big.Rat).SetString(c.Value)
		if !ok {
			return nil, fmt.Errorf("the stored contribution %q is no number", c.Value)
		}
		was[c.Link] = value
	}
	return was, nil
}

// contribution is what one source contributes, nil if nothing: it does not
// meet the condition, or lacks the value.
func contribution(s *plan.Summary, source store.Source) (*big.Rat, error) {
	fields, err := decodeFields(source.Fields)
	if err != nil {
		return nil, err
	}
	if !meets(s, fields) {
		return nil, nil
	}
	switch s.Kind {
	case design.Count:
		return big.NewRat(1, 1), nil
	case design.Latest, design.Gather:
		return new(big.Rat).SetInt64(source.At.UnixMicro()), nil
	}
	value := fields[s.Of.Name()]
	if s.Of.Kept != nil {
		kept, err := decodeFields(source.Kept)
		if err != nil {
			return nil, err
		}
		value = kept[s.Of.Name()]
	}
	return measured(value), nil
}

func meets(s *plan.Summary, fields map[string]any) bool {
	if s.Where == nil {
		return true
	}
	of, name := s.Sources.Collection.Fields, "doc"
	if s.Pair != nil {
		of, name = s.Pair.Fields, "pair"
	}
	typed, _ := design.AcceptAll(of, fields) // a value that no longer fits counts as absent
	return s.Where.Holds(map[string]any{name: typed})
}

// measured is a value as a number: of times, microseconds since 1970.
func measured(v any) *big.Rat {
	switch v := v.(type) {
	case json.Number:
		if x, ok := new(big.Rat).SetString(v.String()); ok {
			return x
		}
	case string:
		if at, err := time.Parse(time.RFC3339Nano, v); err == nil {
			return new(big.Rat).SetInt64(at.UnixMicro())
		}
	}
	return nil
}

func sourcesOf(links []store.Link) []int64 {
	sources := make([]int64, len(links))
	for i, l := range links {
		sources[i] = l.Source
	}
	slices.Sort(sources)
	return slices.Compact(sources)
}
