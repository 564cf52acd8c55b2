package graph

import (
	"bytes"
	"slices"
	"strings"
	"testing"

	"yalvo/demo"
	"yalvo/internal/design"
	"yalvo/internal/design/beginnings"
	"yalvo/internal/design/forecast"
	"yalvo/internal/design/language"
)

func read(t *testing.T, source []byte) *design.Design {
	t.Helper()
	d, err := language.Read("design.yaml", source)
	if err != nil {
		t.Fatal(err)
	}
	return d
}

// downstream is all that something feeds, all the way.
func downstream(g Graph, from string) map[string]bool {
	all, next := map[string]bool{}, []string{from}
	for len(next) > 0 {
		at := next[0]
		next = next[1:]
		for _, f := range g.Feeds {
			if f.From == at && !all[f.To] {
				all[f.To] = true
				next = append(next, f.To)
			}
		}
	}
	return all
}

// places are the ids of all things and members, and the lines where they stand.
func places(g Graph) map[string]int {
	all := map[string]int{}
	for _, t := range g.Things {
		all[t.ID] = t.Line
		for _, m := range t.Members {
			all[m.ID] = m.Line
		}
	}
	return all
}

func TestWhatAFieldFeedsIsFollowedAllTheWay(t *testing.T) {
	g := Of(read(t, demo.Design))
	for _, c := range []struct {
		from       string
		feeds, not []string
	}{
		{"collections.members.fields.name",
			[]string{"collections.sightings.kept.byline", "collections.sightings.kept.last_remarks", "timelines.home",
				"screens.home", "screens.followers"},
			[]string{"collections.sightings.kept.like_count", "collections.members.fields.handle"}},
		{"pairs.verdict.fields.value",
			[]string{"collections.sightings.kept.agreement", "collections.sightings.kept.doubt_count",
				"collections.members.kept.trusted", "timelines.home"},
			[]string{"collections.sightings.kept.like_count"}},
		{"collections.sightings.fields.hidden", []string{"timelines.home", "screens.home"},
			[]string{"lists.everyone"}},
		{"collections.members.fields.pinned", []string{"lists.page", "screens.profile"}, []string{"lists.saves"}},
		{"pairs.block", []string{"timelines.home", "lists.everyone", "lists.blocks"}, []string{"lists.page"}},
		{"lists.handles", []string{"screens.find_member"}, []string{"screens.home"}},
	} {
		got := downstream(g, c.from)
		for _, id := range c.feeds {
			if !got[id] {
				t.Errorf("%s does not feed %s", c.from, id)
			}
		}
		for _, id := range c.not {
			if got[id] {
				t.Errorf("%s feeds %s", c.from, id)
			}
		}
	}
}

func TestWhatRunsBetweenThingsIsThere(t *testing.T) {
	wanted := beginnings.Wanted{App: "fen", People: "people", Posts: "posts"}
	for _, b := range beginnings.All {
		wanted.With = append(wanted.With, b.Name)
	}
	begun, err := wanted.Write()
	if err != nil {
		t.Fatal(err)
	}
	for name, source := range map[string][]byte{"demo": demo.Design, "all beginnings": begun} {
		g := Of(read(t, source))
		there := places(g)
		lines := bytes.Split(source, []byte("\n"))
		for id, line := range there {
			named := id[strings.LastIndex(id, ".")+1:]
			if !bytes.Contains(lines[line-1], []byte(named)) {
				t.Errorf("%s: %s is not on line %d: %s", name, id, line, lines[line-1])
			}
		}
		for _, f := range g.Feeds {
			if there[f.From] == 0 || there[f.To] == 0 {
				t.Errorf("%s: %s feeds %s", name, f.From, f.To)
			}
		}
		for _, tie := range g.Ties {
			if there[tie.From] == 0 || there[tie.To] == 0 || there[tie.By] == 0 {
				t.Errorf("%s: %s %s %s", name, tie.From, tie.Kind, tie.To)
			}
		}
		for id := range there {
			fed := slices.ContainsFunc(g.Feeds, func(f Feed) bool { return f.To == id })
			if strings.Contains(id, ".kept.") && !fed {
				t.Errorf("%s: nothing feeds %s", name, id)
			}
		}
	}
}

func TestADuplicateSaysWhatItCosts(t *testing.T) {
	d := read(t, demo.Design)
	g := Of(d)
	g.Weigh(d, forecast.Shipped)
	f := map[string]*Costs{}
	for _, thing := range g.Things {
		f[thing.ID] = thing.Costs
		for _, m := range thing.Members {
			f[m.ID] = m.Costs
			if m.Kept != (m.Costs != nil) {
				t.Errorf("%s: costs %v", m.ID, m.Costs)
			}
		}
	}
	byline := f["collections.sightings.kept.byline"]
	// each of 2,000 members has a handle, a name and a portrait that change 0.003 times a day, and 4 sightings
	want := 2000 * (0.001 + 0.002) * 4
	if byline.Copies != 8000 || byline.PerDay < 0.99*want || byline.PerDay > 1.01*want {
		t.Errorf("the byline: %+v, %v rewritten a day expected", byline, want)
	}
	if home := f["screens.home"]; home.PerDay != 16000 || home.Seconds <= 0 || home.Reads <= 0 {
		t.Errorf("home: %+v", home)
	}
	d.Workload = nil
	if g = Of(d); len(g.Things) == 0 {
		t.Error("no things")
	}
	g.Weigh(d, forecast.Shipped)
	for _, thing := range g.Things {
		if thing.Costs != nil {
			t.Errorf("%s costs %v, and nobody says how much it is used", thing.ID, thing.Costs)
		}
	}
}
