package tests

import (
	"fmt"
	"math/rand/v2"
	"net/url"
	"regexp"
	"slices"
	"strconv"
	"strings"
	"sync"
	"testing"

	"yalvo/client"
	"yalvo/demo"
	"yalvo/internal/design"
)

// screen is a page as somebody asks for it.
type screen struct{ as, path string }

// sealed is where a page goes on, which is written differently each time.
var sealed = regexp.MustCompile(`"next":"[^"]*"`)

// seen is what is answered.
func (w world) seen(s screen) string {
	resp, text := w.ask("GET", s.path, "", "", "Yalvo-As", s.as, "Accept-Encoding", "identity")
	return resp.Status + " " + sealed.ReplaceAllString(string(text), `"next":"…"`)
}

// readersAtOnce asks for pages one after the other and then all at once again and again, and
// compares. It returns how many were read by one statement for several.
func (w world) readersAtOnce(screens []screen, times int) int {
	w.t.Helper()
	alone := make([]string, len(screens))
	for i, s := range screens {
		if alone[i] = w.seen(s); !strings.HasPrefix(alone[i], "200") && !strings.HasPrefix(alone[i], "404") {
			w.t.Fatalf("%s as %s: %s", s.path, s.as, alone[i])
		}
	}
	before := w.pagesTogether()
	var group sync.WaitGroup
	for i, s := range screens {
		group.Go(func() {
			for range times {
				if got := w.seen(s); got != alone[i] {
					w.t.Errorf("%s as %s, with others:\n got %s\nwant %s", s.path, s.as, got, alone[i])
					return
				}
			}
		})
	}
	group.Wait()
	return w.pagesTogether() - before
}

func (w world) pagesTogether() int {
	w.t.Helper()
	_, text := w.ask("GET", "/metrics", "", "", "Accept-Encoding", "identity")
	_, after, _ := strings.Cut(string(text), "\nyalvo_pages_read_together_total ")
	many, _, _ := strings.Cut(after, "\n")
	n, err := strconv.Atoi(many)
	if err != nil {
		w.t.Fatalf("%v in %.300s", err, text)
	}
	return n
}

// pagesAtOnce asks for every timeline and every list as many callers at once.
func (th *throng) pagesAtOnce(m *model, r *rand.Rand) {
	pick := func(c *design.Collection) *thing {
		if all := m.all(c); len(all) > 0 {
			return all[r.IntN(len(all))]
		}
		return nil
	}
	together := 0
	each := func(page func() string) {
		var screens []screen
		for range min(24, 8+*operations/40) {
			as := callerIn(nil)
			if me := pick(th.design.Accounts); me != nil && r.IntN(6) > 0 {
				as = me.key
			}
			screens = append(screens, screen{as, page()})
		}
		together += th.readersAtOnce(screens, 3)
	}
	for _, t := range th.design.Timelines {
		each(func() string { return fmt.Sprintf("/v1/timelines/%s/%s?limit=5", t.Name, keyIn(pick(t.Owner))) })
	}
	for _, l := range th.design.Lists {
		query := url.Values{"limit": {"6"}}
		for _, p := range l.Params {
			query.Set(p.Name, fmt.Sprint(th.anyValue(r, p)))
		}
		if looks := l.Looks(); looks != "" {
			query.Set(looks, "text")
		}
		path := "/v1/lists/" + l.Name
		if l.Owner() != nil {
			path += "/" + keyIn(pick(l.Owner()))
		}
		each(func() string { return path + "?" + query.Encode() })
	}
	th.t.Logf("%d pages were read together with others", together)
}

// Whoever reads at the same time as others, and whoever these are, has the page that they would
// have by themselves.
func TestPagesReadTogetherAreThoseReadAlone(t *testing.T) {
	t.Parallel()
	w := start(t, string(demo.Design))
	const many = 70
	name := func(i int) string { return fmt.Sprintf("m%02d", i%many) }
	var all []client.Write
	for i := range many {
		all = append(all, client.Creating("members", name(i), map[string]any{"handle": name(i), "name": "N"}))
	}
	for i := range many {
		id := fmt.Sprint("s", i)
		all = append(all, client.Creating("sightings", id, map[string]any{"author": name(i), "text": "a heron",
			"species": []string{"Heron"}, "birds": i + 1}),
			client.Setting("like", name(i+3), id, nil), client.Setting("block", name(i), name(i+30), nil))
		for k := 1; k <= 5; k++ {
			all = append(all, client.Setting("follow", name(i), name(i+k), nil))
		}
		for k := range 60 * (i % 10 / 9) { // a few are in so many blocks that each is looked for
			all = append(all, client.Setting("block", name(i), name(i+k+5), nil))
		}
	}
	for some := range slices.Chunk(all, 400) {
		if _, _, err := w.Batch(t.Context(), some...); err != nil {
			t.Fatal(err)
		}
	}
	w.Settle()
	for what, path := range map[string]string{
		"a timeline":          "/v1/timelines/home/%s?limit=4",
		"one with likes":      "/v1/timelines/home/%s?limit=4&marks=liked",
		"everyone's":          "/v1/lists/everyone?marks=liked&limit=10",
		"a list of one":       "/v1/lists/page/m05?marks=liked&limit=10",
		"by a parameter":      "/v1/lists/flocks?least=20&limit=10",
		"by a beginning":      "/v1/lists/handles?starts=m&limit=10",
		"by words":            "/v1/lists/mentions?words=heron&limit=10",
		"with what they show": "/v1/lists/everyone?with=author&fields=text&limit=10",
	} {
		var screens []screen
		for i := 1; i < many; i += 4 {
			screens = append(screens, screen{name(i), strings.Replace(path, "%s", name(i), 1)})
		}
		if got := w.readersAtOnce(screens, 3); got == 0 {
			t.Errorf("%s: no page was read together with others", what)
		} else {
			t.Logf("%s: %d pages were read together", what, got)
		}
	}
}
