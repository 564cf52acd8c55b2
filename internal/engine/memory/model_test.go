package memory

import (
	"fmt"
	"maps"
	"math"
	"slices"
	"testing"
	"time"

	"pgregory.net/rapid"

	"yalvo/internal/engine/running"
	"yalvo/internal/engine/store/readsql"
	"yalvo/internal/engine/store/rulesql"
)

// database is what PostgreSQL does that memories rely on: rows and notes of one transaction are seen together,
// transactions have numbers in the order in which they begin, and commit in any; notes are dropped after a
// while, and a crash takes them all.
type database struct {
	next  int64                        // the number of the next transaction
	open  map[int64]map[int64][2]int64 // by transactions under way, by document: their rows
	rows  map[int64][2]int64           // of each document, the numbers that its two rows were written by
	notes []note                       // committed
	epoch int64                        // 0: none has begun
	from  [2]int64                     // notes are there from the first number on; the second is to be the next first
}

type note struct{ doc, xid int64 }

// xmin is the number before which all transactions have ended.
func (db *database) xmin() int64 {
	low := db.next
	for xid := range db.open {
		low = min(low, xid)
	}
	return low
}

func (db *database) moment() readsql.Since { return readsql.Since{Xid: db.xmin(), Epoch: db.epoch} }

// since is which documents were written since a moment, by notes that are there; false if that is not known.
func (db *database) since(s readsql.Since) (map[int64]int64, bool) {
	if db.epoch == 0 || s.Epoch != db.epoch || db.from[0] > s.Xid {
		return nil, false
	}
	docs := map[int64]int64{}
	for _, n := range db.notes {
		if n.xid >= s.Xid {
			docs[n.doc] = max(docs[n.doc], n.xid)
		}
	}
	return docs, true
}

// written is [readsql.RewrittenSince].
func (db *database) written(s readsql.Since) readsql.Rewritten {
	if db.epoch == 0 {
		db.epoch = 1000 + db.next
		db.from = [2]int64{db.xmin(), db.xmin()}
		return readsql.Rewritten{}
	}
	docs, known := db.since(s)
	out := readsql.Rewritten{Next: db.moment(), All: known}
	for doc, xid := range docs {
		out.Docs, out.Xids = append(out.Docs, doc), append(out.Xids, xid)
	}
	return out
}

// crash undoes what has not been committed, and empties what is not logged.
func (db *database) crash() {
	db.open, db.notes, db.epoch = map[int64]map[int64][2]int64{}, nil, 0
	db.next++
}

// service is one with its memory. Its pages and its asking for news take their time: others come between.
type service struct {
	*Memory
	era   running.Era
	pages []*page
	news  []*readsql.Rewritten // asked for and not yet taken in; at most one
}

// openPage begins a page that shows some documents.
func (s *service) openPage(docs ...int64) *page {
	last, use, _ := s.moment(time.Time{})
	if !use {
		last = readsql.Since{}
	}
	p := &page{era: s.era, since: last, docs: docs}
	s.pages = append(s.pages, p)
	return p
}

// page is one that is being read.
type page struct {
	era   running.Era
	since readsql.Since
	docs  []int64
	asked []Asked            // once the statement for the places has run
	saw   map[int64][2]int64 // what was there then
	read  map[int64]Learned  // once what was not known has been read
}

// What a memory hands to a page is never older than what the page's own statement saw, whoever wrote, committed
// late, took back or crashed, whatever notes were dropped, and however two services' pages lie between one another.
func TestWhatIsKnownIsNeverOlderThanThePage(t *testing.T) {
	t.Parallel()
	var known, unwritten, pages int
	rapid.Check(t, func(t *rapid.T) {
		db := &database{next: 10, open: map[int64]map[int64][2]int64{}, rows: map[int64][2]int64{}}
		docs := rapid.Int64Range(1, 2)
		for doc := range int64(5) {
			db.rows[doc] = [2]int64{1, 1}
		}
		var services []*service
		for range 2 {
			m, err := New(Bytes, nil)
			if err != nil {
				t.Fatal(err)
			}
			services = append(services, &service{Memory: m})
		}
		any := func(t *rapid.T) *service { return rapid.SampledFrom(services).Draw(t, "service") }
		pageThrough := func(t *rapid.T, s *service, p *page) {
			switch {
			case p.asked == nil:
				p.look(db)
			case p.read == nil:
				got, sure := p.know(t, s, db)
				known, unwritten, pages = known+got, unwritten+sure, pages+1
			default:
				for _, doc := range slices.Sorted(maps.Keys(p.read)) {
					s.Learn(p.era, p.read[doc])
				}
				s.pages = slices.DeleteFunc(s.pages, func(other *page) bool { return other == p })
			}
		}
		actions := map[string]func(*rapid.T){
			"begin": func(*rapid.T) {
				if len(db.open) < 3 {
					db.open[db.next] = map[int64][2]int64{}
					db.next++
				}
			},
			"write": func(t *rapid.T) {
				if len(db.open) == 0 {
					t.Skip("nobody writes")
				}
				xid := rapid.SampledFrom(slices.Sorted(maps.Keys(db.open))).Draw(t, "transaction")
				doc, row := docs.Draw(t, "document"), rapid.IntRange(0, 1).Draw(t, "row")
				for other, wrote := range db.open {
					if _, locked := wrote[doc]; locked && other != xid {
						t.Skip("another holds it")
					}
				}
				is, begun := db.open[xid][doc]
				if !begun {
					is = db.rows[doc]
				}
				is[row] = xid
				db.open[xid][doc] = is
			},
			"write at once": func(t *rapid.T) {
				doc := docs.Draw(t, "document")
				for _, wrote := range db.open {
					if _, locked := wrote[doc]; locked {
						t.Skip("another holds it")
					}
				}
				is := db.rows[doc]
				is[rapid.IntRange(0, 1).Draw(t, "row")] = db.next
				db.rows[doc], db.notes = is, append(db.notes, note{doc, db.next})
				db.next++
			},
			"end": func(t *rapid.T) {
				if len(db.open) == 0 {
					t.Skip("nobody writes")
				}
				xid := rapid.SampledFrom(slices.Sorted(maps.Keys(db.open))).Draw(t, "transaction")
				if rapid.IntRange(0, 3).Draw(t, "commits") > 0 {
					for doc, is := range db.open[xid] {
						db.rows[doc] = is
						db.notes = append(db.notes, note{doc, xid})
					}
				}
				delete(db.open, xid)
			},
			"drop notes": func(*rapid.T) {
				db.from = [2]int64{min(db.from[1], db.xmin()), db.xmin()}
				db.notes = slices.DeleteFunc(db.notes, func(n note) bool { return n.xid < db.from[0] })
			},
			"crash": func(t *rapid.T) {
				if rapid.IntRange(0, 9).Draw(t, "crashes") > 0 {
					t.Skip("not now")
				}
				db.crash()
				for _, s := range services {
					if rapid.Bool().Draw(t, "noticed") {
						s.era.Outages++
					}
				}
			},
			"ask for news": func(t *rapid.T) {
				s := any(t)
				last, _, ask := s.moment(time.Now().Add(time.Hour))
				if !ask {
					t.Skip("it is asked for")
				}
				got := db.written(last)
				s.news = []*readsql.Rewritten{&got}
				if rapid.IntRange(0, 9).Draw(t, "heard") == 0 {
					s.news[0] = nil
				}
			},
			"take in news": func(t *rapid.T) {
				s := any(t)
				if len(s.news) == 0 {
					t.Skip("there are none")
				}
				s.take(s.news[0], 0)
				s.news = nil
			},
			"open a page": func(t *rapid.T) {
				s := any(t)
				if len(s.pages) == 2 {
					t.Skip("enough are read")
				}
				s.openPage(rapid.SliceOfNDistinct(docs, 1, 2, rapid.ID[int64]).Draw(t, "shows")...)
			},
			"go on with a page": func(t *rapid.T) {
				s := any(t)
				if len(s.pages) == 0 {
					t.Skip("nobody reads")
				}
				pageThrough(t, s, rapid.SampledFrom(s.pages).Draw(t, "page"))
			},
			"read a page and hear news": func(t *rapid.T) {
				s := any(t)
				p := s.openPage(docs.Draw(t, "shows"))
				for range 3 {
					pageThrough(t, s, p)
				}
				if len(s.news) == 0 {
					last, _, _ := s.moment(time.Now().Add(time.Hour))
					got := db.written(last)
					s.take(&got, 0)
				}
			},
		}
		for _, often := range []string{"go on with a page", "open a page", "ask for news", "take in news"} {
			actions[often+" again"] = actions[often]
			actions[often+" and again"] = actions[often]
		}
		for range 100 {
			t.Repeat(actions)
		}
	})
	t.Logf("%d pages, of whose documents %d were known, %d of these unwritten", pages, known, unwritten)
	if known < pages/10 || unwritten < pages/100 {
		t.Error("little was known: this shows nothing")
	}
}

// look is the page's statement: of what was not written since its moment it is told that, of the rest the versions.
func (p *page) look(db *database) {
	p.saw = maps.Clone(db.rows)
	written, told := db.since(p.since)
	told = told && len(written) <= rulesql.FewRewritten
	for _, doc := range p.docs {
		a := Asked{Key: Key{1, doc}}
		if _, is := written[doc]; told && !is {
			a.Unwritten = true
		} else {
			a.Versions = versions(db.rows[doc])
		}
		p.asked = append(p.asked, a)
	}
}

// know asks the memory, and reads what it does not know.
func (p *page) know(t *rapid.T, s *service, db *database) (known, unwritten int) {
	p.read = map[int64]Learned{}
	for i, what := range s.Known(p.era, p.since, p.asked) {
		doc := p.docs[i]
		if what == nil {
			p.read[doc] = Learned{Key: Key{1, doc}, Versions: versions(db.rows[doc]), Seen: db.moment(),
				What: db.rows[doc], Size: Around}
			continue
		}
		known++
		if p.asked[i].Unwritten {
			unwritten++
		}
		is, saw := what.([2]int64), p.saw[doc]
		if is[0] < saw[0] || is[1] < saw[1] {
			t.Fatalf("document %d is shown as %v, and the page saw %v", doc, is, saw)
		}
	}
	return known, unwritten
}

func versions(of [2]int64) readsql.Versions {
	for _, n := range of {
		if n > math.MaxInt32 {
			panic(fmt.Sprint("no such transaction: ", n))
		}
	}
	return rows(uint32(of[0]), uint32(of[1]))
}
