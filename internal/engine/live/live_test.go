package live

import (
	"encoding/json"
	"fmt"
	"math/rand/v2"
	"slices"
	"testing"
	"time"
)

func item(path string, fact, count int) Item {
	kept := fmt.Sprintf(`{"likes":%d}`, count)
	return Item{
		path,
		json.RawMessage(fmt.Sprintf(`{"path":%q,"facts":{"n":%d},"kept":%s,"marks":null}`, path, fact, kept)),
		json.RawMessage(kept),
	}
}

// follow does what events say.
func follow(t *testing.T, shown []Item, events []Event) []Item {
	t.Helper()
	shown = slices.Clone(shown)
	find := func(path string) int { return slices.IndexFunc(shown, func(i Item) bool { return i.Path == path }) }
	put := func(after string, one Item) {
		at := 0
		if after != "" {
			if at = find(after) + 1; at == 0 {
				t.Fatalf("%s is to stand after %s, which is not there", one.Path, after)
			}
		}
		shown = slices.Insert(shown, at, one)
	}
	for _, e := range events {
		at := find(e.Path)
		if (at < 0) != (e.Kind == Added) {
			t.Fatalf("%+v, and it is at %d", e, at)
		}
		switch e.Kind {
		case Removed:
			shown = slices.Delete(shown, at, at+1)
		case Added:
			put(e.After, *e.Item)
		case Moved:
			one := shown[at]
			shown = slices.Delete(shown, at, at+1)
			put(e.After, one)
		case Changed, Counts:
			shown[at] = *e.Item
		}
	}
	return shown
}

// Whatever page becomes whatever other, following the events makes one out of the other.
func TestEventsMakeOnePageOutOfTheOther(t *testing.T) {
	seed := uint64(time.Now().UnixNano())
	t.Log("seed", seed)
	r := rand.New(rand.NewPCG(seed, 0))
	page := func(from []Item) []Item {
		var to []Item
		for _, one := range from {
			switch r.IntN(8) {
			case 0:
			case 1:
				to = append(to, item(one.Path, r.IntN(3), r.IntN(3)))
			default:
				to = append(to, one)
			}
		}
		for range r.IntN(4) {
			if path := fmt.Sprint("posts/", r.IntN(30)); !slices.ContainsFunc(
				to,
				func(i Item) bool { return i.Path == path },
			) {
				to = slices.Insert(to, r.IntN(len(to)+1), item(path, 0, 0))
			}
		}
		for range r.IntN(3) {
			if len(to) > 1 {
				i, j := r.IntN(len(to)), r.IntN(len(to))
				to[i], to[j] = to[j], to[i]
			}
		}
		return to
	}
	var was []Item
	for range 1000 {
		is := Page{Items: page(was), More: r.IntN(2) == 0}
		events := Since(Remember(Page{Items: was}), is)
		got := follow(t, was, events)
		if fmt.Sprint(got) != fmt.Sprint(is.Items) {
			t.Fatalf("%v became %v, and following %v makes %v", was, is.Items, events, got)
		}
		if len(events) == 0 != (fmt.Sprint(was) == fmt.Sprint(is.Items)) {
			t.Fatalf("%v became %v, and the events are %v", was, is.Items, events)
		}
		was = is.Items
	}
}

func TestAnEventSaysWhatHappened(t *testing.T) {
	a, b, c := item("a", 1, 1), item("b", 1, 1), item("c", 1, 1)
	for what, x := range map[string]struct {
		was, is []Item
		more    bool
		want    string
	}{
		"a like":                  {[]Item{a, b}, []Item{a, item("b", 1, 2)}, false, "counts b"},
		"an edit":                 {[]Item{a, b}, []Item{item("a", 2, 1), b}, false, "changed a"},
		"an edit and a like":      {[]Item{a}, []Item{item("a", 2, 2)}, false, "changed a"},
		"a new one on top":        {[]Item{a, b}, []Item{c, a, b}, false, "added c"},
		"a new one pushes others": {[]Item{a, b}, []Item{c, a}, true, "removed b beyond, added c"},
		"one that went":           {[]Item{a, b}, []Item{b}, true, "removed a"},
		"the last that went":      {[]Item{a, b}, []Item{a}, false, "removed b"},
		"the last comes first":    {[]Item{a, b, c}, []Item{c, a, b}, false, "moved c"},
		"nothing":                 {[]Item{a, b}, []Item{a, b}, false, ""},
	} {
		got := ""
		for i, e := range Since(Remember(Page{Items: x.was}), Page{Items: x.is, More: x.more}) {
			if i > 0 {
				got += ", "
			}
			got += string(e.Kind) + " " + e.Path
			if e.Beyond {
				got += " beyond"
			}
		}
		if got != x.want {
			t.Errorf("%s: %s, want %s", what, got, x.want)
		}
	}
}

func TestWhatIsShownHasAName(t *testing.T) {
	a, b := item("a", 1, 1), item("b", 1, 1)
	id := func(more bool, items ...Item) string { return Remember(Page{Items: items, More: more}).ID() }
	names := []string{id(false), id(true), id(false, a), id(false, b), id(false, a, b), id(false, b, a), id(true, a, b),
		id(false, item("a", 1, 2), b)}
	for i, name := range names {
		if slices.Index(names, name) != i {
			t.Errorf("two pages are called %s", name)
		}
	}
	if again := id(false, item("a", 1, 1), item("b", 1, 1)); again != names[4] {
		t.Errorf("one page is called %s and %s", again, names[4])
	}
}
