package tests

import (
	"encoding/json"
	"net/http"
	"strings"
	"testing"

	"yalvo/client"
)

func TestTheCommandProvesWhatIsStored(t *testing.T) {
	t.Parallel()
	w := start(t, marsh)
	for _, id := range []string{"ada", "ben", "cora"} {
		w.person(id)
	}
	w.yalvo("--settled", "pair", "follow", "ben", "ada").says(t, 0)
	w.yalvo("--settled", "add", "posts", "--id", "p1", "text=two bitterns", "birds=2", "seen=2031-04-05T06:07:08Z", "author=ada").says(t, 0)
	w.yalvo("--settled", "pair", "vote", "ben", "p1", "value=2").says(t, 0, "vote: ben → p1 is set")
	w.yalvo("pair", "vote", "ben", "p1", "value=7").says(t, 1, "/facts/value: 7 is none of -1, 1, 2")
	w.yalvo("pair", "vote", "cora", "p1").says(t, 1, `/facts/value: "value" must have a value`)

	w.yalvo("why", "home", "ben", "posts/p1").says(t, 0, "posts/p1 is in the home timeline of people/ben", "for  posted by people/ada", "follow: people/ben → people/ada", "stored, with 0 newer ones")
	w.yalvo("why", "home", "cora", "posts/p1").says(t, 0, "is not in the home timeline", "was never set", "against")
	w.yalvo("why", "posts/p1", "score").says(t, 0, "posts/p1 score = 2: sum of vote.to, from 1 source.", "people/ben")
	w.yalvo("why", "home", "ben", "people/ada").says(t, 1, `the entries of "home" are documents of "posts"`)
	w.yalvo("why", "posts/p1", "scoer").says(t, 1, `keeps no "scoer"`, "score")
	w.yalvo("places", "posts/p1").says(t, 0, "people.birds", "home", "timeline", "2")
	w.yalvo("places", "posts/p2").says(t, 1, "there is no document posts/p2")

	position := strings.Fields(w.yalvo("changes", "--limit", "3").out)
	w.yalvo("trace", position[len(position)-1]).says(t, 2, "is no position")
	w.yalvo("trace", "5").says(t, 0, "created posts/p1", "Settled after", "delivered to the home timelines: 1 row in 1 chunk")
	w.yalvo("trace", "99").says(t, 1, "there is no change 99")

	w.yalvo("audit").says(t, 0, "finished", "No drift: every duplicate is as the facts say.")
	w.SQL(`UPDATE kept SET "values" = "values" || '{"score": 9}' WHERE doc = (SELECT n FROM documents WHERE key = 'p1')`)
	w.yalvo("audit", "--of", "posts.score").says(t, 4, "1 row drifted, 0 of it mended", "different", "posts/p1", "9", "2")
	w.yalvo("audit", "--document", "people/ben").says(t, 0, "No drift")
	w.yalvo("audit", "mend", "2").says(t, 0, "1 row drifted, 1 of it mended", "yes")
	w.yalvo("audit", "list").says(t, 0, "posts.score", "None runs by itself.")
	w.yalvo("audit", "every", "6h").says(t, 0, "Everything is audited every 6h0m0s.")
	w.yalvo("audit", "every", "soon").says(t, 2, `"soon" is no duration`)
	w.yalvo("audit", "show", "first").says(t, 2, "is no number of an audit")
	w.yalvo("audit", "--of", "posts.scor").says(t, 1, `no duplicate "posts.scor"`, "posts.score")
	var found struct {
		Audit client.Audit
		Drift []client.Drift
	}
	if err := json.Unmarshal([]byte(w.yalvo("--json", "audit", "show", "2").out), &found); err != nil || len(found.Drift) != 1 || found.Drift[0].Mended == nil {
		t.Errorf("in JSON: %v, %+v", err, found)
	}

	w.yalvo("forget", "people/ada").says(t, 0, "people/ada is forgotten", "removed", "posts", "A search of every table has found nothing of it.")
	w.yalvo("forget", "people/ada").says(t, 1, "there is no document people/ada")
	w.yalvo("forget", "people/ada/posts").says(t, 1, `"people/ada/posts" is no path of a document`)
	w.yalvo("replay", "nothing", "--from", "1").says(t, 1, `the design has no trigger "nothing"`)
	w.yalvo("audit").says(t, 0, "No drift")
}

func TestBadQuestionsAreToldWhereAndWhat(t *testing.T) {
	t.Parallel()
	w := start(t, marsh)
	w.person("ada")
	w.person("ben")
	const js = "application/json"
	for _, c := range []struct {
		name, method, path, media, body string
		status                          int
		code, detail                    string
	}{
		{"an audit of an unknown duplicate", "POST", "/audits", js, `{"duplicate":"people.friends"}`, 404, "unknown-name", `no duplicate "people.friends"`},
		{"an audit of something else", "POST", "/audits", js, `{"what":"all"}`, 422, "invalid", ""},
		{"an audit of a number", "POST", "/audits", js, `{"duplicate":7}`, 422, "invalid", ""},
		{"an audit nobody began", "GET", "/audits/77", "", "", 404, "not-found", "there is no audit 77"},
		{"an audit without a number", "GET", "/audits/last", "", "", 400, "bad-request", "must be a whole number"},
		{"mending what was not audited", "POST", "/audits/77/mend", "", "", 404, "not-found", ""},
		{"a schedule of every second", "PUT", "/audits/schedule", js, `{"every_seconds":1}`, 422, "invalid", "once a minute at most"},
		{"a schedule of never before", "PUT", "/audits/schedule", js, `{"every_seconds":-1}`, 422, "invalid", ""},
		{"why, without an entry", "GET", "/why/entry?timeline=home&owner=ada", "", "", 400, "bad-request", "the query needs entry"},
		{"why, in an unknown timeline", "GET", "/why/entry?timeline=hme&owner=ada&entry=posts/p1", "", "", 404, "unknown-name", `no timeline "hme"`},
		{"why, for nobody", "GET", "/why/entry?timeline=home&owner=zoe&entry=posts/p1", "", "", 404, "not-found", "people/zoe"},
		{"why, of no document", "GET", "/why/kept?document=people&name=birds", "", "", 422, "invalid", `"people" is no path`},
		{"places of nothing", "GET", "/places?document=pools/p", "", "", 404, "unknown-name", `no collection "pools"`},
		{"a cascade of a word", "GET", "/changes/first/cascade", "", "", 400, "bad-request", "a whole number"},
		{"a cascade of the future", "GET", "/changes/4711/cascade", "", "", 404, "not-found", "there is no change 4711"},
		{"a pair with fields it has not", "PUT", "/pairs/follow/ada/ben", js, `{"facts":{"value":1}}`, 422, "invalid", ""},
		{"a pair with a body that is none", "PUT", "/pairs/vote/ada/p1", js, `{"value":1}`, 422, "invalid", ""},
		{"forgetting nobody", "POST", "/forgotten", js, `{"document":"people/zoe"}`, 404, "not-found", "people/zoe"},
		{"forgetting nothing", "POST", "/forgotten", js, `{}`, 422, "invalid", ""},
		{"a report of nothing", "GET", "/forgotten/9", "", "", 404, "not-found", "under number 9"},
		{"a replay of nothing", "POST", "/triggers/t/replay", js, `{"from":0}`, 404, "unknown-name", `no trigger "t"`},
		{"a replay from nowhere", "POST", "/triggers/t/replay", js, `{"from":"now"}`, 422, "invalid", ""},
	} {
		t.Run(c.name, func(t *testing.T) {
			p := w.raw(c.method, c.path, c.media, c.body)
			if p.Status != c.status || p.Code != c.code || !strings.Contains(p.Detail, c.detail) {
				t.Errorf("got %d %s: %s", p.Status, p.Code, p.Detail)
			}
		})
	}
	same(t, "what was written", w.Number("SELECT count(*) FROM pairs"), 0)
	if resp, err := http.DefaultClient.Do(w.Request("GET", "/v1/audits", "")); err != nil || resp.StatusCode != http.StatusOK {
		t.Errorf("audits: %v", err)
	} else if err := resp.Body.Close(); err != nil {
		t.Error(err)
	}
}

// Twenty clients set and unset one pair at once: one clear state, counted once.
func TestAPairThatManyTouchAtOnceEndsInOneState(t *testing.T) {
	t.Parallel()
	w := marshDwellers(t)
	w.sighting("ada", "p1", 1)
	if err := each(20, func(i int) error {
		for range 10 {
			if _, err := w.SetWith(t.Context(), "vote", "ben", "p1", map[string]any{"value": []int{-1, 1, 2}[i%3]}); err != nil {
				return err
			}
			if _, err := w.Unset(t.Context(), "vote", "ben", "p1"); err != nil {
				return err
			}
		}
		return nil
	}); err != nil {
		t.Fatal(err)
	}
	same(t, "nobody votes", w.get("posts/p1").Kept["score"], 0)
	must(w.SetWith(t.Context(), "vote", "ben", "p1", map[string]any{"value": 2}))(t)
	must(w.Set(t.Context(), "vote", "ben", "p1"))(t) // without fields: they stay
	same(t, "one vote", w.get("posts/p1").Kept["score"], 2)
	must(w.SetWith(t.Context(), "vote", "ben", "p1", map[string]any{"value": -1}))(t)
	same(t, "the other way", w.get("posts/p1").Kept["score"], -1)
	same(t, "ups", w.get("posts/p1").Kept["ups"], 0)
	w.auditFindsNothing()
}

// each runs something many times at once and returns the first error.
func each(many int, do func(i int) error) error {
	errs := make(chan error, many)
	for i := range many {
		go func() { errs <- do(i) }()
	}
	var first error
	for range many {
		if err := <-errs; err != nil && first == nil {
			first = err
		}
	}
	return first
}
