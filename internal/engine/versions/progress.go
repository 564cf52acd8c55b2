package versions

import (
	"context"
	"time"

	"yalvo/internal/design/compare"
	"yalvo/internal/engine/running"
	"yalvo/internal/engine/store"
	"yalvo/internal/engine/store/versionsql"
)

// Version is a version of the design.
type Version struct {
	Version int       `json:"version"`
	Applied time.Time `json:"applied"`
	File    string    `json:"file"`
	Author  string    `json:"author,omitempty"`
	Done    bool      `json:"done"` // all that it asks for has been done
	Changes []Changed `json:"changes"`
	Steps   []Step    `json:"steps"`
	Source  string    `json:"source,omitempty"`
}

// Changed is one thing that a version changed.
type Changed struct {
	Kind    string           `json:"kind"`
	Name    string           `json:"name"`
	Was     string           `json:"was,omitempty"`
	How     compare.How      `json:"how"`
	What    []string         `json:"what,omitempty"`
	Effects []compare.Effect `json:"effects"`
}

// Step is something that a version asks to be done to what is stored.
type Step struct {
	Does    string     `json:"does"`
	Name    string     `json:"name"`
	Aspect  string     `json:"aspect,omitempty"`
	Shows   string     `json:"shows,omitempty"` // what readers see meanwhile
	State   string     `json:"state"`           // waiting, running or done
	Rows    int64      `json:"rows"`            // gone over
	Written int64      `json:"written"`         // of these, changed
	Total   int64      `json:"total"`           // to go over, about
	Seconds float64    `json:"seconds"`         // of work
	Ended   *time.Time `json:"ended,omitempty"`
	Error   string     `json:"error,omitempty"` // why it does not get on
}

func (k *Keeper) told(ctx context.Context, d store.Design) (Version, error) {
	did, err := running.Did(d)
	if err != nil {
		return Version{}, err
	}
	builds, err := versionsql.Builds(ctx, k.Store, d.Version)
	v := Version{Version: d.Version, Applied: d.Applied.UTC(), File: d.File, Author: d.Author, Done: true,
		Changes: []Changed{}, Steps: []Step{}}
	for _, x := range did {
		effects := x.Effects
		if effects == nil {
			effects = []compare.Effect{}
		}
		v.Changes = append(v.Changes, Changed{x.Kind, x.Name, x.Was, x.How, x.What, effects})
	}
	for _, b := range builds {
		one := Step{Does: b.Does, Name: b.Name, Aspect: string(b.Aspect), Shows: b.Shows, State: "waiting",
			Rows: b.Rows, Written: b.Written, Total: b.Total, Seconds: b.Spent, Error: b.Error}
		switch {
		case b.Ended != nil:
			at := b.Ended.UTC()
			one.State, one.Ended = "done", &at
		case v.Done: // it is the first that is left
			one.State = "running"
		}
		v.Done = v.Done && b.Ended != nil
		v.Steps = append(v.Steps, one)
	}
	return v, err
}

// Versions are the newest versions of the design, newest first.
func (k *Keeper) Versions(ctx context.Context, limit int) ([]Version, error) {
	designs, err := versionsql.Designs(k.Store.Looking(ctx), limit)
	if err != nil {
		return nil, err
	}
	all := make([]Version, len(designs))
	for i, d := range designs {
		if all[i], err = k.told(ctx, d); err != nil {
			return nil, err
		}
	}
	return all, nil
}

// Version is one version of the design with its file, or a refusal.
func (k *Keeper) Version(ctx context.Context, version int) (Version, error) {
	d, there, err := versionsql.DesignNumbered(ctx, k.Store, version)
	if err != nil {
		return Version{}, err
	}
	if !there {
		return Version{}, running.Refuse(running.CodeNotFound, "there is no version %d of the design", version)
	}
	v, err := k.told(ctx, d)
	v.Source = d.Source
	return v, err
}
