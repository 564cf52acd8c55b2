package demo

import (
	"bytes"
	"context"
	"encoding/json"
	"errors"
	"net/http"
	"slices"
	"time"

	"yalvo/client"
)

// keeper is the member that is made last: when it is there, all is.
var keeper = Item{ID: "keeper", Fields: map[string]any{"handle": "keeper", "name": "Keeper of the Hide Book",
	"about": "Closes the book at dusk.", "warden": true}}

// Loaded tells whether a service holds the whole demo, and everything derived has
// followed.
func Loaded(ctx context.Context, c *client.Client) (bool, error) {
	_, err := c.Get(ctx, "members/"+keeper.ID)
	var problem *client.Problem
	if errors.As(err, &problem) && (problem.Status == http.StatusNotFound || problem.Code == "no-design") {
		return false, nil
	}
	if err != nil {
		return false, err
	}
	versions, err := c.Versions(ctx, 1)
	return err == nil && len(versions) > 0 && (versions[0].Version > 1 || versions[0].Done), err
}

// line is a document or a pair, as a service loads it.
type line struct {
	Document string         `json:"document,omitempty"`
	Created  *time.Time     `json:"created,omitempty"`
	Pair     string         `json:"pair,omitempty"`
	From     string         `json:"from,omitempty"`
	To       string         `json:"to,omitempty"`
	At       *time.Time     `json:"at,omitempty"`
	Facts    map[string]any `json:"facts,omitempty"`
}

// Of so many sightings a warden has hidden one; of so many follows one is hushed.
const (
	hiddenEach = 400
	hushedEach = 150
)

// lines are the world as lines, its times in the year before a moment: people join,
// follow and write, and others like, save and judge what they have read.
func (w World) lines(seed uint64, now time.Time) []line {
	c := newCalendar(seed, now)
	made := map[string]time.Time{} // members and sightings
	var all []line
	add := func(path string, at time.Time, facts map[string]any) {
		all = append(all, line{Document: path, Created: &at, Facts: facts})
	}
	joined := c.moments(len(w.Members), time.Time{})
	pins := w.pins()
	for i, m := range w.Members {
		made[m.ID] = joined[i]
		facts := clone(m.Fields, "joined", joined[i].Format(time.RFC3339Nano))
		if pin := pins[m.ID]; pin != "" && i%3 == 0 {
			facts["pinned"] = pin
		}
		add("members/"+m.ID, joined[i], facts)
	}
	posted := make([]time.Time, len(w.Sightings))
	for i, s := range w.Sightings {
		posted[i] = c.moment(made[s.As])
	}
	order := make([]int, len(posted))
	for i := range order {
		order[i] = i
	}
	slices.SortFunc(order, func(a, b int) int { return posted[a].Compare(posted[b]) })
	for _, i := range order {
		s := w.Sightings[i]
		made[s.ID] = posted[i]
		facts := clone(s.Fields, "author", s.As)
		if i%hiddenEach == hiddenEach-1 {
			facts["hidden"] = true
		}
		add("sightings/"+s.ID, posted[i], facts)
	}
	for _, r := range w.Remarks {
		add("sightings/"+r.In+"/remarks/"+r.ID, c.soon(made[r.In]), clone(r.Fields, "author", r.As))
	}
	seen := map[[3]string]bool{}
	pair := func(kind, from, to string, at time.Time, facts map[string]any) {
		if k := [3]string{kind, from, to}; !seen[k] {
			seen[k] = true
			all = append(all, line{Pair: kind, From: from, To: to, At: &at, Facts: facts})
		}
	}
	later := func(a, b string) time.Time {
		if made[a].After(made[b]) {
			return made[a]
		}
		return made[b]
	}
	for _, f := range w.Follows {
		pair("follow", f[0], f[1], c.soon(later(f[0], f[1])), nil)
	}
	for _, b := range w.Blocks {
		pair("block", b[0], b[1], c.moment(later(b[0], b[1])), nil)
	}
	for i := hushedEach - 1; i < len(w.Follows); i += hushedEach {
		f := w.Follows[i]
		pair("hush", f[0], f[1], c.moment(later(f[0], f[1])), nil)
	}
	for _, l := range w.Likes {
		pair("like", l[0], l[1], c.soon(later(l[0], l[1])), nil)
	}
	for _, s := range w.Saves {
		pair("save", s[0], s[1], c.soon(later(s[0], s[1])), nil)
	}
	for i := len(w.Verdicts) - 1; i >= 0; i-- { // who judges twice is taken at the last word
		v := w.Verdicts[i]
		pair("verdict", v.By, v.On, c.soon(later(v.By, v.On)), map[string]any{"value": v.Value})
	}
	add("members/"+keeper.ID, c.end, keeper.Fields)
	return all
}

// pins are sightings that stand on top of their authors' pages: the first of each.
func (w World) pins() map[string]string {
	pins := map[string]string{}
	for _, s := range w.Sightings {
		if pins[s.As] == "" {
			pins[s.As] = s.ID
		}
	}
	return pins
}

func clone(fields map[string]any, name string, value any) map[string]any {
	out := map[string]any{name: value}
	for n, v := range fields {
		out[n] = v
	}
	return out
}

// How much of the time pictures take, and facts, about; the rest is for what follows.
const (
	pictures = 0.1
	facts    = 0.35
)

// atOnce is how many lines are sent together.
const atOnce = 4000

// Load applies the design and loads a world, saying now and then how much of it is
// done, from 0 to 1. It can be interrupted and called again.
func Load(ctx context.Context, c *client.Client, w World, seed uint64, done func(float64)) (lines int, err error) {
	about, err := c.About(ctx)
	if err != nil {
		return 0, err
	}
	if about.Design == 0 {
		if _, err := c.Apply(ctx, "fenwatch.yaml", Design); err != nil {
			return 0, err
		}
	}
	w.illustrate(seed)
	for i, picture := range w.Pictures {
		if _, err := c.Upload(ctx, picture); err != nil {
			return 0, err
		}
		done(pictures * float64(i) / float64(len(w.Pictures)))
	}
	all := w.lines(seed, time.Now())
	if _, err := c.BeginLoad(ctx); err != nil {
		return 0, err
	}
	for from := 0; from < len(all); from += atOnce {
		var text bytes.Buffer
		enc := json.NewEncoder(&text)
		for _, l := range all[from:min(from+atOnce, len(all))] {
			if err := enc.Encode(l); err != nil {
				return 0, err
			}
		}
		got, err := c.LoadLines(ctx, text.Bytes())
		if err != nil {
			return 0, err
		}
		for _, b := range got.Bad {
			if !again(b) {
				return 0, errors.New("the demo does not fit its design: " + b.Why[0])
			}
		}
		done(pictures + facts*float64(from)/float64(len(all)))
	}
	version, _, err := c.EndLoad(ctx)
	if err != nil {
		return 0, err
	}
	_, err = c.AwaitVersion(ctx, version, func(v client.Version) {
		done(pictures + facts + (1-pictures-facts)*v.Progress())
	})
	return len(all), err
}

// again tells whether a line is bad because it was loaded before an interruption: its
// times were others then.
func again(b client.BadLine) bool {
	return len(b.Why) == 1 && bytes.Contains([]byte(b.Why[0]), []byte("is there already"))
}
