package client

import (
	"context"
	"net/http"
	"net/url"
	"strconv"
	"strings"
	"time"
)

// Applying says more about a design that is to be put in force.
type Applying struct {
	Base int      // the version that it was compared with, 0 for whichever is in force
	Drop []string // names of the facts that may be lost
	By   string   // who asks for it
}

func (a Applying) query() url.Values {
	q := url.Values{}
	if len(a.Drop) > 0 {
		q.Set("drop", strings.Join(a.Drop, ","))
	}
	if a.By != "" {
		q.Set("by", a.By)
	}
	return q
}

// Difference is what a design would change, measured by what is stored.
type Difference struct {
	Base    int            `json:"base"` // the version that it was compared with, 0 if none is in force
	Changes []DesignChange `json:"changes"`
	Steps   []PlannedStep  `json:"steps"`   // what would be done in the background
	Seconds float64        `json:"seconds"` // how long that would take, at the rates just measured
	Drops   []string       `json:"drops"`   // facts that would be lost: they have to be named in [Applying]
}

// DesignChange is one thing that differs between two designs.
type DesignChange struct {
	Kind    string   `json:"kind"` // collection, field, kept value, pair, timeline, trigger or design
	Name    string   `json:"name"`
	Was     string   `json:"was,omitempty"`
	How     string   `json:"how"` // added, dropped, renamed or changed
	What    []string `json:"what,omitempty"`
	Effects []Effect `json:"effects"`
}

// Effect is what a change does to what is stored.
type Effect struct {
	Does     string    `json:"does"` // fill, carry, convert, check, rebuild, redeliver, retract or drop
	Many     int64     `json:"many"`
	Unfit    int64     `json:"unfit,omitempty"`
	Examples []Example `json:"examples,omitempty"`
}

// Example is a document that would not fit.
type Example struct {
	Path   string `json:"path"`
	Detail string `json:"detail"`
}

// PlannedStep is a step as it would be.
type PlannedStep struct {
	Does    string  `json:"does"`
	Name    string  `json:"name"`
	Aspect  string  `json:"aspect,omitempty"`
	Shows   string  `json:"shows,omitempty"`
	Many    int64   `json:"many"`
	Rate    float64 `json:"rate,omitempty"`
	Seconds float64 `json:"seconds"`
}

// Version is a version of the design with what it did, and does, to what is stored.
type Version struct {
	Version int             `json:"version"`
	Applied time.Time       `json:"applied"`
	File    string          `json:"file"`
	Author  string          `json:"author,omitempty"`
	Done    bool            `json:"done"` // all that it asks for has been done
	Changes []VersionChange `json:"changes"`
	Steps   []VersionStep   `json:"steps"`
	Source  string          `json:"source,omitempty"` // of a single version
}

// VersionChange is one thing that a version changed.
type VersionChange struct {
	Kind    string   `json:"kind"`
	Name    string   `json:"name"`
	Was     string   `json:"was,omitempty"`
	How     string   `json:"how"`
	What    []string `json:"what,omitempty"`
	Effects []string `json:"effects"`
}

// VersionStep is something that a version asks to be done to what is stored.
type VersionStep struct {
	Does    string     `json:"does"`
	Name    string     `json:"name"`
	Aspect  string     `json:"aspect,omitempty"`
	Shows   string     `json:"shows,omitempty"`
	State   string     `json:"state"` // waiting, running or done
	Rows    int64      `json:"rows"`
	Written int64      `json:"written"`
	Total   int64      `json:"total"`
	Seconds float64    `json:"seconds"`
	Ended   *time.Time `json:"ended,omitempty"`
	Error   string     `json:"error,omitempty"`
}

// Progress is how much of a version's steps has been done, from 0 to 1.
func (v Version) Progress() float64 {
	if len(v.Steps) == 0 {
		return 1
	}
	done := 0.0
	for _, s := range v.Steps {
		switch {
		case s.State == "done":
			done++
		case s.Total > 0:
			done += min(1, float64(s.Rows)/float64(s.Total))
		}
	}
	return done / float64(len(v.Steps))
}

// Misfits are the documents of a collection, or the pairs of a kind, of which one
// field does not fit the design in one way.
type Misfits struct {
	Of       string   `json:"of"`
	Field    string   `json:"field"`
	Code     string   `json:"code"`
	Many     int64    `json:"many"`
	Examples []Misfit `json:"examples"`
	Next     int64    `json:"next,omitempty"`
}

// Misfit is a document or pair that does not fit.
type Misfit struct {
	Path    string `json:"path"`
	Pointer string `json:"pointer"`
	Detail  string `json:"detail"`
}

// Diff says what a design would change. Nothing is changed yet.
func (c *Client) Diff(ctx context.Context, file string, source []byte) (Difference, error) {
	var d Difference
	_, err := c.call(ctx, http.MethodPost, "/design/difference", url.Values{"name": {file}}, "application/yaml", source,
		&d)
	return d, err
}

// Versions are the newest versions of the design, newest first.
func (c *Client) Versions(ctx context.Context, limit int) ([]Version, error) {
	var got struct {
		Versions []Version `json:"versions"`
	}
	_, err := c.call(ctx, http.MethodGet, "/design/versions", url.Values{"limit": {strconv.Itoa(limit)}}, "", nil, &got)
	return got.Versions, err
}

// Version is one version of the design, with its source.
func (c *Client) Version(ctx context.Context, version int) (Version, error) {
	var v Version
	_, err := c.call(ctx, http.MethodGet, versionAt(version), nil, "", nil, &v)
	return v, err
}

// DiffBack says what going back to a version would change.
func (c *Client) DiffBack(ctx context.Context, version int) (Difference, error) {
	var d Difference
	_, err := c.call(ctx, http.MethodGet, versionAt(version)+"/difference", nil, "", nil, &d)
	return d, err
}

// Back puts an earlier version of the design in force once more.
func (c *Client) Back(ctx context.Context, version int, how Applying) (Applied, error) {
	var a Applied
	_, err := c.If(int64(how.Base)).call(ctx, http.MethodPost, versionAt(version)+"/apply", how.query(), "", nil, &a)
	return a, err
}

func versionAt(version int) string { return "/design/versions/" + strconv.Itoa(version) }

// AwaitVersion waits until all that a version of the design asks for has been done,
// and tells how far it is now and then.
func (c *Client) AwaitVersion(ctx context.Context, version int, progress func(Version)) (Version, error) {
	for {
		v, err := c.Version(ctx, version)
		if err != nil || v.Done {
			return v, err
		}
		if progress != nil {
			progress(v)
		}
		select {
		case <-time.After(100 * time.Millisecond):
		case <-ctx.Done():
			return v, ctx.Err()
		}
	}
}

// Misfits are what does not fit the design in force, counted, with a few examples.
func (c *Client) Misfits(ctx context.Context) ([]Misfits, error) {
	var got struct {
		Misfits []Misfits `json:"misfits"`
	}
	_, err := c.call(ctx, http.MethodGet, "/misfits", nil, "", nil, &got)
	return got.Misfits, err
}

// MisfitsOf is a page of those of one field in one way, after the next of the page before.
func (c *Client) MisfitsOf(ctx context.Context, of Misfits, after int64) (Misfits, error) {
	var got struct {
		Misfits []Misfits `json:"misfits"`
	}
	_, err := c.call(ctx, http.MethodGet, "/misfits", url.Values{"of": {of.Of}, "field": {of.Field}, "code": {of.Code},
		"after": {strconv.FormatInt(after, 10)}, "limit": {"200"}}, "", nil, &got)
	if err != nil || len(got.Misfits) == 0 {
		return of, err
	}
	return got.Misfits[0], nil
}
