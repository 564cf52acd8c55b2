package running

import (
	"bytes"
	"context"
	"encoding/json"
	"slices"
	"time"

	"yalvo/internal/design"
	"yalvo/internal/design/access"
	"yalvo/internal/design/plan"
	"yalvo/internal/engine/store"
	"yalvo/internal/engine/store/factsql"
)

// Viewer is who asks.
type Viewer struct {
	Me     string // the key of the caller's account, empty if none was given
	Judged bool   // the rules of the design hold for them, as for everybody but operators
}

// Known is what a judge asks about documents and pairs: [factsql.Known].
type Known func(docs []store.Address, pairs []factsql.Between) ([]store.Document, []bool, error)

// Evaluator makes a evaluator that knows what is stored, for what an account has set off.
func (v *Version) Evaluator(account string, known Known) *access.Evaluator {
	return v.Law.Evaluator(source{v, known}, account, time.Now())
}

// KnownIn asks within a transaction.
func KnownIn(tx *store.Tx) Known {
	return func(docs []store.Address, pairs []factsql.Between) ([]store.Document, []bool, error) {
		return factsql.Known(tx, docs, pairs)
	}
}

// KnownTo is what the rules of a version can be told of what is stored now.
func (a *App) KnownTo(ctx context.Context, v *Version) access.Source {
	return source{v, KnownIn(a.Store.Looking(ctx))}
}

// Sourced is what the rules of a version are told of what is stored, by a way to look it up.
func (v *Version) Sourced(known Known) access.Source { return source{v, known} }

// source tells the core what is stored.
type source struct {
	*Version
	known Known
}

// Know is part of [access.Source].
func (s source) Know(docs []access.Address, pairs []access.Ask) (map[access.Address]map[string]any,
	map[access.Ask]bool, error) {
	addresses, asks := make([]store.Address, len(docs)), make([]factsql.Between, len(pairs))
	for i, d := range docs {
		addresses[i] = Address(s.Plan.Collection(d.Collection), d.Key)
	}
	for i, a := range pairs {
		p := s.Plan.Pair(a.Kind)
		asks[i] = factsql.Between{Kind: p.Number, From: Address(p.From, a.From), To: Address(p.To, a.To)}
	}
	found, set, err := s.known(addresses, asks)
	if err != nil {
		return nil, nil, err
	}
	values, there := make(map[access.Address]map[string]any, len(docs)), make(map[access.Ask]bool, len(pairs))
	for _, d := range found {
		c := s.Plan.CollectionNumbered(d.Collection)
		if values[access.Address{Collection: c.Name, Key: d.Key}], err = s.RuleValues(c, d); err != nil {
			return nil, nil, err
		}
	}
	for i, a := range pairs {
		there[a] = set[i]
	}
	return values, there, nil
}

// RuleValues are the values of a stored document that the rules of a version name: see
// [design.Collection.ShapeOf].
func (v *Version) RuleValues(c *plan.Collection, d store.Document) (map[string]any, error) {
	seen := SeeWithSpare(c, d) // rules name no lists
	values := map[string]any{"id": seen.ID, "version": seen.Version,
		"created": design.FormatTime(seen.Created), "updated": design.FormatTime(seen.Updated)}
	read := func(object json.RawMessage, names []string, take func(name string, v any)) error {
		if !slices.ContainsFunc(names, func(name string) bool { return v.Law.Reads(c.Name, name) }) {
			return nil
		}
		var all map[string]json.RawMessage
		if err := json.Unmarshal(object, &all); err != nil {
			return err
		}
		for _, name := range names {
			if raw := all[name]; raw != nil && v.Law.Reads(c.Name, name) {
				x, err := decoded(raw)
				if err != nil {
					return err
				}
				take(name, x)
			}
		}
		return nil
	}
	err := read(seen.Facts, design.FieldNames(c.Fields), func(name string, x any) {
		if x != nil {
			if fits, wrong := c.Collection.Field(name).Accept(x); len(wrong) == 0 {
				values[name] = fits
			}
		}
	})
	if err != nil {
		return nil, err
	}
	kept := design.NamesOf(c.Collection.Kept, func(k *design.Kept) string { return k.Name })
	return values, read(seen.Kept, kept, func(name string, x any) {
		if n := counted(design.Part{Kept: c.KeptValue(name)}.Numeric(), x); n != nil {
			values[name] = n
		}
	})
}

// decoded is a JSON value with its numbers kept exact.
func decoded(raw json.RawMessage) (v any, err error) {
	dec := json.NewDecoder(bytes.NewReader(raw))
	dec.UseNumber()
	err = dec.Decode(&v)
	return v, err
}

// counted is a kept number or time in the type that expressions compute with, nil if it
// is neither.
func counted(t design.Type, v any) any {
	n, isNumber := v.(json.Number)
	switch {
	case t == "" || v == nil:
	case isNumber && t == design.Integer:
		if whole, err := n.Int64(); err == nil {
			return whole
		}
	case isNumber:
		if x, err := n.Float64(); err == nil {
			return x
		}
	case t == design.Timestamp:
		return v
	}
	return nil
}

// MayShow tells whether kept values may have something to be judged: not if they are empty, as most are. It
// looks at the text alone, in which no name stands but as a name.
func (v *Version) MayShow(c *plan.Collection, kept json.RawMessage) bool {
	for _, name := range v.Law.JudgedNames(c.Collection) {
		for rest := kept; ; {
			at := bytes.Index(rest, name)
			if at < 0 {
				break
			}
			rest = rest[at+len(name):]
			if value := bytes.TrimLeft(rest, ": "); !bytes.HasPrefix(value, []byte("[]")) &&
				!bytes.HasPrefix(value, []byte("null")) {
				return true
			}
		}
	}
	return false
}

// Obeying tells whether kept values of a collection have to be judged for who reads them.
func (v *Version) Obeying(c *plan.Collection) bool { return len(v.Law.JudgedNames(c.Collection)) > 0 }

// MustBeThere refuses what an account does that is not there: see [access.Evaluator.JudgeNamed].
func (a *App) MustBeThere(ctx context.Context, who Viewer) error {
	v, err := a.IfAny(ctx)
	if err != nil || v == nil || !who.Judged || who.Me == "" || v.Plan.Design.Accounts == nil {
		return err
	}
	n, err := factsql.Number(ctx, a.Store, Address(v.Plan.Collection(v.Plan.Design.Accounts.Name), who.Me))
	if err == nil && n == 0 {
		err = Refuse(CodeNotAllowed, "%s", access.NoAccount(who.Me))
	}
	return err
}
