package tests

import (
	"encoding/json"
	"fmt"
	"math"
	"math/rand/v2"
	"net/http"
	"os"
	"strconv"
	"strings"
	"testing"

	"yalvo/client"
	"yalvo/demo"
	"yalvo/internal/design/forecast"
	"yalvo/internal/design/language"
	"yalvo/internal/design/plan"
)

// A design is reviewed before anything is built: by the command, and by a service for whoever designs elsewhere.
func TestADesignIsReviewedBeforeItIsBuilt(t *testing.T) {
	t.Parallel()
	w := start(t, string(demo.Design))
	bad := changed(t, string(demo.Design), "length: 800", "length: 5000", "max: 600}", "max: 600, min: 0}",
		"text:   {type: string, required: true, min: 1, max: 400}", "text:   {type: string, required: true, min: 1} # any")
	file := designFile(t, bad)
	w.yalvo("check", file).says(t, 0, "2 findings:", "costly: endless-text: remarks.text", "costly: never-scrolled: home",
		"The timeline home holds 5,000 entries", "`--fix never-scrolled:home` writes it", "Accepted: no-index at liked_this_week")
	w.yalvo("check", file, "--fix", "endless-text").says(t, 0, "1 finding cured")
	w.yalvo("check", file, "--fix", "endless-text").says(t, 1, "there is no finding endless-text")
	w.yalvo("check", file, "--fix", "never-scrolled:home").says(t, 0, "1 finding cured")
	want := changed(t, bad, "min: 1} # any", "min: 1, max: 2000} # any", "length: 5000", "length: 800")
	same(t, "the cured file", string(must(os.ReadFile(file))(t)), want)
	w.yalvo("check", "-", "--fix", "endless-text").says(t, 2, "--fix writes into the file")

	review := func(path, body string, out any) int {
		resp, text := w.ask("POST", "/v1/design/"+path, "application/yaml", body)
		if err := json.Unmarshal(text, out); err != nil {
			t.Fatalf("%s: %v: %s", path, err, text)
		}
		return resp.StatusCode
	}
	var found struct {
		Findings []struct{ Code, Place, Accepted string }
		Errors   []struct{ Pointer, Detail string }
	}
	same(t, "the running one", review("findings", "", &found), http.StatusOK)
	if len(found.Findings) != 1 || found.Findings[0].Accepted == "" {
		t.Errorf("of the running design: %+v", found.Findings)
	}
	same(t, "another", review("findings?set=timelines.home.length=9000", bad, &found), http.StatusOK)
	if len(found.Findings) != 3 {
		t.Errorf("of another design: %+v", found.Findings)
	}
	same(t, "one that cannot be read", review("findings?set=timelines.home.length=many", bad, &found), http.StatusUnprocessableEntity)
	if len(found.Errors) != 1 || !strings.Contains(found.Errors[0].Detail, "length") {
		t.Errorf("what is wrong: %+v", found.Errors)
	}

	var forecast struct {
		Forecast struct {
			Accounts float64
			Actions  []struct {
				Name   string
				Upkeep map[string]struct{ Entries float64 }
			}
		}
		Detail string
	}
	entries := func() float64 {
		for _, a := range forecast.Forecast.Actions {
			if a.Name == "create sightings" {
				return a.Upkeep["largest"].Entries
			}
		}
		return -1
	}
	same(t, "a forecast", review("forecast?times=10", "", &forecast), http.StatusOK)
	same(t, "accounts", forecast.Forecast.Accounts, 20000.0)
	same(t, "timelines that the best-known reach", entries(), 15600.0)
	same(t, "what if", review("forecast?set=timelines.home.deliver=pull", "", &forecast), http.StatusOK)
	same(t, "timelines that they reach then", entries(), 0.0)
	var weighed struct {
		Alternatives []struct{ Place, Instead string }
		Deliveries   []struct{ Best struct{ Above float64 } }
	}
	same(t, "alternatives", review("alternatives?set=workload.opened.home=0.0001", "", &weighed), http.StatusOK)
	if len(weighed.Alternatives) < 10 || weighed.Alternatives[0].Place != "home" || weighed.Deliveries[0].Best.Above != 0 {
		t.Errorf("hardly read, and not collected: %+v", weighed)
	}
	same(t, "alternatives without a workload", review("alternatives", ponds, &forecast), http.StatusUnprocessableEntity)
	same(t, "too large", review("forecast?times=1e9", "", &forecast), http.StatusBadRequest)
	same(t, "set to nothing", review("forecast?set=home", "", &forecast), http.StatusBadRequest)
	same(t, "without a workload", review("forecast", ponds, &forecast), http.StatusUnprocessableEntity)
}

func TestTheCommandForecasts(t *testing.T) {
	t.Parallel()
	w := start(t, "")
	file := designFile(t, string(demo.Design))
	w.yalvo("forecast", file).says(t, 0, "2,000 accounts.", "create sightings", "home", "in all", "the fan-out that is stated", "128,000 accounts")
	w.yalvo("forecast", file, "--times", "100", "--csv").says(t, 0, "kind,name,level,per_day", "action,create sightings,largest", "stored,home,duplicate")
	w.yalvo("forecast", file, "--set", "workload.opened.hom=3").says(t, 1, `there is no screen "hom"; did you mean "home"?`)
	w.yalvo("forecast", file, "--set", "workload").says(t, 2, "is no PATH=VALUE")
	w.yalvo("forecast", file, "--times", "0").says(t, 2, "--times is more than 0")
	w.yalvo("forecast", designFile(t, ponds)).says(t, 1, "nothing is known of how much the app is used")
	beside := designFile(t, "accounts: 50\ndocuments: {posts: 100}\ndone: {posts: {create: 1}}\n")
	w.yalvo("forecast", designFile(t, ponds), "--workload", beside).says(t, 0, "50 accounts.", "create posts")
	w.yalvo("forecast", designFile(t, ponds), "--workload", designFile(t, "accounts: none\n")).says(t, 1, ":1:11: shape: accounts must be a number")
}

// What is measured from a running app, and forecast by that, is what the app then does: people chosen by chance do things
// chosen by chance, and rows are counted in the tables.
func TestAForecastIsWhatHappens(t *testing.T) {
	t.Parallel()
	w := wetland(t)
	r := rand.New(rand.NewPCG(seeded(t), 28))
	var members, sightings []string
	for _, list := range []struct {
		path string
		into *[]string
	}{{"members", &members}, {"sightings", &sightings}} {
		for cursor := ""; ; {
			page := must(w.List(t.Context(), list.path, client.Page{Limit: 200, Cursor: cursor}))(t)
			for _, d := range page.Documents {
				*list.into = append(*list.into, d.ID)
			}
			if cursor = page.Next; cursor == "" {
				break
			}
		}
	}
	d := must(language.Read("fenwatch.yaml", demo.Design))(t)
	before := must(language.ReadWorkload("measured.yaml", []byte(must(w.Workload(t.Context(), 7))(t)), d))(t)
	same(t, "accounts", before.Accounts, float64(len(members)))

	entries := func() float64 { return float64(w.Number("SELECT count(*) FROM entries")) }
	was, reads := entries(), 0.0
	read := func(path, as string) {
		resp, text := w.ask("GET", "/v1"+path, "", "", "Yalvo-As", as)
		if resp.StatusCode == http.StatusNotFound {
			return // a block
		}
		if resp.StatusCode != http.StatusOK {
			t.Fatalf("%s: %d %s", path, resp.StatusCode, text)
		}
		reads += must(strconv.ParseFloat(resp.Header.Get("Yalvo-Read"), 64))(t)
	}
	one := func(of []string) string { return of[r.IntN(len(of))] }
	const posts, looks = 300, 150
	for range looks {
		read("/screens/home", one(members))
		read("/screens/sighting/"+one(sightings), one(members))
	}
	var all []client.Write
	for i := range posts {
		all = append(all, client.Creating("sightings", fmt.Sprint("new", i), map[string]any{"author": one(members), "text": "a teal"}))
	}
	must2(w.Batch(t.Context(), all...))(t)
	w.Settle()
	f := forecast.Make(plan.New(d, plan.Counted()), before, forecast.Shipped, 1)
	agree := func(what string, is, said, within float64) {
		t.Helper()
		t.Logf("%s: %.0f, forecast %.0f", what, is, said)
		if math.Abs(is-said) > within*max(is, said) {
			t.Errorf("%s: %.1f, and %.1f were forecast", what, is, said)
		}
	}
	for _, a := range f.Actions {
		if a.Name == "create sightings" {
			// Each post is also in its author's own timeline, in the write itself. How many follow who posts is chance.
			agree("entries of timelines", entries()-was, posts*(a.Upkeep[forecast.Mean].Entries+a.Direct.Entries), 0.12)
		}
	}
	said := 0.0
	for _, s := range f.Screens {
		if s.Name == "home" || s.Name == "sighting" {
			said += looks * s.Reads[forecast.Mean].Documents
		}
	}
	agree("documents read", reads, said, 0.12)

	after := must(language.ReadWorkload("measured.yaml", []byte(must(w.Workload(t.Context(), 7))(t)), d))(t)
	agree("sightings", after.Documents["sightings"], before.Documents["sightings"]+posts, 0)
	if after.Opened["home"] == 0 || after.Opened["sighting"] == 0 || after.Opened["everyone"] != 0 {
		t.Errorf("opened: %v", after.Opened)
	}
	if after.Done["sightings"].Create <= before.Done["sightings"].Create {
		t.Errorf("created in a day: %v, before %v", after.Done["sightings"].Create, before.Done["sightings"].Create)
	}
}
