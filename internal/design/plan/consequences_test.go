package plan_test

import (
	"fmt"
	"slices"
	"testing"

	"yalvo/internal/design"
	"yalvo/internal/design/language"
	"yalvo/internal/design/plan"
)

func inWords(p *plan.Plan, kinds []plan.WorkKind) []string {
	var all []string
	for _, k := range kinds {
		all = append(all, p.InWords(k))
	}
	slices.Sort(all)
	return all
}

func TestWhatAChangeCanEntailIsSaidInWords(t *testing.T) {
	p, _ := fenwatch(t)
	for _, c := range []struct {
		what string
		got  []plan.WorkKind
		want []string
	}{
		{"a remark is created", p.WorkOf(plan.Created, p.Collection("remarks")),
			[]string{"counted in sightings.remark_count", "looked at what is contributed to sightings.last_remarks"}},
		{"a remark contributes", p.WorkAfter(plan.WorkKind{Step: plan.Contribute,
			Subject: p.Collection("sightings").Summaries[2].Number}), []string{"worked out sightings.last_remarks"}},
		{"an agreement is added to", p.WorkAfter(plan.WorkKind{Step: plan.Contribute,
			Subject: p.Collection("sightings").Summaries[0].Number}),
			[]string{"looked at what is contributed to members.trusted"}},
		{"a like is set", p.WorkOfPair(plan.Set, p.Pair("like")), []string{"counted in sightings.like_count"}},
		{"a post is withdrawn", p.WorkAfter(plan.WorkKind{Step: plan.Withdraw, Subject: p.Timeline("home").Number}),
			[]string{"delivered to the home timelines", "filled up home with older entries"}},
	} {
		if got := inWords(p, c.got); !slices.Equal(got, c.want) {
			t.Errorf("%s: got %q, want %q", c.what, got, c.want)
		}
	}
	if all := inWords(p, p.WorkOf(plan.Removed, p.Collection("members"))); !slices.Contains(all,
		"ended sightings.author") || !slices.Contains(all, "unset follow from it") ||
		!slices.Contains(all, "dropped its home timeline") {
		t.Errorf("a member is removed: %q", all)
	}
}

// A count is not called wrong for an index that is; a sum not for a contribution.
func TestWhatADifferenceMayRestOn(t *testing.T) {
	p, _ := fenwatch(t)
	rests := map[string][]string{}
	for _, d := range p.Duplicates() {
		for _, r := range d.BasedOn() {
			name := string(d.Kind) + " " + d.Name
			rests[name] = append(rests[name], fmt.Sprintf("%s %s", r.Kind, r.Name))
		}
	}
	for what, want := range map[string]string{
		"count members.sighting_count":  "reference sightings.author",
		"count members.follower_count":  "pair follow",
		"copy sightings.byline":         "reference sightings.author",
		"sum sightings.agreement":       "contribution sightings.agreement",
		"contribution members.trusted":  "sum sightings.agreement",
		"choice sightings.last_remarks": "copy remarks.byline",
		"timeline home":                 "posted home",
	} {
		if !slices.Contains(rests[what], want) {
			t.Errorf("%s rests on %q, and not on %s", what, rests[what], want)
		}
	}
}

func TestEveryKindOfWorkHasALaneAndWords(t *testing.T) {
	p, _ := fenwatch(t)
	seen := map[string]plan.Step{}
	for step := plan.Add; step <= plan.EndFrozen; step++ {
		name := step.String()
		if first, twice := seen[name]; twice {
			t.Errorf("steps %d and %d are both called %s", first, step, name)
		}
		seen[name] = step
		if !slices.Contains(plan.Lanes, step.Lane()) || step.Lane().String() == "?" {
			t.Errorf("%s runs in no lane", name)
		}
		if p.InWords(plan.WorkKind{Step: step, Subject: p.Timeline("home").Number}) == "" {
			t.Errorf("%s cannot be said", name)
		}
	}
}

func TestTriggersAreFoundByWhatTheyWaitFor(t *testing.T) {
	d, err := language.Read("t.yaml", []byte(`yalvo: 1
app: t
collections:
  a: {fields: {x: {type: integer}}}
  b: {fields: {x: {type: integer}}}
pairs: {p: {from: a, to: b, from_calls: bs, to_calls: as}}
triggers:
  one: {on: {created: a}, do: [{create: b, fields: {x: doc.x + 1}}]}
  two: {on: {created: a}, do: [{send: "https://pond.example/"}]}
  three: {on: {unset: p}, do: [{remove: b, id: to}]}
`))
	if err != nil {
		t.Fatal(err)
	}
	n := plan.Number(0)
	p := plan.New(d, func(string, string) plan.Number { n++; return n })
	names := func(found []*plan.Trigger) (all []string) {
		for _, r := range found {
			all = append(all, fmt.Sprint(r.Name, " ", r.Writes()))
		}
		return all
	}
	if got := names(p.TriggersOn(design.OnCreated, p.Collection("a"), nil)); !slices.Equal(got,
		[]string{"one true", "two false"}) {
		t.Errorf("on a created: %q", got)
	}
	if got := names(p.TriggersOn(design.OnUnset, nil, p.Pair("p"))); !slices.Equal(got, []string{"three true"}) {
		t.Errorf("on p unset: %q", got)
	}
	if got := p.TriggersOn(design.OnCreated, p.Collection("b"), nil); got != nil {
		t.Errorf("on b created: %q", names(got))
	}
}
