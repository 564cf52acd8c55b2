package alternatives

import (
	"math"
	"slices"
	"strings"
	"testing"

	"pgregory.net/rapid"

	"yalvo/demo"
	"yalvo/internal/design"
	"yalvo/internal/design/forecast"
	"yalvo/internal/design/language"
	"yalvo/internal/design/plan"
)

const fen = `yalvo: 1
app: fen
accounts: people
collections:
  people:
    fields: {name: {type: string, required: true}}
    kept: {fans: {count: follow.to}}
  posts:
    fields:
      text: {type: string, max: 100}
      author: {type: reference, to: people, required: true, default: me, when_gone: remove}
    kept: {byline: {copy: author, fields: [name]}}
pairs:
  follow: {from: people, to: people, from_calls: following, to_calls: followers}
timelines:
  home: {owner: people, entries: posts, by: author, through: follow}
screens:
  home: {timeline: home}
workload:
  accounts: 1000
  documents: {posts: 5000}
  spread: {follow.to: {mean: 20, most: 500}, follow.from: {mean: 20, most: 100}, posts.author: {mean: 5, most: 50}}
  opened: {home: 2}
  done: {posts: {create: 0.5}, people: {edit: {name: 0.01}}, follow: {set: 0.2}}
`

func weighed(t testing.TB, settings ...language.Setting) ([]Alternative, forecast.Delivery) {
	t.Helper()
	d, err := language.ReadWith("fen.yaml", []byte(fen), settings)
	if err != nil {
		t.Fatal(err)
	}
	all, deliveries := Of(d, d.Workload, forecast.Shipped)
	return all, deliveries[0]
}

func find(all []Alternative, place, instead string) *Alternative {
	i := slices.IndexFunc(all, func(a Alternative) bool {
		return a.Place == place && strings.Contains(a.Instead,
			instead)
	})
	if i < 0 {
		return nil
	}
	return &all[i]
}

// By hand: the byline is in up to 30 rows of 2000 looks a day, which would be looked up; it is rewritten 5 times for
// each of 10 edits a day.
func TestACopyIsWeighedWithLookingUp(t *testing.T) {
	all, _ := weighed(t)
	byline := find(all, "posts.byline", "look author up")
	if byline == nil || byline.Saves.Documents > -2000*15 || byline.Saves.Documents < -2000*30 ||
		math.Abs(byline.Saves.Rows-50) > 0.01 || byline.Saves.Processor >= 0 {
		t.Errorf("%+v", byline)
	}
	restless, _ := weighed(t, language.Setting{Path: "workload.done.people.edit.name", Value: "500"},
		language.Setting{Path: "workload.opened.home", Value: "0.01"})
	if a := find(restless, "posts.byline", "look author up"); a == nil || a.Saves.Processor <= 0 {
		t.Errorf("hardly read, and rewritten all day: %+v", a)
	}
	if !slices.IsSortedFunc(restless, func(a, b Alternative) int {
		if a.Saves.Processor >= b.Saves.Processor {
			return -1
		}
		return 1
	}) {
		t.Error("what saves most does not come first")
	}
}

// By hand, of a design whose parts each have one more choice: ten edits of a name a day, each in the five posts of its
// author; 5,000 posts in an index of 42 bytes each; 500 rows of it a day; 1,000 looks at the five posts of one, where
// all are on the page.
func TestEachChoiceIsWeighed(t *testing.T) {
	source := strings.NewReplacer("screens:\n", "lists:\n  page: {entries: posts, of: author}\n  best: {entries: posts, of: author, "+
		"order: fans}\nscreens:\n  person: {of: people, list: page, page: 3}\n  top: {of: people, list: best, page: 3}\n",
		"text: {type: string, max: 100}", "text: {type: string, max: 100}\n      tags: {type: set, of: {type: string, max: 20}, max: 4}",
		"{byline: {copy: author, fields: [name]}}", "\n      byline: {copy: author, fields: [name]}\n      fans: {count: like.to}",
		"pairs:\n", "pairs:\n  like: {from: people, to: posts, from_calls: liked, to_calls: likers}\n"+
			"  pin: {from: people, to: posts, from_calls: pinned, to_calls: pinners}\n"+
			"  flag: {from: people, to: posts, from_calls: flagged, to_calls: flaggers}\n",
		"opened: {home: 2}", "opened: {home: 2, person: 1, top: 1}",
		"spread: {", "spread: {pin.from: {mean: 0.5, most: 1}, flag.from: {mean: 4, most: 20}, ").Replace(fen)
	d, err := language.Read("fen.yaml", []byte(source))
	if err != nil {
		t.Fatal(err)
	}
	all, _ := Of(d, d.Workload, forecast.Shipped)
	near := func(is, want float64) bool { return math.Abs(is-want) <= 1e-6*math.Abs(want) }
	for _, c := range []struct {
		place, instead          string
		rows, documents, stored float64
	}{
		{"posts.byline", "freeze", 50, 0, 0},
		{"page", "no index", 500, -1000 * (5 - 3), 5000 * 42},
		{"best", "order it by", 0, 1000 * 5, 0},
		{"pin", "a reference", 0, 0, 500 * (244 - 148)},
		{"flag", "a set of their ids", 0, 0, 4000 * (244 - 40)},
	} {
		a := find(all, c.place, c.instead)
		if a == nil || !near(a.Saves.Rows, c.rows) || !near(a.Saves.Documents, c.documents) ||
			!near(a.Saves.Stored, c.stored) {
			t.Errorf("%s, %s: %+v", c.place, c.instead, a)
		}
	}
	for _, a := range all {
		if len(a.Edits) == 0 {
			continue
		}
		if after, err := Amended(d.Source, a.Edits); err != nil || string(after) == source {
			t.Errorf("the edit of %s, %s: %v", a.Place, a.Instead, err)
		}
	}
	carried := strings.Replace(source, "through: follow}", "through: follow, carry: [text]}", 1)
	if d, err = language.Read("fen.yaml", []byte(carried)); err != nil {
		t.Fatal(err)
	}
	all, _ = Of(d, d.Workload, forecast.Shipped)
	if a := find(all, "home", "carry the whole"); a == nil || a.Saves.Processor >= 0 || strings.Contains(a.Note, "-") {
		t.Errorf("carried: %+v", a)
	}
	frozen := strings.Replace(source, "fields: [name]}", "fields: [name], frozen: true}", 1)
	if d, err = language.Read("fen.yaml", []byte(frozen)); err != nil {
		t.Fatal(err)
	}
	all, _ = Of(d, d.Workload, forecast.Shipped)
	if a := find(all, "posts.byline", "keep it true"); a == nil || !near(a.Saves.Rows, -50) {
		t.Errorf("frozen: %+v", a)
	}
}

// Entries are written where they are read more often than they are made.
func TestWhoReadsOftenIsWrittenTo(t *testing.T) {
	all, d := weighed(t)
	if a := find(all, "home", "pull"); a == nil || a.Saves.Processor >= 0 || d.Best.Cost() != d.Is {
		t.Errorf("read often: %+v, best %+v of %v", a, d.Best, d.Is)
	}
	all, d = weighed(t, language.Setting{Path: "workload.opened.home", Value: "0.001"},
		language.Setting{Path: "workload.done.posts.create", Value: "50"})
	if a := find(all, "home", "pull"); a == nil || a.Saves.Processor <= 0 || d.Best.Above != 0 {
		t.Errorf("hardly read: %+v, best %+v", a, d.Best)
	}
}

// No threshold is better than the best one, whatever the rates, and none costs less than deciding each pair by itself.
func TestNoThresholdBeatsTheBest(t *testing.T) {
	d, err := language.Read("fen.yaml", []byte(fen))
	if err != nil {
		t.Fatal(err)
	}
	p := plan.New(d, plan.Counted())
	rapid.Check(t, func(t *rapid.T) {
		w := *d.Workload
		w.Opened = map[string]float64{"home": math.Pow(10, rapid.Float64Range(-4, 2).Draw(t, "opened"))}
		w.Done = map[string]design.Deeds{"posts": {Create: math.Pow(10, rapid.Float64Range(-2, 3).Draw(t, "made"))}}
		if rapid.Bool().Draw(t, "busy") {
			w.Busy = map[string]string{"posts": "follow.to"}
		}
		got := forecast.DeliveryOf(p, &w, forecast.Shipped, p.Timelines[0])
		for _, point := range got.Curve {
			if point.Cost() < got.Best.Cost()*(1-1e-9) {
				t.Errorf("above %v costs %v, and the best is %v: %v", point.Above, point.Cost(), got.Best.Above,
					got.Best.Cost())
			}
		}
		if got.Optimum > got.Best.Cost()*(1+1e-9) || got.Best.Cost() > got.Is*(1+1e-9) {
			t.Errorf("optimum %v, best %v, as it is %v", got.Optimum, got.Best.Cost(), got.Is)
		}
	})
}

func TestTheDemoIsWeighed(t *testing.T) {
	d, err := language.Read("fenwatch.yaml", demo.Design)
	if err != nil {
		t.Fatal(err)
	}
	all, _ := Of(d, d.Workload, forecast.Shipped)
	for _, c := range d.Collections {
		for _, k := range c.Kept {
			if !slices.ContainsFunc(all, func(a Alternative) bool { return a.Place == c.Name+"."+k.Name }) {
				t.Errorf("%s.%s is not weighed", c.Name, k.Name)
			}
		}
	}
}

func BenchmarkOfTheDemo(b *testing.B) {
	d, err := language.Read("fenwatch.yaml", demo.Design)
	if err != nil {
		b.Fatal(err)
	}
	for b.Loop() {
		Of(d, d.Workload, forecast.Shipped)
	}
}
