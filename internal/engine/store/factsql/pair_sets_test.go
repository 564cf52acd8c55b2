package factsql_test

import (
	"fmt"
	"slices"
	"testing"

	"yalvo/internal/design"
	"yalvo/internal/engine/store"
	"yalvo/internal/engine/store/storetest"

	"yalvo/internal/design/plan"
	"yalvo/internal/engine/store/factsql"
)

// following is a kind of pair, and the people it is tried on.
type following struct {
	*store.Store
	t    *testing.T
	pair *plan.Pair
	ids  map[string]int64
}

func newFollowing(t *testing.T) following {
	people := &plan.Collection{Number: 1}
	return following{storetest.Open(t), t, &plan.Pair{Pair: &design.Pair{Name: "follow"}, Number: 2, From: people,
		To: people}, map[string]int64{}}
}

func (s following) person(id string) {
	s.t.Helper()
	storetest.Write(s.t, s.Store, func(tx *store.Tx) error {
		n, err := storetest.Put(tx, 1, id, "{}")
		s.ids[id] = n
		return err
	})
}

// Several pairs are set as each would be by itself. Whose ends are not to be had is left to be
// written alone, and keeps nobody waiting.
func TestPairsOfSeveralClientsAreSetAtOnce(t *testing.T) {
	s := newFollowing(t)
	if err := storetest.Exec(s.Store, "INSERT INTO designs (version, file, source) VALUES (7, '', '')"); err != nil {
		t.Fatal(err)
	}
	for _, id := range []string{"ada", "ben", "cora", "dora"} {
		s.person(id)
	}
	set := func(from, to string) factsql.PairWrite {
		return factsql.PairWrite{Pair: s.pair, From: from, To: to, Design: 7,
			Record: factsql.Record{Subject: "follow", Detail: from + " → " + to, Actor: from},
			Due:    []plan.Work{plan.AddTo(9, plan.ToRow, 1), plan.AddTo(8, plan.FromRow, 1)}}
	}
	tell := func(all []*factsql.PairWritten) string {
		var out []string
		for _, w := range all {
			switch {
			case w == nil:
				out = append(out, "-")
			case w.Position == 0:
				out = append(out, fmt.Sprint("no ", w.Design))
			default:
				out = append(out, "yes")
			}
		}
		return fmt.Sprint(out)
	}
	setPairs := func(what, want string, writes ...factsql.PairWrite) []*factsql.PairWritten {
		t.Helper()
		got, err := factsql.SetPairs(t.Context(), s.Store, writes)
		if err != nil {
			t.Fatal(err)
		}
		if tell(got) != want {
			t.Errorf("%s: %s, want %s", what, tell(got), want)
		}
		return got
	}
	removing := storetest.Begin(s.Store)
	if err := storetest.Hold(removing, s.ids["dora"]); err != nil {
		t.Fatal(err)
	}
	first := setPairs("at first", "[yes - - yes -]", set("cora", "ada"), set("cora", "nobody"), set("cora", "ada"),
		set("ada", "ben"), set("ada", "dora"))
	if err := storetest.Commit(removing); err != nil {
		t.Fatal(err)
	}
	second := setPairs("then", "[no 7 yes yes]", set("cora", "ada"), set("ada", "dora"), set("ben", "ada"))
	late := set("ben", "cora")
	late.Design = 6
	setPairs("by an old design", "[no 7]", late)

	want := []string{}
	for _, w := range []struct {
		*factsql.PairWritten
		from, to string
	}{{first[0], "cora", "ada"}, {first[3], "ada", "ben"}, {second[1], "ada", "dora"}, {second[2], "ben", "ada"}} {
		if w.From != s.ids[w.from] || w.To != s.ids[w.to] || w.Kind != plan.Set {
			t.Errorf("%s to %s: %+v", w.from, w.to, *w.PairWritten)
		}
		want = append(want, fmt.Sprintf("%d: %s %s → %s, %d 9 +1, %d 8 +1", w.Position, w.from, w.from, w.to,
			w.To, w.From))
	}
	got, err := storetest.Texts(s.Store, `SELECT format('%s: %s %s, %s', j.seq, j.actor, j.detail,
			string_agg(format('%s %s +%s', d.doc, d.subject, d.amount), ', ' ORDER BY d.subject DESC))
		FROM journal j JOIN due d ON d.change = j.seq JOIN pairs p ON p.kind = 2 AND (p.a, p.b) = (SELECT f.n, t.n FROM
			documents f, documents t WHERE f.key || ' → ' || t.key = j.detail)
		GROUP BY j.seq ORDER BY j.seq`)
	if err != nil {
		t.Fatal(err)
	}
	if !slices.Equal(got, want) {
		t.Errorf("written:\n got %q\nwant %q", got, want)
	}
}

func TestWhichPairsAreSetByThemselves(t *testing.T) {
	s := newFollowing(t)
	plain := factsql.PairWrite{Pair: s.pair, From: "ada", To: "ben"}
	other := plain
	other.Design = 1
	if plain.Alike() == "" || plain.Alike() == other.Alike() {
		t.Errorf("%q, and by another design %q", plain.Alike(), other.Alike())
	}
	for what, change := range map[string]func(*factsql.PairWrite){
		"with fields":             func(w *factsql.PairWrite) { w.Fields = []byte("{}") },
		"one of a kind that ends": func(w *factsql.PairWrite) { w.Pair = &plan.Pair{Pair: w.Pair.Pair, Opposed: true} },
		"what a trigger sets":     func(w *factsql.PairWrite) { w.Change = 4 },
		"with oneself":            func(w *factsql.PairWrite) { w.To = w.From },
	} {
		w := plain
		if change(&w); w.Alike() != "" {
			t.Errorf("%s is set together with others", what)
		}
	}
}
