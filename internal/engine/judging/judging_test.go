package judging

import (
	"context"
	"encoding/json"
	"fmt"
	"strings"
	"testing"

	"yalvo/internal/design/access"
	"yalvo/internal/design/language"
	"yalvo/internal/design/plan"
	"yalvo/internal/engine/running"
	"yalvo/internal/engine/store"
	"yalvo/internal/engine/store/factsql"
	"yalvo/internal/engine/store/keptsql"
	"yalvo/internal/engine/store/readsql"
	"yalvo/internal/engine/store/rulesql"
)

// ponds shows the last two replies below each post, to who is not blocked by their authors, and the author's card.
const ponds = `
yalvo: 1
app: ponds
accounts: people
collections:
  people:
    fields: {name: {type: string, required: true}, shy: {type: boolean, default: false}}
  posts:
    fields:
      author: {type: reference, to: people, required: true, default: me, fixed: true, inverse: posts, when_gone: remove}
    kept:
      last: {latest: replies, how_many: 2, fields: [text]}
      card: {copy: author, fields: [name]}
  replies:
    under: posts
    fields:
      text:   {type: string}
      author: {type: reference, to: people, required: true, default: me, fixed: true, inverse: replies, when_gone: remove}
pairs:
  block: {from: people, to: people, from_calls: blocking, to_calls: blockers}
access:
  collections:
    people:  {read: "doc == me || !doc.shy", create: true}
    posts:   {read: true}
    replies: {read: "!paired('block', doc.author, me)"}
  pairs:
    block: {read: "from == me", set: "from == me"}
`

// stored is what a judge asks, with what it was asked for. Replies r1 to r9 are by a1 to a9, whose rows are 1 to 9,
// the newest first in what is looked for further; r0 is by nobody.
type stored struct {
	blockedBy []int64 // the reader; nil: too many to tell
	shy       bool    // the author of the post
	asked     []string
}

func (s *stored) ask(what string, args ...any) { s.asked = append(s.asked, fmt.Sprintf(what, args...)) }

func (s *stored) Context() context.Context { return context.Background() }

func (s *stored) Known(docs []store.Address, _ []factsql.Between) (found []store.Document, _ []bool, _ error) {
	for _, d := range docs {
		found = append(found, store.Document{N: 100, Collection: d.Collection, Key: d.Key,
			Fields: json.RawMessage(fmt.Sprintf(`{"name": "A", "shy": %t}`, s.shy))})
	}
	return found, nil, nil
}

func (s *stored) Targets(_, _ plan.Number, keys []string) (found []readsql.Target, _ error) {
	s.ask("authors of %d", len(keys))
	for _, key := range keys {
		n := int64(key[len(key)-1] - '0')
		if n == 0 { // it has none
			continue
		}
		found = append(found, readsql.Target{Key: key, Target: n, TargetKey: fmt.Sprint("a", n)})
	}
	return found, nil
}

func (s *stored) PartnersOf(_ *plan.Collection, keys []string, asks []readsql.Partners, _ int) ([]readsql.PartnersFound,
	error) {
	s.ask("partners of %s", keys[0])
	return []readsql.PartnersFound{{N: 50, With: [][]int64{s.blockedBy}[:len(asks)]}}, nil
}

func (s *stored) Allowed(_ *plan.Collection, keys []string, _ rulesql.Filter) (map[string]bool, error) {
	s.ask("which of %d", len(keys))
	allowed := map[string]bool{}
	for _, key := range keys {
		allowed[key] = strings.HasSuffix(key, "2")
	}
	return allowed, nil
}

func (s *stored) Candidates(_ *plan.Summary, by plan.Number, targets []int64, skip,
	many int) (found []keptsql.Candidate, _ error) {
	s.ask("what follows in %v", targets)
	for n := int64(9 - skip); n > 0 && len(found) < many; n-- {
		to := n
		if by == 0 {
			to = 0
		}
		found = append(found, keptsql.Candidate{Target: targets[0], To: to, ToKey: fmt.Sprint("a", n),
			Document: store.Document{N: 200 + n, Key: fmt.Sprint("p/r", n), Kept: json.RawMessage("{}"),
				Fields: json.RawMessage(fmt.Sprintf(`{"text": "%d"}`, n))}})
	}
	return found, nil
}

// lasts is a post whose stored last replies are some.
func lasts(t *testing.T, v *running.Version, replies string) (*plan.Collection, store.Document) {
	t.Helper()
	var items []string
	for _, n := range replies {
		items = append(items, fmt.Sprintf(`{"id": "r%c", "path": "posts/p/replies/r%c", "text": "%c"}`, n, n, n))
	}
	return v.Plan.Collection("posts"), store.Document{N: 7, Key: "p", Fields: json.RawMessage(`{"author": "a1"}`),
		Kept: json.RawMessage(`{"card": {"name": "A"}, "last": [` + strings.Join(items, ", ") + `]}`)}
}

// A reader is shown what they may, and what decides that is asked for once.
func TestALatestIsShownToWhoMayReadIt(t *testing.T) {
	d, err := language.Read("ponds.yaml", []byte(ponds))
	if err != nil {
		t.Fatal(err)
	}
	numbers := plan.Number(0)
	p := plan.New(d, func(string, string) plan.Number { numbers++; return numbers })
	v := &running.Version{Number: 1, Law: access.New(d), Plan: p}
	blocked := func(by ...int64) *stored { return &stored{blockedBy: append([]int64{}, by...)} }
	for _, one := range []struct {
		name, me, replies string
		stores            *stored
		told              []int64 // of the reader's pairs, by the page; nil: it tells nothing
		shown, asked      string
	}{
		{"a stranger", "", "98", blocked(), nil, "9 8", "authors of 2"},
		{"nobody has blocked", "me", "9876", blocked(), nil, "9 8", "authors of 2, partners of me"},
		{"the page tells it", "me", "9876", blocked(), []int64{}, "9 8", "authors of 2"},
		{"the newest has blocked", "me", "9876", blocked(9), []int64{9}, "8 7", "authors of 2, authors of 2"},
		{"both have", "me", "9876", blocked(9, 8), []int64{9, 8}, "7 6", "authors of 2, authors of 2"},
		{"all that are stored have", "me", "9876", blocked(9, 8, 7, 6), []int64{9, 8, 7, 6}, "5 4",
			"authors of 2, authors of 2, what follows in [7]"},
		{"there are no more", "me", "987", blocked(9, 8), []int64{9, 8}, "7", "authors of 2, authors of 1"},
		{"one is by nobody", "me", "90", blocked(), []int64{}, "9", "authors of 2, which of 1"},
		{"in too many pairs to tell", "me", "9287", &stored{}, nil, "2",
			"authors of 2, partners of me, which of 2, which of 2, what follows in [7], which of 2, which of 2, " +
				"which of 1"},
		{"the author is shy", "me", "98", &stored{blockedBy: []int64{}, shy: true}, []int64{}, "9 8, no card",
			"authors of 2"},
	} {
		j := Of(v, running.Viewer{Me: one.me, Judged: true}, one.stores)
		c, doc := lasts(t, v, one.replies)
		asks, err := j.WillAsk(c)
		if err != nil {
			t.Fatal(err)
		}
		if one.told != nil {
			j.Knows(asks, readsql.PartnersFound{N: 50, With: [][]int64{one.told}})
		}
		seen, err := j.Show(c, doc)
		if err != nil {
			t.Errorf("%s: %v", one.name, err)
			continue
		}
		var kept struct {
			Last []struct{ Text string }
			Card *struct{ Name string }
		}
		if err := json.Unmarshal(seen.Kept, &kept); err != nil {
			t.Fatal(err)
		}
		var texts []string
		for _, item := range kept.Last {
			texts = append(texts, item.Text)
		}
		shown := strings.Join(texts, " ")
		if kept.Card == nil {
			shown += ", no card"
		}
		if asked := strings.Join(one.stores.asked, ", "); shown != one.shown || asked != one.asked {
			t.Errorf("%s: shown %q, want %q; asked for %s, want %s", one.name, shown, one.shown, asked, one.asked)
		}
	}
}
