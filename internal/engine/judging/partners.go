package judging

import (
	"errors"
	"slices"

	"yalvo/internal/design"
	"yalvo/internal/design/plan"
	"yalvo/internal/engine/store/readsql"
)

// partners are a reader's own pairs, as far as they have been asked for.
type partners struct {
	key   string // the reader's, empty for a stranger
	n     int64  // their row, 0 if they are not there
	asked []readsql.Partners
	found [][]int64 // nil: there are too many
}

// with are the rows of those with whom the reader is in pairs of a kind.
func (p *partners) with(ask readsql.Partners) []int64 {
	if at := slices.Index(p.asked, ask); at >= 0 {
		return p.found[at]
	}
	return nil
}

// knows tells whether what a rule asks for is known.
func (p *partners) knows(asks []readsql.Partners) bool {
	for _, ask := range asks {
		if at := slices.Index(p.asked, ask); at < 0 || p.found[at] == nil {
			return false
		}
	}
	return true
}

// mostPartners is how many partners are looked at together. Of who has more they are looked for one by one.
const mostPartners = 200

// partnersFor looks up what some rules ask for, nil if there are too many.
func (o *obeying) partnersFor(asks []readsql.Partners) (*partners, error) {
	accounts := o.Plan.Collection(o.Plan.Design.Accounts.Name)
	found, err := o.stores.PartnersOf(accounts, []string{o.who.Me}, asks, mostPartners)
	if err != nil {
		return nil, err
	}
	p := &partners{o.who.Me, found[0].N, asks, found[0].With}
	if !p.knows(asks) {
		return nil, nil
	}
	return p, nil
}

// WillAsk is what is asked of the reader's own pairs to show documents of a collection. Whoever reads them in the same
// statement as the documents tells [Judge.Knows] of them.
func (j *Judge) WillAsk(c *plan.Collection) (asks []readsql.Partners, err error) {
	if j == nil || j.who.Me == "" {
		return nil, nil
	}
	return j.asksOf(c, nil, map[*plan.Collection]bool{})
}

func (j *Judge) asksOf(c *plan.Collection, asks []readsql.Partners, seen map[*plan.Collection]bool) ([]readsql.Partners,
	error) {
	if seen[c] || !j.Obeying(c) {
		return asks, nil
	}
	seen[c] = true
	var err error
	for _, k := range c.Collection.Kept {
		if !j.Law.Judges(k) {
			continue
		}
		from := j.sourcesOf(c, k)
		rule, wrong := j.fixedRuleOf(from)
		if err = errors.Join(err, wrong); rule != nil {
			for _, ask := range rule.pairs {
				if !slices.Contains(asks, ask) {
					asks = append(asks, ask)
				}
			}
		}
		asks, wrong = j.asksOf(from, asks, seen)
		err = errors.Join(err, wrong)
	}
	return asks, err
}

// sourcesOf is the collection of what a kept value shows.
func (j *Judge) sourcesOf(c *plan.Collection, k *design.Kept) *plan.Collection {
	if k.Kind == design.Copy {
		return j.Plan.Collection(k.Via.To.Name)
	}
	return c.Summary(k).Sources
}

// Knows tells the judge of the reader's own pairs, as they are at the moment that it serves.
func (j *Judge) Knows(asked []readsql.Partners, found readsql.PartnersFound) {
	if j != nil && len(asked) > 0 {
		j.reader = &partners{j.who.Me, found.N, asked, found.With}
	}
}

// pointed is where the reference of a document leads: to which row, and of which key. Both are zero for nowhere.
type pointed struct {
	n   int64
	key string
}

// pointing notes where a reference of stored documents leads.
func (j *Judge) pointing(c *plan.Collection, by *plan.Reference, keys []string) (map[string]pointed, error) {
	found, err := j.stores.Targets(c.Number, by.Number, keys)
	if err != nil {
		return nil, err
	}
	to := make(map[string]pointed, len(found))
	for _, f := range found {
		to[f.Key] = pointed{f.Target, f.TargetKey}
	}
	return to, nil
}
