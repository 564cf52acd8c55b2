package plan_test

import (
	"fmt"
	"reflect"
	"slices"
	"testing"

	"yalvo/demo"
	"yalvo/internal/design/language"
	"yalvo/internal/design/plan"
)

// fenwatch is the demo's plan, with names numbered as they come.
func fenwatch(t *testing.T) (*plan.Plan, map[plan.Number]string) {
	t.Helper()
	d, err := language.Read("fenwatch.yaml", demo.Design)
	if err != nil {
		t.Fatal(err)
	}
	names := map[plan.Number]string{}
	return plan.New(d, func(_, name string) plan.Number {
		n := plan.Number(len(names) + 1)
		names[n] = name
		return n
	}), names
}

func TestWhatEachChangeMakesDue(t *testing.T) {
	p, names := fenwatch(t)
	members, sightings, remarks := p.Collection("members"), p.Collection("sightings"), p.Collection("remarks")
	author := sightings.References[0]
	const ada, ben, sighting, remark = 1, 2, 10, 20
	ranks := []int64{99}
	cases := []struct {
		name   string
		change plan.Change
		want   []string
	}{
		{"a sighting is created", plan.Change{Kind: plan.Created, Collection: sightings, Doc: sighting,
			RankAfter: ranks, After: plan.Targets{author: ada}, Touched: []string{"text", "birds"}}, []string{
			"add members.sighting_count key=0 doc=1 rank=0 amount=1",
			"contribute members.birds_seen key=0 doc=10 rank=0 amount=0",
			"contribute members.most_at_once key=0 doc=10 rank=0 amount=0",
			"deliver home key=1 doc=10 rank=99 amount=0",
		}},
		{"a sighting without what is summed up is created",
			plan.Change{Kind: plan.Created, Collection: sightings, Doc: sighting, RankAfter: ranks,
				After: plan.Targets{author: ada}, Touched: []string{"text"}}, []string{
				"add members.sighting_count key=0 doc=1 rank=0 amount=1",
				"deliver home key=1 doc=10 rank=99 amount=0",
			}},
		{"a sighting is edited where nobody copies",
			plan.Change{Kind: plan.Changed, Collection: sightings, Doc: sighting, RankBefore: ranks, RankAfter: ranks,
				Before: plan.Targets{author: ada}, After: plan.Targets{author: ada}, Touched: []string{"text"}}, nil},
		{"a sighting gets another author", plan.Change{Kind: plan.Changed, Collection: sightings, Doc: sighting,
			RankBefore: ranks, RankAfter: ranks,
			Before: plan.Targets{author: ada}, After: plan.Targets{author: ben}, Touched: []string{"author"}}, []string{
			"add members.sighting_count key=0 doc=1 rank=0 amount=-1",
			"add members.sighting_count key=0 doc=2 rank=0 amount=1",
			"deliver home key=2 doc=10 rank=99 amount=1",
			"contribute members.birds_seen key=0 doc=10 rank=0 amount=0",
			"contribute members.most_at_once key=0 doc=10 rank=0 amount=0",
			"contribute members.trusted key=0 doc=10 rank=0 amount=0",
			"withdraw home key=1 doc=10 rank=99 amount=0",
		}},
		{"a sighting is removed", plan.Change{Kind: plan.Removed, Collection: sightings, Doc: sighting,
			RankBefore: ranks, Before: plan.Targets{author: ada}}, []string{
			"add members.sighting_count key=0 doc=1 rank=0 amount=-1",
			"end-nested remarks key=0 doc=10 rank=0 amount=0",
			"end-reference members.pinned key=0 doc=10 rank=0 amount=0",
			"end-to like key=0 doc=10 rank=0 amount=0",
			"end-to save key=0 doc=10 rank=0 amount=0",
			"end-to verdict key=0 doc=10 rank=0 amount=0",
			"contribute members.birds_seen key=0 doc=10 rank=0 amount=0",
			"contribute members.most_at_once key=0 doc=10 rank=0 amount=0",
			"contribute members.trusted key=0 doc=10 rank=0 amount=0",
			"withdraw home key=1 doc=10 rank=99 amount=0",
		}},
		{"a remark is created", plan.Change{Kind: plan.Created, Collection: remarks, Doc: remark, Parent: sighting,
			After: plan.Targets{remarks.References[0]: ada}}, []string{
			"add sightings.remark_count key=0 doc=10 rank=0 amount=1",
			"contribute sightings.last_remarks key=0 doc=20 rank=0 amount=0",
		}},
		{"a member is renamed", plan.Change{Kind: plan.Changed, Collection: members, Doc: ada,
			Touched: []string{"name"}}, []string{
			"recopy remarks.byline key=0 doc=1 rank=0 amount=0",
			"recopy sightings.byline key=0 doc=1 rank=0 amount=0",
		}},
		{"a member edits what nobody copies",
			plan.Change{Kind: plan.Changed, Collection: members, Doc: ada, Touched: []string{"about"}}, nil},
		{"a member is removed", plan.Change{Kind: plan.Removed, Collection: members, Doc: ada}, []string{
			"end-from block key=0 doc=1 rank=0 amount=0",
			"end-from follow key=0 doc=1 rank=0 amount=0",
			"end-from hush key=0 doc=1 rank=0 amount=0",
			"end-from like key=0 doc=1 rank=0 amount=0",
			"end-from save key=0 doc=1 rank=0 amount=0",
			"end-from verdict key=0 doc=1 rank=0 amount=0",
			"end-reference remarks.author key=0 doc=1 rank=0 amount=0",
			"end-reference sightings.author key=0 doc=1 rank=0 amount=0",
			"end-timeline home key=0 doc=1 rank=0 amount=0",
			"end-to block key=0 doc=1 rank=0 amount=0",
			"end-to follow key=0 doc=1 rank=0 amount=0",
			"end-to hush key=0 doc=1 rank=0 amount=0",
		}},
		{"a follow is set", plan.Change{Kind: plan.Set, Pair: p.Pair("follow"), From: ada, To: ben}, []string{
			"add members.follower_count key=0 doc=2 rank=0 amount=1",
			"add members.following_count key=0 doc=1 rank=0 amount=1",
			"subscribe home key=2 doc=1 rank=0 amount=1",
		}},
		{"more birds were seen after all", plan.Change{Kind: plan.Changed, Collection: sightings, Doc: sighting,
			RankBefore: ranks, RankAfter: ranks,
			Before: plan.Targets{author: ada}, After: plan.Targets{author: ada}, Touched: []string{"birds"}}, []string{
			"contribute members.birds_seen key=0 doc=10 rank=0 amount=0",
			"contribute members.most_at_once key=0 doc=10 rank=0 amount=0",
		}},
		{"a remark is rewritten", plan.Change{Kind: plan.Changed, Collection: remarks, Doc: remark,
			Touched: []string{"text"}}, []string{
			"refresh sightings.last_remarks key=0 doc=20 rank=0 amount=0",
		}},
		{"a verdict is set", plan.Change{Kind: plan.Set, Pair: p.Pair("verdict"), From: ada, To: sighting}, []string{
			"contribute sightings.agreement key=10 doc=1 rank=0 amount=0",
			"contribute sightings.doubt_count key=10 doc=1 rank=0 amount=0",
		}},
		{"a block is set", plan.Change{Kind: plan.Set, Pair: p.Pair("block"), From: ada, To: ben}, []string{
			"subscribe home key=1 doc=2 rank=0 amount=0",
			"subscribe home key=2 doc=1 rank=0 amount=0",
		}},
		{"a like is unset", plan.Change{Kind: plan.Unset, Pair: p.Pair("like"), From: ada, To: sighting}, []string{
			"add sightings.like_count key=0 doc=10 rank=0 amount=-1",
		}},
	}
	for _, c := range cases {
		t.Run(c.name, func(t *testing.T) {
			var got []string
			for _, w := range p.Due(c.change) {
				got = append(got, fmt.Sprintf("%v %s key=%d doc=%d rank=%d amount=%d", w.Step, names[w.Subject], w.Key,
					w.Doc, w.Rank, w.Amount))
			}
			slices.Sort(got)
			slices.Sort(c.want)
			if !reflect.DeepEqual(got, c.want) {
				t.Errorf("got  %q\nwant %q", got, c.want)
			}
		})
	}
}

func TestEveryTriggerIsNamedOnce(t *testing.T) {
	p, _ := fenwatch(t)
	seen := map[plan.Rule]bool{}
	for _, trigger := range p.Rules() {
		if seen[trigger] {
			t.Errorf("twice: when %s, %s", trigger.When, trigger.Then)
		}
		seen[trigger] = true
	}
	if want := (plan.Rule{When: "members.handle/name/portrait changes",
		Then: "bring it to the byline of all sightings whose author it is"}); !seen[want] {
		t.Errorf("missing: %+v", want)
	}
}

func TestWhatIsBuiltOnAKeptValueFollowsIt(t *testing.T) {
	p, names := fenwatch(t)
	var got []string
	for _, w := range p.Collection("sightings").KeptChanged("agreement", 10) {
		got = append(got, fmt.Sprintf("%v %s doc=%d", w.Step, names[w.Subject], w.Doc))
	}
	if want := []string{"contribute members.trusted doc=10"}; !reflect.DeepEqual(got, want) {
		t.Errorf("got %q, want %q", got, want)
	}
	if p.Collection("members").BuiltOn("trusted") {
		t.Error("nothing is built on trusted")
	}
}

// A copy that comes with an edit is written by it, so the edit itself tells
// what is built on that copy: here the last remarks of a sighting.
func TestWhatIsBuiltOnACopyFollowsItsReference(t *testing.T) {
	p, names := fenwatch(t)
	remarks := p.Collection("remarks")
	author := remarks.References[0]
	var got []string
	for _, w := range p.Due(plan.Change{Kind: plan.Changed, Collection: remarks, Doc: 10, Parent: 5,
		Touched: []string{"author"},
		Before:  plan.Targets{author: 1}, After: plan.Targets{author: 2}}) {
		got = append(got, fmt.Sprintf("%v %s doc=%d", w.Step, names[w.Subject], w.Doc))
	}
	if want := "refresh sightings.last_remarks doc=10"; !slices.Contains(got, want) {
		t.Errorf("got %q, and no %q", got, want)
	}
}

// What others are compared with is audited before them.
func TestAuditsGoFromTheGroundUp(t *testing.T) {
	p, _ := fenwatch(t)
	place := map[string]int{}
	for i, d := range p.Duplicates() {
		place[string(d.Kind)+" "+d.Name] = i
	}
	order := []string{"reference sightings.author", "posted home", "contribution sightings.agreement",
		"sum sightings.agreement", "contribution members.trusted", "sum members.trusted", "timeline home"}
	for i := range order[1:] {
		before, there := place[order[i]]
		after, too := place[order[i+1]]
		if !there || !too || before >= after {
			t.Errorf("%s should come before %s: %d, %d", order[i], order[i+1], before, after)
		}
	}
}
