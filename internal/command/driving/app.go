package driving

import (
	"bufio"
	"context"
	"encoding/json"
	"errors"
	"fmt"
	"io"
	"math/rand/v2"
	"strings"

	"yalvo/client"
	"yalvo/internal/design"
)

// mostKnown is how many documents and pairs of an app are known: more are left out.
const mostKnown = 1_000_000

// known is what there is in the app: enough to choose from.
type known struct {
	d         *design.Design
	documents map[string][]document // by collection
	pairs     map[string][]pair
	many      int
}

// document is one that something can be done to.
type document struct {
	path  string
	key   string
	owner string // the account it is, or is of; empty if that is not known
	facts map[string]string
}

type pair struct{ from, to string }

// learn reads what there is from a dump.
func learn(ctx context.Context, d *design.Design, service *client.Client) (*known, error) {
	k := &known{d: d, documents: map[string][]document{}, pairs: map[string][]pair{}}
	read, write := io.Pipe()
	go func() { write.CloseWithError(service.Dump(ctx, write)) }()
	err := k.readDump(read)
	return k, errors.Join(err, read.Close())
}

func (k *known) readDump(from io.Reader) error {
	lines := bufio.NewReaderSize(from, 1<<20)
	for {
		text, err := lines.ReadBytes('\n')
		if errors.Is(err, io.EOF) {
			return nil
		}
		if err != nil {
			return err
		}
		if k.many >= mostKnown {
			continue // so that the service can end its dump
		}
		if err := k.note(text); err != nil {
			return err
		}
	}
}

func (k *known) note(text []byte) error {
	var line struct {
		Document, Pair, From, To string
		Facts                    map[string]any
	}
	if err := json.Unmarshal(text, &line); err != nil {
		return fmt.Errorf("a line of the dump cannot be read: %w", err)
	}
	k.many++
	switch {
	case line.Document != "":
		k.add(line.Document, line.Facts)
	case line.Pair != "":
		k.pairs[line.Pair] = append(k.pairs[line.Pair], pair{line.From, line.To})
	}
	return nil
}

// add notes a document at a path of collections and ids.
func (k *known) add(path string, facts map[string]any) {
	parts := strings.Split(path, "/")
	c := k.d.Collection(parts[len(parts)-2])
	if c == nil {
		return
	}
	doc := document{path: path, facts: map[string]string{}}
	var ids []string
	for i := 1; i < len(parts); i += 2 {
		ids = append(ids, parts[i])
	}
	doc.key = strings.Join(ids, "/")
	if c == k.d.Accounts {
		doc.owner = doc.key
	}
	for _, f := range c.Fields {
		text, is := facts[f.Name].(string)
		if !is {
			continue
		}
		if f.Type == design.Reference && f.To == k.d.Accounts && doc.owner == "" {
			doc.owner = text
		}
		if f.Type == design.String {
			doc.facts[f.Name] = text
		}
	}
	k.documents[c.Name] = append(k.documents[c.Name], doc)
}

// any is any document of a collection, false if there is none.
func (k *known) any(r *rand.Rand, c *design.Collection) (document, bool) {
	if c == nil || len(k.documents[c.Name]) == 0 {
		return document{}, false
	}
	all := k.documents[c.Name]
	return all[r.IntN(len(all))], true
}

// take is any document of a collection, which is known no longer.
func (k *known) take(r *rand.Rand, c *design.Collection) (document, bool) {
	all := k.documents[c.Name]
	if len(all) == 0 {
		return document{}, false
	}
	i := r.IntN(len(all))
	doc := all[i]
	all[i] = all[len(all)-1]
	k.documents[c.Name] = all[:len(all)-1]
	return doc, true
}

// takePair is any pair of a kind, which is known no longer.
func (k *known) takePair(r *rand.Rand, kind string) (pair, bool) {
	all := k.pairs[kind]
	if len(all) == 0 {
		return pair{}, false
	}
	i := r.IntN(len(all))
	p := all[i]
	all[i] = all[len(all)-1]
	k.pairs[kind] = all[:len(all)-1]
	return p, true
}
