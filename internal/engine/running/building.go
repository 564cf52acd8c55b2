package running

import (
	"context"
	"encoding/json"
	"fmt"
	"slices"
	"time"

	"yalvo/internal/design"
	"yalvo/internal/design/compare"
	"yalvo/internal/design/language"
	"yalvo/internal/design/plan"
	"yalvo/internal/engine/store"
	"yalvo/internal/engine/store/versionsql"
)

// Loading tells whether facts are being loaded.
func (v *Version) Loading() bool {
	return len(v.Builds) > 0 && v.Builds[0].Does == string(compare.Load)
}

// sameSteps tells whether the same steps are left.
func sameSteps(a, b []versionsql.Build) bool {
	return slices.EqualFunc(a, b, func(a, b versionsql.Build) bool { return a.Version == b.Version && a.Nth == b.Nth })
}

// prepare lets a version's plan know what of it is still to be done: facts are
// shown in the new form, and kept values that are not finished are not shown as if
// they were.
func (a *App) prepare(ctx context.Context, v *Version) error {
	for _, b := range v.Builds {
		switch compare.Do(b.Does) {
		case compare.Documents, compare.Pairs:
			if v.Rewrites == nil {
				before, err := a.before(ctx, v)
				if err != nil {
					return err
				}
				v.Rewrites = before.Rewrites
			}
			v.rewriting(b, v.Rewrites[b.Name])
		case compare.Build:
			v.building(b)
		case compare.Strip:
			if c := v.Plan.Collection(b.Name); c != nil && c.Building == nil {
				c.Building = map[string]bool{} // what is gone from the design is not shown
			}
		}
	}
	return nil
}

// compared is a version's comparison with the one before it: it stays the same while steps
// of that version are done.
type compared struct {
	version    int
	comparison *compare.Comparison
}

// before compares a version with the one before it.
func (a *App) before(ctx context.Context, v *Version) (*compare.Comparison, error) {
	if a.compared.version == v.Number {
		return a.compared.comparison, nil
	}
	old, there, err := versionsql.DesignNumbered(ctx, a.Store, v.Number-1)
	if err != nil || !there {
		return nil, fmt.Errorf("version %d of the design cannot be found: %w", v.Number-1, err)
	}
	read, err := language.Read(old.File, []byte(old.Source))
	if err != nil {
		return nil, fmt.Errorf("version %d of the design cannot be read any more: %w", old.Version, err)
	}
	now, _, err := versionsql.DesignNumbered(ctx, a.Store, v.Number)
	if err != nil {
		return nil, err
	}
	did, err := Did(now)
	if err != nil {
		return nil, err
	}
	compare.Tell(v.Plan.Design, did)
	c, err := compare.Designs(read, v.Plan.Design)
	if err == nil {
		a.compared = compared{v.Number, c}
	}
	return c, err
}

// Did is what a version of the design did to what was stored, nothing if it was the
// first.
func Did(d store.Design) (did []compare.Difference, err error) {
	if len(d.Did) > 0 {
		if err = json.Unmarshal(d.Did, &did); err != nil {
			err = fmt.Errorf("what version %d of the design did cannot be read: %w", d.Version, err)
		}
	}
	return did, err
}

func (v *Version) rewriting(b versionsql.Build, r *compare.Rewrite) {
	if r == nil || !r.Needed {
		return
	}
	upcast := func(facts json.RawMessage, made time.Time) json.RawMessage {
		upcast, _ := Upcast(r, facts, made)
		return upcast
	}
	if c := v.Plan.Collection(b.Name); c != nil && b.Does == string(compare.Documents) {
		c.Upcast = upcast
	}
	if p := v.Plan.Pair(b.Name); p != nil && b.Does == string(compare.Pairs) {
		p.Upcast = upcast
	}
}

// Upcast brings stored facts to the new form, and tells what of them does not fit.
func Upcast(r *compare.Rewrite, facts json.RawMessage, made time.Time) (json.RawMessage, []design.Mistake) {
	old, err := Decode(facts)
	if err != nil {
		return facts, []design.Mistake{{Code: compare.MistakeConversion, Detail: err.Error()}}
	}
	upcast, mistakes := r.Facts(old, made)
	raw, err := Stored(upcast)
	if err != nil {
		return facts, []design.Mistake{{Code: compare.MistakeConversion, Detail: err.Error()}}
	}
	return raw, mistakes
}

// building notes a kept value that is not finished.
func (v *Version) building(b versionsql.Build) {
	d, there := v.Plan.Duplicate(b.Aspect, b.Name)
	if !there {
		return
	}
	name := ""
	switch {
	case d.Count != nil:
		name = d.Count.Name
	case d.Copy != nil:
		name = d.Copy.Name
	case d.Summary != nil:
		name = d.Summary.Name
		d.Walked = d.Summary.In
	default:
		return
	}
	if d.Walked.Building == nil {
		d.Walked.Building = map[string]bool{}
	}
	d.Walked.Building[name] = d.Walked.Building[name] || b.Shows == string(compare.Hidden)
}

// IsBuilding tells whether a duplicate is being derived anew, or hangs on something
// that is: then it is not to be held against the facts yet.
func (v *Version) IsBuilding(d plan.Duplicate) bool {
	for _, b := range v.Builds {
		switch compare.Do(b.Does) {
		case compare.Build, compare.Unstore:
			if b.Name == d.Name && (b.Aspect == d.Kind || d.Timeline != nil) {
				return true
			}
			if d.Kind == plan.AspectKept && d.Walked.Building != nil {
				return true
			}
		case compare.Documents:
			if d.Walked.Name == b.Name && (d.Kind == plan.AspectReference || d.Kind == plan.AspectUnique) {
				return true
			}
		case compare.Strip:
			if d.Kind == plan.AspectKept && d.Walked.Name == b.Name {
				return true
			}
		case compare.Ends:
			if d.Kind == plan.AspectReference && d.Name == b.Name {
				return true
			}
		}
	}
	return false
}

// ToRead is a timeline as readers are to see it: while its entries are being
// written anew, what it is to hold is collected when it is read.
func (v *Version) ToRead(t *plan.Timeline) (*plan.Timeline, error) {
	collected := false
	for _, b := range v.Builds {
		if b.Name != t.Name || b.Does != string(compare.Build) {
			continue
		}
		switch compare.Shows(b.Shows) {
		case compare.Refused:
			return nil, Refuse(CodeBuilding, "the timeline %q is being made ready: %d of %d posts are noted. "+
				"Try again "+
				"in a moment", t.Name, b.Rows, b.Total)
		case compare.Collected:
			collected = true
		}
	}
	if !collected {
		return t, nil
	}
	pulled, design := *t, *t.Timeline
	design.Deliver, pulled.Timeline = "pull", &design
	return &pulled, nil
}

// Readable finds a timeline by its name, to be read.
func (v *Version) Readable(name string) (*plan.Timeline, error) {
	t, err := v.Timeline(name)
	if err != nil {
		return nil, err
	}
	return v.ToRead(t)
}

// Item is an element of a latest: its id and path, and what is shown of it.
func Item(s *plan.Summary, key string, facts, kept json.RawMessage) (json.RawMessage, error) {
	if s.Kind == design.Gather {
		return Stored(key)
	}
	item := map[string]json.RawMessage{} // ids and paths have nothing that JSON escapes
	item["id"], item["path"] = json.RawMessage(`"`+IDOf(key)+`"`), json.RawMessage(`"`+s.Sources.Path(key)+`"`)
	if err := Pick(item, facts, s.Fields); err != nil {
		return nil, err
	}
	if err := Pick(item, kept, s.KeptNames); err != nil {
		return nil, err
	}
	for _, shown := range s.Sources.Spared {
		if list := item[shown.Name]; list != nil && slices.Contains(s.KeptNames, shown.Name) {
			item[shown.Name] = First(list, shown.HowMany)
		}
	}
	return Stored(item)
}
