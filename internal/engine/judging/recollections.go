package judging

import (
	"slices"

	lru "github.com/hashicorp/golang-lru/v2"

	"yalvo/internal/design"
	"yalvo/internal/design/access"
	"yalvo/internal/design/plan"
	"yalvo/internal/engine/running"
	"yalvo/internal/engine/store"
	"yalvo/internal/engine/store/factsql"
)

// memory is what rules were told of documents lately, with the versions of the rows that it
// was read from. Nothing in it is believed: who decides by it has the statement that follows
// from the decision look whether the rows are still these.
type memory = lru.Cache[memoryKey, remembered]

type memoryKey struct {
	running.Era // the values are as its rules see them
	at          store.Address
}

type remembered struct {
	row    uint32
	values map[string]any // nobody changes them
}

// What is remembered takes some 20 MB at most.
const (
	mostRemembered = 10_000
	longRemembered = 2_000 // bytes of a document
)

// Recalling decides by what rules were told lately, where that is all they ask for.
type Recalling struct {
	*Judge
	Relied []factsql.Relied // what has to be as it was for the decisions to hold
}

// Recall is [Judges.Judge] for a decision that is looked at again by the statement which
// follows from it. A refusal is to be asked for anew: see [Recalling.Relied].
func (js *Judges) Recall(v *running.Version, who running.Viewer, stores Stored) *Recalling {
	if !who.Judged || !v.Law.Guards() {
		return nil
	}
	r := &Recalling{}
	r.Judge = from(v, who, recalled{v, stores.Known, js, r}, stores)
	r.of = js
	return r
}

// recalled is a source that remembers.
type recalled struct {
	*running.Version
	known running.Known
	by    *Judges
	who   *Recalling
}

// Know is part of [access.Source].
func (s recalled) Know(docs []access.Address, pairs []access.Ask) (map[access.Address]map[string]any,
	map[access.Ask]bool, error) {
	now := s.by.Era(s.Version)
	if len(pairs) == 0 {
		if values, relied := s.remembered(now, docs); relied != nil {
			s.who.Relied = append(s.who.Relied, relied...)
			return values, nil, nil
		}
	}
	return s.Sourced(func(docs []store.Address, pairs []factsql.Between) ([]store.Document, []bool, error) {
		found, there, err := s.known(docs, pairs)
		for _, d := range found {
			if err == nil {
				err = s.remember(now, d)
			}
		}
		return found, there, err
	}).Know(docs, pairs)
}

// remembered are documents if all are remembered, with what that rests on.
func (s recalled) remembered(now running.Era, docs []access.Address) (map[access.Address]map[string]any,
	[]factsql.Relied) {
	values, relied := make(map[access.Address]map[string]any, len(docs)), make([]factsql.Relied, len(docs))
	for i, d := range docs {
		at := running.Address(s.Plan.Collection(d.Collection), d.Key)
		r, is := s.by.memory.Get(memoryKey{now, at})
		if !is {
			return nil, nil
		}
		values[d], relied[i] = r.values, factsql.Relied{Address: at, Row: r.row}
	}
	return values, relied
}

// remember remembers a document that rules are told of, unless they ask for kept values: these
// change without its row.
func (s recalled) remember(now running.Era, d store.Document) error {
	c := s.Plan.CollectionNumbered(d.Collection)
	if len(d.Fields) > longRemembered || s.readsKept(c) {
		return nil
	}
	values, err := s.RuleValues(c, d)
	if err == nil {
		at := store.Address{Collection: d.Collection, Key: d.Key}
		s.by.memory.Add(memoryKey{now, at}, remembered{d.Row, values})
	}
	return err
}

func (s recalled) readsKept(c *plan.Collection) bool {
	return slices.ContainsFunc(c.Collection.Kept, func(k *design.Kept) bool { return s.Law.Reads(c.Name, k.Name) })
}
