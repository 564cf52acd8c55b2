package proof

import (
	"testing"
	"time"

	"yalvo/internal/design/language"
	"yalvo/internal/design/plan"
	"yalvo/internal/engine/running"
	"yalvo/internal/engine/store/auditsql"
	"yalvo/internal/engine/store/factsql"
)

// What a pair was counted in leaves no note once it is done: that it was counted
// follows from the pair's change, and what is still due is not told as done.
func TestCountsOfPairsAreToldWithoutANote(t *testing.T) {
	d, err := language.Read("test.yaml", []byte(`
yalvo: 1
app: pond
accounts: people
collections: {people: {fields: {name: {type: string}}, kept: {fans: {count: follow.to}, idols: {count: follow.from}}}}
pairs: {follow: {from: people, to: people, from_calls: following, to_calls: followers}}
`))
	if err != nil {
		t.Fatal(err)
	}
	n := plan.Number(0)
	v := &running.Version{Plan: plan.New(d, func(string, string) plan.Number { n++; return n })}
	kinds := v.Plan.WorkOfPair(plan.Set, v.Plan.Pair("follow"))
	if len(kinds) != 2 {
		t.Fatalf("a follow makes due %v", kinds)
	}
	root := factsql.Record{Kind: plan.Set, Subject: "follow", At: time.Now()}
	left := []auditsql.Traced{{Step: kinds[0].Step, Subject: kinds[0].Subject, Works: 1, Left: 1, Since: root.At}}
	all := withCounts(v, root, nil, left)
	if len(all) != 2 {
		t.Fatalf("work on two counts is told as %+v", all)
	}
	if first := all[0]; first.Left != 1 || first.Rows != 0 {
		t.Errorf("what is due is told as done: %+v", first)
	}
	if second := all[1]; second.Left != 0 || second.Rows != 1 || second.Works != 1 {
		t.Errorf("what is done is told as %+v", second)
	}
	steps := tree(v, root, all, nil)
	if len(steps) != 2 || len(steps[0].Follows)+len(steps[1].Follows) != 0 {
		t.Errorf("both hang on the follow, but the tree is %+v", steps)
	}
}
