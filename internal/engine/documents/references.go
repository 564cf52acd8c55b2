package documents

import (
	"context"
	"encoding/json"
	"slices"

	"yalvo/internal/design"
	"yalvo/internal/design/plan"
	"yalvo/internal/engine/judging"
	"yalvo/internal/engine/running"
	"yalvo/internal/engine/store"
	"yalvo/internal/engine/store/factsql"
)

// Along are the documents that references of some documents lead to, by their paths, as a
// viewer may see them: one statement, and another for what rules need to know. facts are
// those of the documents as they are shown; what is not in them leads nowhere.
func (r *Reader) Along(ctx context.Context, who running.Viewer, of *plan.Collection, references []string,
	facts []json.RawMessage) (map[string]running.Document, error) {
	v, err := r.Now(ctx)
	if err != nil {
		return nil, err
	}
	var addresses []store.Address
	for _, name := range references {
		ref, err := referenceNamed(of, name)
		if err != nil {
			return nil, err
		}
		for _, one := range facts {
			key, err := ReferenceIn(one, name)
			if err != nil {
				return nil, err
			}
			if a := running.Address(ref.To, key); key != "" && !slices.Contains(addresses, a) {
				addresses = append(addresses, a)
			}
		}
	}
	found := map[string]running.Document{}
	if len(addresses) == 0 {
		return found, nil
	}
	docs, _, err := factsql.Known(r.Store.Looking(ctx), addresses, nil)
	if err != nil {
		return nil, err
	}
	j := r.JudgeNow(ctx, v, who)
	bytes := 0
	for _, c := range v.Plan.Collections {
		some := slices.DeleteFunc(slices.Clone(docs), func(d store.Document) bool { return d.Collection != c.Number })
		may, err := readable(j, c, some)
		if err != nil {
			return nil, err
		}
		var shown []store.Document
		for i, d := range some {
			if !may[i] {
				continue
			}
			if bytes += d.Size(); bytes <= 2*store.PageBytes {
				shown = append(shown, d)
			}
		}
		seen, err := j.ShowAll(c, shown)
		if err != nil {
			return nil, err
		}
		for _, d := range seen {
			found[d.Path] = d
		}
	}
	return found, nil
}

func readable(j *judging.Judge, c *plan.Collection, docs []store.Document) ([]bool, error) {
	if j == nil || len(docs) == 0 {
		return slices.Repeat([]bool{true}, len(docs)), nil
	}
	return j.Readable(c, docs)
}

func referenceNamed(of *plan.Collection, name string) (*plan.Reference, error) {
	var known []string
	for _, ref := range of.References {
		if ref.Name == name {
			return ref, nil
		}
		known = append(known, ref.Name)
	}
	return nil, running.Refuse(running.CodeUnknownName, "%q of %q is no reference, to bring along what it leads to: %s",
		design.Clip(name), of.Name, design.Meant(name, known))
}

// CheckChosen refuses names that a collection's documents have nothing of.
func CheckChosen(of *plan.Collection, names []string) error {
	known := of.Names()
	for _, name := range names {
		if !slices.Contains(known, name) {
			return running.Refuse(running.CodeUnknownName, "a document of %q has nothing called %q: %s", of.Name,
				design.Clip(name), design.Meant(name, known))
		}
	}
	return nil
}

// Chosen are the members of facts, or of kept values, that have some names.
func Chosen(object json.RawMessage, wanted []string) (json.RawMessage, error) {
	return running.Sift(nil, object, func(name []byte, _ json.RawMessage) bool {
		return slices.ContainsFunc(wanted, func(w string) bool { return running.IsNamed(name, w) })
	})
}

// ReferenceIn is where a reference in facts leads, empty for nowhere.
func ReferenceIn(facts json.RawMessage, name string) (string, error) {
	var all map[string]json.RawMessage
	if err := json.Unmarshal(facts, &all); err != nil || all[name] == nil {
		return "", err
	}
	var key string
	err := json.Unmarshal(all[name], &key)
	return key, err
}
