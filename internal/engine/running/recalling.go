package running

import (
	"slices"

	"yalvo/internal/design"
	"yalvo/internal/design/access"
	"yalvo/internal/design/plan"
	"yalvo/internal/engine/store"

	lru "github.com/hashicorp/golang-lru/v2"
)

// memory is what rules were told of documents lately, with the versions of the rows that it
// was read from. Nothing in it is believed: who decides by it has the statement that follows
// from the decision look whether the rows are still these.
type memory = lru.Cache[memoryKey, remembered]

type memoryKey struct {
	Era // the values are as its rules see them
	at  store.Address
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
	Relied []store.Relied // what has to be as it was for the decisions to hold
}

// Recall is [Version.Judge] for a decision that is looked at again by the statement which
// follows from it. A refusal is to be asked for anew: see [Recalling.Relied].
func (a *App) Recall(v *Version, who Viewer, stores Stored) *Recalling {
	if !who.Judged || !v.Law.Guards() {
		return nil
	}
	r := &Recalling{}
	r.Judge = v.judgeFrom(who, recalled{source{v, stores.Known}, a, r}, stores)
	return r
}

// recalled is a source that remembers.
type recalled struct {
	source
	app *App
	by  *Recalling
}

// Know is part of [access.Source].
func (s recalled) Know(docs []access.Address, pairs []access.Ask) (map[access.Address]map[string]any,
	map[access.Ask]bool, error) {
	now := s.app.Era(s.Version)
	if len(pairs) == 0 {
		if values, relied := s.remembered(now, docs); relied != nil {
			s.by.Relied = append(s.by.Relied, relied...)
			return values, nil, nil
		}
	}
	known := s.known
	s.known = func(docs []store.Address, pairs []store.Between) ([]store.Document, []bool, error) {
		found, there, err := known(docs, pairs)
		for _, d := range found {
			if err == nil {
				err = s.remember(now, d)
			}
		}
		return found, there, err
	}
	return s.source.Know(docs, pairs)
}

// remembered are documents if all are remembered, with what that rests on.
func (s recalled) remembered(now Era, docs []access.Address) (map[access.Address]map[string]any,
	[]store.Relied) {
	values, relied := make(map[access.Address]map[string]any, len(docs)), make([]store.Relied, len(docs))
	for i, d := range docs {
		at := Address(s.Plan.Collection(d.Collection), d.Key)
		r, is := s.app.memory.Get(memoryKey{now, at})
		if !is {
			return nil, nil
		}
		values[d], relied[i] = r.values, store.Relied{Address: at, Row: r.row}
	}
	return values, relied
}

// remember remembers a document that rules are told of, unless they ask for kept values: these
// change without its row.
func (s recalled) remember(now Era, d store.Document) error {
	c := s.Plan.CollectionNumbered(d.Collection)
	if len(d.Fields) > longRemembered || s.readsKept(c) {
		return nil
	}
	values, err := s.RuleValues(c, d)
	if err == nil {
		at := store.Address{Collection: d.Collection, Key: d.Key}
		s.app.memory.Add(memoryKey{now, at}, remembered{d.Row, values})
	}
	return err
}

func (s recalled) readsKept(c *plan.Collection) bool {
	return slices.ContainsFunc(c.Collection.Kept, func(k *design.Kept) bool { return s.Law.Reads(c.Name, k.Name) })
}
