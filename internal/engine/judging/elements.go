package judging

import (
	"bytes"
	"encoding/json"
	"errors"
	"fmt"
	"slices"
	"strings"

	"yalvo/internal/design"
	"yalvo/internal/design/plan"
	"yalvo/internal/engine/running"
)

// apart is an object taken apart.
type apart struct {
	parts []part
	shown json.RawMessage // it, if nothing in it is hidden
}

// part is a kept value in the text of an object, of which something has to be judged.
type part struct {
	*design.Kept
	at    int // where it begins
	text  json.RawMessage
	shown json.RawMessage // the same without spares
	items []element       // of a latest or a gather
}

// element is one of a latest or a gather as it is stored.
type element struct {
	key    string // of its source
	text   json.RawMessage
	points *points
}

// takenApart is an object taken apart. What was lately need not be again: pages remember
// documents, and hold the same text. It is held here too, so that no other can lie where it lay.
func (o *obeying) takenApart(c *plan.Collection, raw json.RawMessage) (a apart, err error) {
	if len(raw) == 0 {
		return apart{shown: raw}, nil
	}
	k := partsKey{&raw[0], len(raw), c}
	known, is := o.apart[k]
	if !is && o.of != nil {
		known, is = o.of.parts.Get(k)
	}
	if is {
		return known, nil
	}
	var wrong error
	err = running.Members(raw, func(name []byte, value json.RawMessage, at int) bool {
		kept := o.judged(c, name)
		if kept == nil || string(value) == "null" {
			return true
		}
		p := part{Kept: kept, at: at, text: value, shown: value}
		if kept.Kind != design.Copy {
			p.shown = running.First(value, kept.HowMany)
			p.items, wrong = elementsOf(kept, value)
		}
		a.parts = append(a.parts, p)
		return wrong == nil
	})
	if err = errors.Join(err, wrong); err != nil {
		return a, err
	}
	a.shown = joined(raw, a.parts, nil)
	if o.of != nil {
		o.of.parts.Add(k, a)
	}
	put(&o.apart, k, a) // of what is found out about it the next round is to know, whoever else forgets it
	return a, nil
}

// joined is an object with some values in the place of its parts, or with these as they are shown if nothing is hidden.
func joined(raw json.RawMessage, parts []part, values []json.RawMessage) json.RawMessage {
	var out json.RawMessage // nil: it is as it stands
	done := 0               // so much of raw is in it
	for i, p := range parts {
		value := p.shown
		if values != nil {
			value = values[i]
		}
		if !bytes.Equal(value, p.text) {
			out = append(append(out, raw[done:p.at]...), value...)
			done = p.at + len(p.text)
		}
	}
	if out == nil {
		return raw
	}
	return append(out, raw[done:]...)
}

// partsKey is a text, by where it lies.
type partsKey struct {
	begin *byte
	size  int
	of    *plan.Collection
}

// partsKnown is of how many texts the parts are remembered: some 40 MB, besides texts that pages remember.
const partsKnown = 20_000

func elementsOf(k *design.Kept, list json.RawMessage) (all []element, err error) {
	var wrong error
	err = running.Members(list, func(_ []byte, text json.RawMessage, _ int) bool {
		named := text
		if k.Kind == design.Latest {
			named, wrong = member(text, `"path"`)
		}
		if wrong == nil && len(named) < 2 {
			wrong = fmt.Errorf("an element of %s.%s has no name", k.In.Name, k.Name)
		}
		if wrong != nil {
			return false
		}
		key := string(named[1 : len(named)-1]) // neither paths nor keys have anything that JSON escapes
		if k.Kind == design.Latest {
			key = keyOf(key)
		}
		all = append(all, element{key, text, new(points)})
		return true
	})
	return all, errors.Join(err, wrong)
}

// judged is the kept value of a name in quotes, if something in it has to be judged.
func (o *obeying) judged(c *plan.Collection, quoted []byte) *design.Kept {
	isIt := func(name []byte) bool { return bytes.Equal(name, quoted) }
	if !slices.ContainsFunc(o.Law.JudgedNames(c.Collection), isIt) {
		return nil
	}
	return c.KeptValue(string(quoted[1 : len(quoted)-1]))
}

// keyOf is the key of a document by its path: the ids in it.
func keyOf(path string) string {
	parts := strings.Split(path, "/")
	var ids []string
	for i := 1; i < len(parts); i += 2 {
		ids = append(ids, parts[i])
	}
	return strings.Join(ids, "/")
}
