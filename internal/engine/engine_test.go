package engine

import (
	"fmt"
	"slices"
	"strings"
	"testing"

	"github.com/go-json-experiment/json/jsontext"

	"yalvo/internal/plan"
	"yalvo/internal/store"
)

func TestAnEntryShowsMembersAsTheyStand(t *testing.T) {
	pick := func(text string) (string, error) {
		some, err := sift([]byte("before "), []byte(text), func(name, _ jsontext.Value) bool { return !names(name, "b") })
		return string(some), err
	}
	for text, want := range map[string]string{
		`{}`: `before {}`,
		`{"a": 1.50, "b": {"a": 2}, "c\"d": [1, null]}`: `before {"a":1.50,"c\"d":[1, null]}`,
		`{"b": 1}`: `before {}`,
	} {
		if got, err := pick(text); err != nil || got != want {
			t.Errorf("%s: got %s (%v), want %s", text, got, err, want)
		}
	}
	if _, err := pick(`{"a":`); err == nil {
		t.Error("half an object is taken for a whole one")
	}
}

func TestFollowsAreTakenTogetherUntilTheyBringInTooMuch(t *testing.T) {
	relations := func(many ...int) (all []store.Relation) {
		for i, m := range many {
			all = append(all, store.Relation{Owner: int64(i), Many: m})
		}
		return all
	}
	for _, c := range []struct {
		given []store.Relation
		want  []int64
	}{
		{relations(800, 3, 0), []int64{2, 1, 0}},
		{relations(bringLimit+1, 1), []int64{1}},
		{relations(bringLimit + 1), []int64{0}}, // one always goes
		{nil, nil},
	} {
		var got []int64
		for _, r := range asManyAsFit(c.given) {
			got = append(got, r.Owner)
		}
		if !slices.Equal(got, c.want) {
			t.Errorf("%v: got %v, want %v", c.given, got, c.want)
		}
	}
}

func TestRowsForTheSameEntryAreMergedOnlyIfOneReaderWaits(t *testing.T) {
	row := func(seq, author, doc, change int64) store.Due {
		return store.Due{Seq: seq, Change: change, Work: plan.Work{Step: plan.Deliver, Subject: 1, Key: author, Doc: doc}}
	}
	kept, repeated := withoutRepeats([]store.Due{row(1, 7, 9, 100), row(2, 7, 9, 100), row(3, 7, 9, 101), row(4, 8, 9, 100), row(5, 7, 10, 100)})
	var seqs []int64
	for _, d := range kept {
		seqs = append(seqs, d.Seq)
	}
	if !slices.Equal(seqs, []int64{1, 5}) || !slices.Equal(repeated, []int64{2}) {
		t.Errorf("kept %v, repeated %v: rows 3 and 4 must wait for turns of their own", seqs, repeated)
	}
}

func TestACardHasWhatItsTargetHas(t *testing.T) {
	p := planOf(t, `
yalvo: 1
app: pond
collections:
  people: {fields: {name: {type: string}, photo: {type: media}, mail: {type: string}}}
  posts:
    fields: {author: {type: reference, to: people}}
    kept: {byline: {copy: author, fields: [name, photo]}}
`)
	byline := p.Collection("posts").Copies[0]
	for name, c := range map[string]struct {
		target *store.Document
		want   string
	}{
		"all of it":    {&store.Document{Fields: []byte(`{"name":"Ada","photo":"/a.jpg","mail":"a@b"}`)}, `{"name":"Ada","photo":"/a.jpg"}`},
		"some of it":   {&store.Document{Fields: []byte(`{"name":"Ada"}`)}, `{"name":"Ada"}`},
		"none of it":   {&store.Document{Fields: []byte(`{"mail":"a@b"}`)}, `{}`},
		"nobody there": {nil, `null`},
	} {
		got, err := card(byline, c.target)
		if err != nil || string(got) != c.want {
			t.Errorf("%s: got %s (%v), want %s", name, got, err, c.want)
		}
	}
}

func TestPositionsThatAreNoneAreRefused(t *testing.T) {
	e := &Engine{}
	for _, text := range []string{"soon", "-1", "1,", "..", "..x", "1;2", "99999999999999999999"} {
		if _, err := e.looker(t.Context(), text); err == nil || !strings.Contains(err.Error(), "is no position") {
			t.Errorf("%q: %v", text, err)
		}
	}
	for _, text := range []string{"1", "1,2, 3", "..7", "4,..7"} {
		if _, err := e.looker(t.Context(), text); err != nil {
			t.Errorf("%q: %v", text, err)
		}
	}
}

func TestARefusalSaysItsMistakesInOneLine(t *testing.T) {
	r := invalid(under("/fields", keptMistakes(planOf(t, `
yalvo: 1
app: pond
accounts: people
collections: {people: {fields: {name: {type: string}}, kept: {fans: {count: follow.to}}}}
pairs: {follow: {from: people, to: people, from_calls: following, to_calls: followers}}
`).Collection("people"), map[string]any{"fans": 7})))
	if got := fmt.Sprint(r); !strings.HasPrefix(got, `the request does not fit the design: /fields/fans: "fans" is kept by Yalvo and cannot be written`) {
		t.Errorf("got %s", got)
	}
}
