package forecast

import (
	"math"
	"strings"
	"testing"

	"pgregory.net/rapid"

	"yalvo/demo"
	"yalvo/internal/design"
	"yalvo/internal/design/language"
	"yalvo/internal/design/plan"
)

// fen is small enough to be worked out by hand: 100 people, each followed by 10 and following 10, with 5 posts each;
// half of the posts have 4 likes, half none.
const fen = `yalvo: 1
app: fen
accounts: people
collections:
  people:
    fields: {name: {type: string, required: true}}
    kept: {fans: {count: follow.to}, fame: {sum: posts.author, of: likes}}
  posts:
    fields:
      text: {type: string, max: 100}
      author: {type: reference, to: people, required: true, default: me, when_gone: remove}
    kept: {byline: {copy: author, fields: [name]}, likes: {count: like.to}}
pairs:
  follow: {from: people, to: people, from_calls: following, to_calls: followers}
  like:   {from: people, to: posts, from_calls: liked, to_calls: likers}
timelines:
  home: {owner: people, entries: posts, by: author, through: follow, length: 40}
lists:
  page: {entries: posts, of: author}
screens:
  home: {timeline: home, marks: [liked]}
  page: {of: people, list: page, page: 3, with: [author]}
workload:
  accounts: 100
  documents: {posts: 500}
  spread:
    follow.to:    {shares: [[10, 1]]}
    follow.from:  {shares: [[10, 1]]}
    posts.author: {shares: [[5, 1]]}
    like.to:      {shares: [[0, 0.5], [4, 0.5]]}
  opened: {home: 2, page: 1}
  done:
    posts: {create: 1, remove: 0.1}
    people: {edit: {name: 0.01}}
    follow: {set: 0.5}
    like: {set: 3}
`

func made(t testing.TB, source string, scale float64, settings ...language.Setting) Forecast {
	t.Helper()
	d, err := language.ReadWith("fen.yaml", []byte(source), settings)
	if err != nil {
		t.Fatal(err)
	}
	return Make(planOf(d), d.Workload, Shipped, scale)
}

func planOf(d *design.Design) *plan.Plan { return plan.New(d, plan.Counted()) }

func (f Forecast) action(name string) Action {
	for _, a := range f.Actions {
		if a.Name == name {
			return a
		}
	}
	return Action{}
}

func (w Written) rows() [5]float64 {
	return [5]float64{w.Documents, w.Pairs, w.Entries, w.Kept, w.Notes}
}

func TestActionsByHand(t *testing.T) {
	f := made(t, fen, 1)
	for _, c := range []struct {
		action         string
		perDay         float64
		direct, upkeep [5]float64 // documents, pairs, entries, kept, notes
	}{
		// The document, its reference, what its author has posted, the journal. Then 10 followers have it; it
		// contributes to nobody's fame: it has no likes.
		{"create posts", 100, [5]float64{1, 0, 0, 0, 3}, [5]float64{0, 0, 10, 0, 0}},
		// Out of 10 timelines; out of its author's fame; and its 2 likes (on average) go, each from its count, and
		// that each time from the fame (a contribution, and the sum).
		{"remove posts", 10, [5]float64{1, 0, 0, 0, 1}, [5]float64{0, 2, 10, 1 + 2 + 2, 1 + 2}},
		// The name in 5 bylines.
		{"edit people.name", 1, [5]float64{1, 0, 0, 0, 1}, [5]float64{0, 0, 0, 5, 0}},
		// One count, and 5 posts into a timeline.
		{"set follow", 50, [5]float64{0, 1, 0, 0, 1}, [5]float64{0, 0, 5, 1, 0}},
		// One count, what it contributes, and the sum.
		{"set like", 300, [5]float64{0, 1, 0, 0, 1}, [5]float64{0, 0, 0, 2, 1}},
	} {
		a := f.action(c.action)
		if a.PerDay != c.perDay || a.Direct.rows() != c.direct || a.Upkeep[Mean].rows() != c.upkeep {
			t.Errorf("%s: %v a day, at once %v, then %v; want %v, %v, %v", c.action, a.PerDay, a.Direct.rows(),
				a.Upkeep[Mean].rows(), c.perDay, c.direct, c.upkeep)
		}
	}
	if got := f.action("remove posts").Upkeep[Most].Pairs; got != 4 {
		t.Errorf("the post with the most likes loses %v", got)
	}
}

func TestScreensByHand(t *testing.T) {
	f := made(t, fen, 1)
	home, page := f.Screens[0], f.Screens[1]
	// 10 followed with 5 posts each are 50, the timeline has 40, a page shows 30: each with its mark.
	if r := home.Reads[Mean]; home.PerDay != 200 || r.Documents != 30 || r.Asked != 30 || r.Pairs != 0 {
		t.Errorf("home: %v a day, %+v", home.PerDay, r)
	}
	// 3 of 5, with the one author of all.
	if r := page.Reads[Mean]; page.PerDay != 100 || r.Documents != 4 {
		t.Errorf("page: %v a day, %+v", page.PerDay, r)
	}
	stored := map[string]float64{}
	for _, s := range f.Stored {
		stored[s.Name] = s.Rows
	}
	for name, want := range map[string]float64{"people": 100, "posts": 500, "follow": 1000, "like": 1000,
		"home":                        100 * 40 * 1.1,
		"people.fame (contributions)": 500} {
		if stored[name] != want {
			t.Errorf("%v rows of %s are stored, want %v", stored[name], name, want)
		}
	}
}

// By hand: a page is a question, its owner another; a rule that looks something up one more for what it judges; a list
// that no index has in order goes through all that it could hold, or what is as new as its condition says.
func TestQuestionsByHand(t *testing.T) {
	const rules = `access:
  collections:
    people: {read: "!paired('follow', doc, me)"}
    posts: {read: true, create: "me != null", edit: "doc.author == me", remove: true}
  pairs: {like: {read: true, set: "from == me", unset: true}, follow: {read: true, set: "!paired('follow', to, from)", unset: true}}
  timelines: {home: {read: true}}
  lists: {page: {read: true}, best: {read: true}, found: {read: true}}
workload:`
	source := strings.NewReplacer("workload:", rules, "  page: {entries: posts, of: author}\n", "  page: {entries: posts, of: author}\n"+
		"  best: {entries: posts, order: likes, where: \"doc.created > now - duration('48h')\"}\n  found: {entries: posts, words: [text]}\n",
		"screens:\n", "screens:\n  best: {list: best}\n  found: {list: found}\n  person: {of: people, parts: {who: {document: of, "+
			"marks: [following]}, page: {list: page}}}\n").Replace(fen)
	f := made(t, source, 1)
	reads := map[string]Read{}
	for _, s := range f.Screens {
		reads[s.Name] = s.Reads[Mean]
	}
	for name, want := range map[string][2]float64{"home": {1, 0}, "best": {1, 2 * 100}, "found": {1, 50},
		"person": {2 + 1 + 3 + 3, 0}} { // found and judged; of one moment; itself judged, with a mark; the page of one judged
		if r := reads[name]; r.Questions != want[0] || r.Passed != want[1] {
			t.Errorf("%s: %v questions, %v passed, not %v", name, r.Questions, r.Passed, want)
		}
	}
	for name, want := range map[string]float64{"create posts": 1, "set like": 1, "set follow": 3, "remove posts": 0} {
		if got := f.action(name).Questions; got != want {
			t.Errorf("%s: %v questions, not %v", name, got, want)
		}
	}
}

// What a day touches: nothing but what is written if nobody looks; the one row that is looked at again and again is
// touched once; and all that is stored, if everybody looks at everything.
func TestWhatADayTouches(t *testing.T) {
	opened := func(home, page string) Forecast {
		return made(t, fen, 1, language.Setting{Path: "workload.opened.home", Value: home},
			language.Setting{Path: "workload.opened.page", Value: page})
	}
	none := opened("0", "0")
	if written := none.Day.Direct.Bytes + none.Day.Upkeep.Bytes; none.Hot != written {
		t.Errorf("nobody looks: %v bytes, and %v are written", none.Hot, written)
	}
	// 1 page a day of 3 posts and, for each, an author, whose rows take what is stored of 500 posts and 100 people.
	f, row := opened("0", "0.01"), map[string]float64{}
	for _, s := range f.Stored {
		of, _, _ := strings.Cut(s.Name, ".")
		if s.Kind != Duplicate || !strings.Contains(s.Name, "(") {
			row[of] += s.Bytes
		}
	}
	looked := f.Hot - none.Hot
	if most := 3 * (row["posts"]/500 + row["people"]/100); looked <= 0 || looked > most {
		t.Errorf("a page of three: %v bytes, %v at most", looked, most)
	}
	if all := opened("1e5", "1e5"); all.Hot > standing(all) || all.Hot < 0.6*standing(all) {
		t.Errorf("everything: %v of %v", all.Hot, standing(all))
	}
	if once, twice := opened("1", "1").Hot, opened("2", "2").Hot; twice <= once || twice-none.Hot > 2*(once-none.Hot) {
		t.Errorf("once %v, twice %v", once, twice)
	}
}

// At ten times the accounts there is ten times of everything that each causes: here all spreads stay.
func TestTenTimesAsMany(t *testing.T) {
	one, ten := made(t, fen, 1), made(t, fen, 10)
	for what, of := range map[string]func(Forecast) float64{
		"requests":    func(f Forecast) float64 { return f.Day.Requests },
		"read":        func(f Forecast) float64 { return f.Day.Read.Documents },
		"written":     func(f Forecast) float64 { return f.Day.Upkeep.Entries },
		"processor":   func(f Forecast) float64 { return f.Day.Processor },
		"stored":      func(f Forecast) float64 { return f.Stored[0].Bytes },
		"at the peak": func(f Forecast) float64 { return f.Peak.Upkeep },
	} {
		if !near(of(ten), 10*of(one), 1e-9) {
			t.Errorf("%s: %v, and ten times %v", what, of(one), of(ten))
		}
	}
}

// A day is the sum of its screens and actions.
func TestADayIsTheSumOfItsParts(t *testing.T) {
	f := made(t, string(demo.Design), 3)
	requests, documents, entries, kept := 0.0, 0.0, 0.0, 0.0
	for _, s := range f.Screens {
		requests, documents = requests+s.PerDay, documents+s.PerDay*s.Reads[Mean].Documents
	}
	for _, a := range f.Actions {
		requests, entries, kept = requests+a.PerDay, entries+a.PerDay*a.Upkeep[Mean].Entries,
			kept+a.PerDay*a.Upkeep[Mean].Kept
	}
	if !near(requests, f.Day.Requests, 1e-9) || !near(documents, f.Day.Read.Documents, 1e-9) ||
		!near(entries, f.Day.Upkeep.Entries, 1e-9) || !near(kept, f.Day.Upkeep.Kept, 1e-9) {
		t.Errorf("%v %v %v %v, and the day %+v", requests, documents, entries, kept, f.Day)
	}
	sum := 0.0
	for _, c := range f.Costs(Shipped) {
		sum += c.Seconds
	}
	if !near(sum, f.Day.Processor, 1e-9) {
		t.Errorf("costs add up to %v, a day takes %v", sum, f.Day.Processor)
	}
}

// More followers never cost fewer writes, and a lower threshold never more.
func TestMoreFollowersCostNoLess(t *testing.T) {
	d, err := language.Read("fenwatch.yaml", demo.Design)
	if err != nil {
		t.Fatal(err)
	}
	p := planOf(d)
	rapid.Check(t, func(t *rapid.T) {
		mean := rapid.Float64Range(0.1, 100).Draw(t, "mean")
		most := mean * rapid.Float64Range(2, 15).Draw(t, "most")
		written := func(mean float64) float64 {
			w := *d.Workload
			w.Spreads = map[string]design.Spread{"follow.to": {Mean: mean, Most: most},
				"sightings.author": {Mean: 4, Most: 90}}
			return Make(p, &w, Shipped, 1).action("create sightings").Upkeep[Mean].Entries
		}
		few, many := written(mean), written(mean*rapid.Float64Range(1, 1.9).Draw(t, "more"))
		if many < few*0.98 { // within what bands are apart
			t.Errorf("mean %v, most %v: %v entries, and %v with more followers", mean, most, few, many)
		}
	})
	before := math.Inf(1)
	for _, above := range []string{"2000", "500", "100", "10"} {
		f := made(t, string(demo.Design), 1, language.Setting{Path: "timelines.home.deliver", Value: "mixed"},
			language.Setting{Path: "timelines.home.above", Value: above})
		is := f.action("create sightings").Upkeep[Mean].Entries
		if is > before {
			t.Errorf("above %s: %v entries, and %v before", above, is, before)
		}
		before = is
	}
}

func TestWhatBreaksFirst(t *testing.T) {
	d, err := language.ReadWith("fen.yaml", []byte(fen), []language.Setting{{Path: "workload.fan_out", Value: "50"},
		{Path: "workload.spread", Value: "{follow.to: {mean: 10, most: 20}, posts.author: {mean: 5, most: 50}}"}})
	if err != nil {
		t.Fatal(err)
	}
	breaks := Breaks(planOf(d), d.Workload, Shipped, Usual)
	last := breaks[len(breaks)-1]
	// The best-known have 20 of 100 people: 50 are reached with 250.
	if !strings.Contains(last.What, "fan-out") || last.Is != 20 || !near(last.Accounts, 250, 0.02) {
		t.Errorf("%+v", last)
	}
	for _, b := range breaks {
		if b.Accounts != 0 && b.Is > b.Most {
			t.Errorf("%v: it is beyond already", b)
		}
	}
}

func TestHowLongATextMayBe(t *testing.T) {
	for pattern, want := range map[string]float64{"^[a-z]{2,30}$": 122, "^a(b|cd)e?$": 18, "^a+$": mostDocument,
		"a": mostDocument, "^(ab){3}$": 26} {
		d, err := language.Read("x.yaml", []byte("yalvo: 1\napp: x\ncollections: {a: {fields: {n: {type: string, "+
			"pattern: '"+pattern+"'}}}}\n"))
		if err != nil {
			t.Fatal(err)
		}
		if got, _ := bound(d.Collections[0].Fields[0]); got != want {
			t.Errorf("%s: %v, want %v", pattern, got, want)
		}
	}
}
