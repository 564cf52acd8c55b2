// Package demo is Fenwatch, the app that shows Yalvo: its design, and made-up
// people around an invented wetland who watch birds. The same seed makes the
// same people, words and follows every time. They are loaded as any
// app's data can be.
package demo

import (
	_ "embed"
	"fmt"
	"math"
	"math/rand/v2"
	"strings"
)

// Design is Fenwatch's design file.
//
//go:embed fenwatch.yaml
var Design []byte

// Access is a table of who may do what by it.
//
//go:embed access.yaml
var Access []byte

// Size says how much to make.
type Size struct {
	Members, Follows, Sightings, Remarks, Likes, Verdicts, Saves, Blocks int
	MostFollowers                                                        int // of the best-known member
}

// Full is the size of the demo.
var Full = Size{Members: 2000, Follows: 60_000, Sightings: 8000, Remarks: 2000, Likes: 6000, Verdicts: 1500,
	Saves: 3000, Blocks: 400, MostFollowers: 1560}

// World is the made-up content. Documents refer to one another by id.
type World struct {
	Members   []Item
	Follows   [][2]string
	Sightings []Item
	Remarks   []Item // In is the sighting's id
	Likes     [][2]string
	Verdicts  []Verdict
	Saves     [][2]string
	Blocks    [][2]string // between people of whom neither follows the other
	Pictures  [][]byte    // that members and sightings refer to, by their hashes
}

// Verdict is what a member thinks of a sighting: 1 agrees, -1 doubts it.
type Verdict struct {
	By, On string
	Value  int
}

// Item is a document to be created.
type Item struct {
	ID, In, As string
	Fields     map[string]any
}

// Make makes a world. The seed decides everything.
func Make(size Size, seed uint64) World {
	g := &generator{rand.New(rand.NewPCG(seed, 20))}
	w := World{Members: g.members(size.Members)}
	w.Follows = g.follows(w.Members, size)
	w.Sightings = g.sightings(w.Members, size.Sightings)
	for i := range size.Remarks {
		about := w.Sightings[g.IntN(len(w.Sightings))]
		who := w.Members[g.IntN(len(w.Members))].ID
		w.Remarks = append(w.Remarks, Item{ID: fmt.Sprintf("r%04d", i+1), In: about.ID, As: who,
			Fields: map[string]any{"text": g.pick(remarks)}})
	}
	// few get most: of the first and of the newest
	popular := func() string {
		at := int(float64(len(w.Sightings)) * math.Pow(g.Float64(), 3))
		if g.IntN(2) == 0 {
			at = len(w.Sightings) - 1 - at
		}
		return w.Sightings[at].ID
	}
	for range size.Likes {
		w.Likes = append(w.Likes, [2]string{w.Members[g.IntN(len(w.Members))].ID, popular()})
	}
	for range size.Verdicts {
		value := 1
		if g.IntN(4) == 0 {
			value = -1
		}
		w.Verdicts = append(w.Verdicts, Verdict{w.Members[g.IntN(len(w.Members))].ID, popular(), value})
	}
	for range size.Saves {
		w.Saves = append(w.Saves, [2]string{w.Members[g.IntN(len(w.Members))].ID, popular()})
	}
	w.Blocks = g.blocks(w, size.Blocks)
	return w
}

// blocks are between strangers: one that is set ends follows, and loading twice
// would set these again.
func (g *generator) blocks(w World, many int) [][2]string {
	taken := map[[2]string]bool{}
	for _, f := range w.Follows {
		taken[f], taken[[2]string{f[1], f[0]}] = true, true
	}
	var blocks [][2]string
	for tries := 0; len(blocks) < many && tries < 100*many; tries++ {
		b := [2]string{w.Members[g.IntN(len(w.Members))].ID, w.Members[g.IntN(len(w.Members))].ID}
		if b[0] != b[1] && !taken[b] {
			taken[b] = true
			blocks = append(blocks, b)
		}
	}
	return blocks
}

type generator struct{ *rand.Rand }

func (g *generator) pick(words []string) string { return words[g.IntN(len(words))] }

func (g *generator) members(many int) []Item {
	all := make([]Item, 0, many)
	taken := map[string]int{}
	for range many {
		first, last := g.pick(firstNames), g.pick(lastFirst)+g.pick(lastSecond)
		handle := strings.ToLower(first + "_" + last)
		if taken[handle]++; taken[handle] > 1 {
			handle = fmt.Sprintf("%s_%d", handle, taken[handle])
		}
		fields := map[string]any{"handle": handle, "name": first + " " + last, "about": g.about()}
		if g.IntN(3) > 0 {
			fields["portrait"] = "/portraits/" + handle + ".jpg"
		}
		all = append(all, Item{ID: handle, Fields: fields})
	}
	return all
}

func (g *generator) about() string {
	return fmt.Sprintf("%s at %s. %s", g.pick(roles), g.pick(places), g.pick(habits))
}

// follows gives the member of rank r about MostFollowers / r^0.65 followers:
// a few are followed by most, most by a few.
func (g *generator) follows(members []Item, size Size) [][2]string {
	var all [][2]string
	seen := map[[2]int]bool{}
	add := func(from, to int) bool {
		if k := [2]int{from, to}; from != to && !seen[k] && len(all) < size.Follows {
			seen[k] = true
			all = append(all, [2]string{members[from].ID, members[to].ID})
			return true
		}
		return false
	}
	for to := range members {
		want := min(len(members)-1, int(float64(size.MostFollowers)*math.Pow(float64(to+1), -0.65)))
		for have, tries := 0, 0; have < want && tries < 20*want; tries++ {
			if add(g.reader(len(members), tries), to) {
				have++
			}
		}
	}
	for tries := 0; len(all) < size.Follows && tries < 50*size.Follows; tries++ {
		add(g.IntN(len(members)), g.IntN(len(members)))
	}
	g.Shuffle(len(all), func(i, j int) { all[i], all[j] = all[j], all[i] })
	return all
}

// reader picks who follows: keen readers follow many. After many misses
// everybody is as likely.
func (g *generator) reader(many, tries int) int {
	if tries%4 == 3 {
		return g.IntN(many)
	}
	return many - 1 - int(float64(many)*math.Pow(g.Float64(), 1.5))
}

func (g *generator) sightings(members []Item, many int) []Item {
	all := make([]Item, 0, many)
	for i := range many {
		who := members[int(float64(len(members))*math.Pow(g.Float64(), 1.4))]
		bird, place := g.pick(birds), g.pick(places)
		birdsSeen := 1 + int(math.Pow(g.Float64(), 4)*60)
		fields := map[string]any{
			"text":    g.report(bird, place, birdsSeen),
			"species": []string{bird},
			"birds":   birdsSeen,
			"spot": map[string]any{"name": place, "lat": math.Round((52+g.Float64())*1e4) / 1e4,
				"lon": math.Round((4+g.Float64())*1e4) / 1e4},
		}
		if g.IntN(2) == 0 {
			fields["photo"] = fmt.Sprintf("/photos/%s-%d.jpg", strings.ReplaceAll(strings.ToLower(bird), " ", "-"), i+1)
		}
		all = append(all, Item{ID: fmt.Sprintf("s%05d", i+1), As: who.ID, Fields: fields})
	}
	return all
}

func (g *generator) report(bird, place string, many int) string {
	count := "One " + strings.ToLower(bird)
	if many > 1 {
		count = fmt.Sprintf("%d of them, %s", many, strings.ToLower(bird))
	}
	return fmt.Sprintf("%s at %s %s, %s. %s", count, place, g.pick(times), g.pick(doings), g.pick(closings))
}

// BestKnown is the id of the member with the most followers.
func BestKnown() string { return Make(Size{Members: 1}, 1).Members[0].ID }
