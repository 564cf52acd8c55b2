package running

import (
	"slices"
	"strings"
	"sync"
	"time"

	"yalvo/internal/design"
	"yalvo/internal/design/access"
	"yalvo/internal/design/compare"
	"yalvo/internal/design/language"
	"yalvo/internal/design/plan"
	"yalvo/internal/engine/store"
	"yalvo/internal/engine/store/factsql"
	"yalvo/internal/engine/store/versionsql"
)

// Version is a version of the design with its plan, and with what of it is still
// to be done to what was stored before it came into force.
type Version struct {
	Number int
	Plan   *plan.Plan
	Law    *access.Law        // who may do what
	Builds []versionsql.Build // the steps that are left

	dissolving sync.Mutex
	dissolves  map[[2]string]time.Time // see [Version.DissolvesSince]

	Rewrites map[string]*compare.Rewrite // by collection or pair: what brings facts of the version before along
}

// olderVersions is how far back it is looked since when a pair has dissolved another.
const olderVersions = 100

// DissolvesSince is since when pairs of a kind have dissolved those of another, as far as versions of the design
// are looked back and name them as this one does: what stood before stays.
func (v *Version) DissolvesSince(tx *store.Tx, p, other *plan.Pair) (time.Time, error) {
	v.dissolving.Lock()
	defer v.dissolving.Unlock()
	key := [2]string{p.Name, other.Name}
	if since, is := v.dissolves[key]; is {
		return since, nil
	}
	all, err := versionsql.Designs(tx, olderVersions)
	if err != nil {
		return time.Time{}, err
	}
	var since time.Time
	for _, d := range all { // the newest first
		read, err := language.Read(d.File, []byte(d.Source))
		if err != nil {
			break // one that this program would refuse: it looks no further back
		}
		was := read.Pair(p.Name)
		isOther := func(o *design.Pair) bool { return o.Name == other.Name }
		if was == nil || !slices.ContainsFunc(was.Dissolves, isOther) {
			break
		}
		since = d.Applied
	}
	if v.dissolves == nil {
		v.dissolves = map[[2]string]time.Time{}
	}
	v.dissolves[key] = since
	return since, nil
}

// Era is a time in which one version of the design was in force with the same steps left, and the database
// was never away: after an outage another one may be there. What is remembered holds in its era.
type Era struct{ Version, Steps, Outages int }

// Era is the era that it is for somebody who works with a version.
func (a *App) Era(v *Version) Era { return Era{v.Number, len(v.Builds), a.Outages()} }

// Collection finds a collection of the design by its name.
func (v *Version) Collection(name string) (*plan.Collection, error) {
	c := v.Plan.Collection(name)
	if c == nil {
		return nil, v.noSuch("collection", name)
	}
	return c, nil
}

// Pair finds a kind of pair by its name.
func (v *Version) Pair(name string) (*plan.Pair, error) {
	p := v.Plan.Pair(name)
	if p == nil {
		return nil, v.noSuch("pair", name)
	}
	return p, nil
}

// Timeline finds a timeline by its name.
func (v *Version) Timeline(name string) (*plan.Timeline, error) {
	t := v.Plan.Timeline(name)
	if t == nil {
		return nil, v.noSuch("timeline", name)
	}
	return t, nil
}

// List finds a list by its name, to be read.
func (v *Version) List(name string) (*plan.List, error) {
	l := v.Plan.List(name)
	if l == nil {
		return nil, v.noSuch("list", name)
	}
	for _, b := range v.Builds {
		if b.Name == name && b.Does == string(compare.Index) {
			return nil, Refuse(CodeBuilding, "the index of the list %q is being made. Try again in a moment", name)
		}
	}
	return l, nil
}

func (v *Version) noSuch(kind, name string) error {
	return Refuse(CodeUnknownName, "%s", v.Plan.Design.NoSuch(kind, name))
}

// Screen finds a screen of the design.
func (v *Version) Screen(name string) (*design.Screen, error) {
	if s := v.Plan.Design.Screen(name); s != nil {
		return s, nil
	}
	return nil, v.noSuch("screen", name)
}

// Link names a pair: its kind and the keys of its two ends.
type Link struct {
	Pair     string
	From, To string
}

// Locate finds the collection and the key that a path means.
func (v *Version) Locate(path string) (*plan.Collection, string, error) {
	parts := strings.Split(strings.Trim(path, "/"), "/")
	if len(parts) < 2 || len(parts)%2 != 0 {
		return nil, "", Refuse(CodeInvalid, "%q is no path of a document: write collection/id", path)
	}
	c, err := v.Collection(parts[len(parts)-2])
	if err != nil {
		return nil, "", err
	}
	var ids []string
	for i := 1; i < len(parts); i += 2 {
		ids = append(ids, parts[i])
	}
	key := strings.Join(ids, "/")
	if _, wrong := c.ParseKey(key); wrong != "" || c.Path(key) != strings.Trim(path, "/") {
		return nil, "", Refuse(CodeNotFound, "there is no document %s", path)
	}
	return c, key, nil
}

// EndsOf are the ends of a pair of a kind by their keys.
func EndsOf(p *plan.Pair, from, to string) factsql.EndPaths {
	return factsql.EndPaths{From: p.From.Path(from), To: p.To.Path(to)}
}

// Fires tells whether a trigger of the developer's own may wait for a kind of
// change of a collection's documents.
func (v *Version) Fires(on design.Event, collection string) bool {
	c := v.Plan.Collection(collection)
	return c != nil && len(v.Plan.TriggersOn(on, c, nil)) > 0
}

// FiresPair is the same for a pair.
func (v *Version) FiresPair(on design.Event, p *plan.Pair) bool {
	return len(v.Plan.TriggersOn(on, nil, p)) > 0
}
