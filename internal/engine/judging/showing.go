package judging

import (
	"yalvo/internal/design/access"
	"yalvo/internal/design/plan"
	"yalvo/internal/engine/running"
	"yalvo/internal/engine/store"
)

// Show is a stored document as the viewer may see it.
func (j *Judge) Show(c *plan.Collection, d store.Document) (running.Document, error) {
	seen, err := j.ShowAll(c, []store.Document{d})
	if err != nil {
		return running.Document{}, err
	}
	return seen[0], nil
}

// ShowAll are stored documents of a collection as the viewer may see them, decided about together: without
// the values that they may not read, and without what edits of these alone have done to versions and times.
func (j *Judge) ShowAll(c *plan.Collection, docs []store.Document) ([]running.Document, error) {
	seen, see := make([]running.Document, len(docs)), running.See
	if j != nil { // what a reader sees of kept values is judged
		see = running.SeeWithSpare
	}
	for i, d := range docs {
		seen[i] = see(c, d)
	}
	if j == nil {
		return seen, nil
	}
	if err := j.obeyIn(c, docs, seen); err != nil || len(c.Access.Narrowed()) == 0 {
		return seen, err
	}
	hidden, err := j.HiddenIn(c, docs)
	for i := range docs {
		if err == nil && len(hidden[i]) > 0 {
			err = hide(&seen[i], docs[i], hidden[i])
		}
	}
	return seen, err
}

// obeyIn has the kept values of documents show what the viewer may read where it is from.
func (j *Judge) obeyIn(c *plan.Collection, docs []store.Document, seen []running.Document) error {
	if !j.Obeying(c) {
		return nil
	}
	all := make([]Holder, 0, len(docs))
	holders, at := make([]*Holder, 0, len(docs)), make([]int, 0, len(docs))
	for i := range docs {
		if j.MayShow(c, seen[i].Kept) {
			all = append(all, Holder{Of: c, Key: docs[i].Key, N: docs[i].N, Kept: seen[i].Kept, stored: &docs[i]})
			holders, at = append(holders, &all[len(all)-1]), append(at, i)
		}
	}
	err := j.Obey(holders)
	for i, h := range holders {
		seen[at[i]].Kept = h.Kept
	}
	return err
}

// hide leaves values out of a document, and tells its version and time without them.
func hide(seen *running.Document, d store.Document, hidden []string) (err error) {
	version, updated := d.As(hidden)
	seen.Version, seen.Updated = version, updated.UTC()
	if seen.Facts, err = running.Without(seen.Facts, hidden); err == nil {
		seen.Kept, err = running.Without(seen.Kept, hidden)
	}
	return err
}

// HiddenIn are the values of each of some stored documents that the viewer may not read, though they may
// read the documents.
func (j *Judge) HiddenIn(c *plan.Collection, docs []store.Document) ([][]string, error) {
	of := make([]Valued, len(docs))
	for i, d := range docs {
		values, err := j.RuleValues(c, d)
		if err != nil {
			return nil, err
		}
		of[i] = Valued{d.Key, values}
	}
	return j.Hidden(c, of)
}

// Valued is a document with its values as rules see them.
type Valued struct {
	Key    string
	Values map[string]any
}

// Hidden is [Judge.HiddenIn] for documents whose values are known.
func (j *Judge) Hidden(c *plan.Collection, docs []Valued) ([][]string, error) {
	names := c.Access.Narrowed()
	var requests [][]access.Condition
	for _, d := range docs {
		doc := j.Law.Document(c.Collection, d.Key, d.Values)
		for _, name := range names {
			requests = append(requests, j.Law.ReadingField(c.Collection, doc, name))
		}
	}
	verdicts, err := j.Decide(requests...)
	if err != nil {
		return nil, err
	}
	hidden := make([][]string, len(docs))
	for i, v := range verdicts {
		if !v.Allowed {
			hidden[i/len(names)] = append(hidden[i/len(names)], names[i%len(names)])
		}
	}
	return hidden, nil
}
