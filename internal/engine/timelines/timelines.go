package timelines

import (
	"context"
	"encoding/json"
	"errors"
	"slices"
	"strconv"
	"time"

	lru "github.com/hashicorp/golang-lru/v2"

	"yalvo/internal/design"
	"yalvo/internal/design/access"
	"yalvo/internal/design/plan"
	"yalvo/internal/engine/documents"
	"yalvo/internal/engine/gathering"
	"yalvo/internal/engine/memory"
	"yalvo/internal/engine/running"
	"yalvo/internal/engine/store"
	"yalvo/internal/engine/store/factsql"
	"yalvo/internal/engine/store/readsql"
	"yalvo/internal/engine/store/rulesql"
	"yalvo/internal/engine/store/timelinesql"
)

// Reader reads timelines.
type Reader struct {
	*documents.Reader
	memory     *memory.Memory // what entries show
	owners     *owners        // whose timelines were read lately
	pairs      memory.Pairs   // for whom pairs are looked for one by one
	statements *statements    // of pages
	together   gathering.Batcher[*timelinesql.PlacesQuery, timelinesql.Place]
}

// New makes a reader with what it remembers of what entries show.
func New(r *documents.Reader, m *memory.Memory) (*Reader, error) {
	t := &Reader{Reader: r, memory: m}
	t.together.Log = r.Log
	var errs [3]error
	t.owners, errs[0] = lru.New[store.Address, factsql.Owner](r.Remember("owners", ownersKnown))
	t.pairs, errs[1] = memory.NewPairs(r.Remember("pairs", memory.Looks))
	t.statements, errs[2] = lru.New[statementKey, prepared](r.Remember("statements", statementsKnown))
	return t, errors.Join(errs[:]...)
}

// Together is how many pages have been read together with those of other readers, by one statement for all.
func (r *Reader) Together() int64 { return r.together.Together() }

// Entry is an entry of a timeline as its owner sees it.
type Entry struct {
	ID     string          `json:"id"`
	Path   string          `json:"path"`
	At     time.Time       `json:"at"`
	Author string          `json:"author"` // the author's key
	Facts  json.RawMessage `json:"facts"`  // what the entry carries of the document's facts
	Kept   json.RawMessage `json:"kept"`   // what it carries of the document's kept values

	Building []string `json:"building,omitempty"` // of these, what is being derived anew

	key    string
	values map[string]any             // of the document, as rules see it; nil where the design has none
	links  map[string]json.RawMessage // its references, where kept values of it are judged when they are read
}

// Entries is a page of a timeline.
type Entries struct {
	Entries []*Entry // others may hold them too: nobody changes them
	Next    *documents.Page

	By string // the reference that leads to an entry's author
	documents.Markable

	passed  int  // how many places were looked at for it
	further bool // some of them beyond where the timeline was cut
}

// MadeOf tells what a page was made of: how many places were looked at for it, and whether some lay beyond
// where the timeline was cut. It is for who watches it, and nothing that readers are told.
func (e Entries) MadeOf() (places int, further bool) { return e.passed, e.further }

// Request asks for somebody's timeline.
type Request struct {
	Name  string
	Owner string   // their key
	Marks []string // how the viewer's account is paired with each entry: by what names
}

// Timeline reads a page of an owner's timeline, newest first: as many entries as its length, of those
// that the viewer may read. Pages are cut by the length as it was when the first of them was read.
func (r *Reader) Timeline(ctx context.Context, who running.Viewer, ask Request, page documents.Page) (Entries, error) {
	v, err := r.Now(ctx)
	if err != nil {
		return Entries{}, err
	}
	t, err := v.Readable(ask.Name)
	if err != nil {
		return Entries{}, err
	}
	looks, err := r.lookingAt(ctx, v, t, who, ask)
	if err != nil {
		return Entries{}, err
	}
	limit := min(page.Limit, t.Length-page.Given)
	room := max(limit, 0)
	out := Entries{By: t.By.Name, Entries: make([]*Entry, 0, room),
		Markable: documents.Markable{Of: t.Entries, Rows: make([]int64, 0, room), Keys: make([]string, 0, room)}}
	place, bytes := page.After, 0
	passed, ended := 0, limit <= 0
	for least := 0; len(out.Entries) < limit && passed < documents.MostJudged; least = min(2*least+limit,
		documents.ChunkJudged) {
		want := limit - len(out.Entries)
		if looks.Judge != nil {
			want = max(want, least) // where much is passed over, more is looked at
		}
		since := r.memory.Since(ctx)
		places, err := r.places(ctx, looks, since, place, want)
		if err != nil {
			return Entries{}, err
		}
		entries, err := r.show(ctx, v, t, since, places)
		if err == nil {
			entries, err = looks.seen(places, entries)
		}
		if errors.Is(err, access.ErrBudget) && passed > 0 { // it goes on with the next request
			break
		}
		if err != nil {
			return Entries{}, err
		}
		full := false
		for i, e := range entries {
			if full = bytes >= store.PageBytes || len(out.Entries) == limit; full {
				break
			}
			place = documents.Boundary{Rank: places[i].Rank, N: places[i].Doc}
			passed++
			if e != nil {
				out.Entries, out.Rows = append(out.Entries, e), append(out.Rows, places[i].Doc)
				out.Keys = append(out.Keys, e.key)
				looks.marked(len(out.Keys)-1, places[i].MarksFound)
				bytes += len(e.Facts) + len(e.Kept)
			}
		}
		if full || len(entries) < len(places) {
			break
		}
		if ended = len(places) < want; ended {
			more, err := looks.goFurther(ctx, r)
			if err != nil {
				return Entries{}, err
			}
			if ended = !more; ended {
				break
			}
		}
	}
	out.passed, out.further = passed, looks.further
	// Whether a full page is the last is found out by the next one: to look for more now, where something was
	// passed over and not where nothing was, would tell that.
	if given := page.Given + len(out.Entries); given < t.Length && (!ended || limit > 0 && len(out.Entries) == limit) {
		out.Next = &documents.Page{After: place, Given: given, Limit: page.Limit}
	}
	if looks.accounted {
		out.Marks, err = r.ShowMarks(looks.Judge, who, looks.asked.Marks, looks.marks, out.Keys)
	}
	return out, err
}

// goFurther has what a timeline was cut by collected from its authors, if entries that the viewer may not read
// have taken the places of others. It tells whether there may be more.
func (l *looking) goFurther(ctx context.Context, r *Reader) (bool, error) {
	if l.Judge == nil || l.further || l.t.Deliver == "pull" {
		return false, nil
	}
	cut, err := timelinesql.IsCut(ctx, r.Store, l.t, running.Address(l.t.Owner, l.owner))
	if err != nil || !cut {
		return false, err
	}
	l.further = true
	pulled := *l.t.Timeline
	pulled.Deliver = "pull"
	t := *l.t
	t.Timeline = &pulled
	l.t = &t
	return true, nil
}

// places are some entries of the owner with the number that it had last time. If
// there are none, that may have been another document of the same key.
func (r *Reader) places(ctx context.Context, l *looking, since readsql.Since, after store.Boundary,
	want int) ([]timelinesql.Place, error) {
	t, owner := l.t, l.owner
	at := store.Address{Collection: t.Owner.Number, Key: owner}
	known, _ := r.owners.Get(at)
	read := func(owner factsql.Owner) ([]timelinesql.Place, error) {
		reader := memory.Look{At: t.Name, Me: l.me}
		return memory.Sparing(r.pairs, reader, func(many rulesql.Pairings) ([]timelinesql.Place, error) {
			f, err := r.statement(l, many)
			if err != nil {
				return nil, err
			}
			q := timelinesql.TimelinePage{Timeline: t, At: at, Me: l.me, Owner: owner, After: after, Limit: want,
				MarksAsked: l.asked, Since: since}.In(f)
			return r.together.Ask(ctx, q.Alike(), q, r.placed, r.placedTogether)
		})
	}
	if known.N != 0 {
		places, err := read(known)
		if err != nil || len(places) > 0 {
			return places, err
		}
	}
	is, err := factsql.FindOwner(ctx, r.Store, at)
	if err == nil && is.N == 0 {
		err = running.NotFound(t.Owner, owner)
	}
	if err != nil || is == known {
		return nil, err
	}
	r.owners.Add(at, is)
	return read(is)
}

// carried shows what the timeline carries of a document; all of it if the
// design's carry is empty.
func carried(t *plan.Timeline, row timelinesql.Entry) (Entry, error) {
	entry := Entry{ID: running.IDOf(row.Key), Path: t.Entries.Path(row.Key), At: row.Created.UTC()}
	if t.Entries.Upcast != nil && row.Shape != t.Entries.Shape {
		row.Fields = t.Entries.Upcast(row.Fields, row.Created)
	}
	if t.Entries.Building != nil {
		var building []string
		row.Kept, building = running.Finished(t.Entries, row.Kept)
		entry.Building = slices.DeleteFunc(building, func(name string) bool {
			return !carries(t, []byte(strconv.Quote(name)), true)
		})
	}
	both := make([]byte, 0, len(row.Fields)+len(row.Kept))
	both, err := running.Sift(both, row.Fields, func(name []byte, value json.RawMessage) bool {
		if value[0] == '"' && running.IsNamed(name, t.By.Name) {
			entry.Author = string(value[1 : len(value)-1])
		}
		return carries(t, name, false)
	})
	if err != nil {
		return Entry{}, err
	}
	entry.Facts = both
	both, err = running.Sift(both, row.Kept, func(name []byte, _ json.RawMessage) bool {
		return carries(t, name,
			true)
	})
	entry.Kept = both[len(entry.Facts):]
	return entry, err
}

func carries(t *plan.Timeline, name []byte, kept bool) bool {
	return len(t.Carry) == 0 || slices.ContainsFunc(t.Carry,
		func(c design.Part) bool { return (c.Kept != nil) == kept && running.IsNamed(name, c.Name()) })
}

func (r *Reader) placed(ctx context.Context, q *timelinesql.PlacesQuery) ([]timelinesql.Place, error) {
	return timelinesql.Places(ctx, r.Store, q)
}

func (r *Reader) placedTogether(ctx context.Context, readers []*timelinesql.PlacesQuery) ([][]timelinesql.Place,
	error) {
	return timelinesql.PlacesTogether(ctx, r.Store, readers)
}
