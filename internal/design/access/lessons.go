package access

import (
	"yalvo/internal/design"
	"yalvo/internal/design/expr"
)

// wanted is what has to be asked of the source next.
type wanted struct {
	documents map[Address]bool
	pairs     map[Ask]bool
}

// learn asks the source for what the rules of requests need to know. A reference can be
// followed when the document it stands in is known, so it takes as many rounds as there
// are references in a row, and one for the pairs between what they lead to.
func (c *Evaluator) learn(requests [][]Condition) error {
	for {
		want := wanted{map[Address]bool{}, map[Ask]bool{}}
		for _, conditions := range requests {
			for _, on := range conditions {
				c.wants(on, want)
			}
		}
		if len(want.documents) == 0 && len(want.pairs) == 0 {
			return nil
		}
		docs, pairs := make([]Address, 0, len(want.documents)), make([]Ask, 0, len(want.pairs))
		for a := range want.documents {
			docs = append(docs, a)
		}
		for a := range want.pairs {
			pairs = append(pairs, a)
		}
		values, there, err := c.source.Know(docs, pairs)
		if err != nil {
			return err
		}
		for _, a := range docs {
			c.fetched[a] = true
			c.shared(a.Collection, a.Key).Values = values[a]
		}
		for _, a := range pairs {
			c.pairs[a] = there[a]
		}
	}
}

// wants adds what one rule needs to know and is not known yet.
func (c *Evaluator) wants(on Condition, want wanted) {
	if on.Hidden != nil && !c.exists[addressOf(on.Hidden)] {
		c.know(on.Hidden, want) // to see whether it is there
	}
	if on.Rule == nil || on.Rule.That == nil {
		return
	}
	rule := on.Rule.That
	if c.me != nil && rule.Names(design.NameMe) && !c.exists[addressOf(c.me)] {
		c.know(c.me, want) // to see whether it is there
	}
	for _, path := range rule.Follows {
		if doc, known := c.at(on, path, want); known && doc != nil {
			c.know(doc, want)
		}
	}
	for _, ask := range rule.Asks {
		from, known := c.at(on, ask.From, want)
		to, alsoKnown := c.at(on, ask.To, want)
		if !known || !alsoKnown || from == nil || to == nil || c.cannot(ask.Kind, from, to) {
			continue // nobody is paired with anything
		}
		a := Ask{ask.Kind, from.Key, to.Key}
		if _, asked := c.pairs[a]; !asked {
			want.pairs[a] = true
		}
	}
}

// at is the document at a path, nil if there is none; false if that cannot be said yet.
func (c *Evaluator) at(on Condition, path expr.Path, want wanted) (*expr.Document, bool) {
	doc := on.Given[path[0]]
	if path[0] == design.NameMe {
		doc = c.me
	}
	for _, reference := range path[1:] {
		if doc == nil {
			return nil, true
		}
		if !c.know(doc, want) {
			return nil, false
		}
		to := doc.Follow(reference)
		if to != nil {
			to = c.shared(to.Collection, to.Key)
			if doc.Links == nil {
				doc.Links = map[string]*expr.Document{}
			}
			doc.Links[reference] = to
		}
		doc = to
	}
	return doc, true
}

// know tells whether the values of a document are known, and wants them if not.
func (c *Evaluator) know(doc *expr.Document, want wanted) bool {
	if doc.Values != nil {
		return true
	}
	a := addressOf(doc)
	if !c.fetched[a] {
		want.documents[a] = true
		return false
	}
	if known := c.documents[a]; known != doc { // another one that stands for the same
		doc.Values = known.Values
	}
	return true
}

// shared is the document at an address, the same one for all rules.
func (c *Evaluator) shared(collection, key string) *expr.Document {
	a := Address{collection, key}
	doc := c.documents[a]
	if doc == nil {
		doc = &expr.Document{Collection: collection, Key: key, Shape: c.law.shapes[collection]}
		c.documents[a] = doc
	}
	return doc
}

func addressOf(d *expr.Document) Address { return Address{d.Collection, d.Key} }
