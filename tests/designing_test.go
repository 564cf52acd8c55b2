package tests

import (
	"encoding/json"
	"flag"
	"math"
	"net/http"
	"os"
	"path/filepath"
	"slices"
	"strings"
	"testing"
	"time"

	"yalvo/demo"
	"yalvo/internal/command/driving"
	"yalvo/internal/design"
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
	w.yalvo("check", file, "--fix", "endless-text", "--patch").says(t, 0, "@@", "min: 1, max: 2000} # any\n")
	same(t, "after a look at the patch", string(must(os.ReadFile(file))(t)), bad)
	w.yalvo("check", file, "--patch").says(t, 2, "name a finding")
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
	saves := slices.IndexFunc(weighed.Alternatives, func(a struct{ Place, Instead string }) bool { return strings.HasPrefix(a.Instead, "pull") })
	if len(weighed.Alternatives) < 10 || saves < 0 || saves > 1 || weighed.Deliveries[0].Best.Above != 0 {
		t.Errorf("hardly read, and not collected: %+v", weighed)
	}
	same(t, "alternatives without a workload", review("alternatives", ponds, &forecast), http.StatusUnprocessableEntity)
	same(t, "too large", review("forecast?times=1e9", "", &forecast), http.StatusBadRequest)
	same(t, "set to nothing", review("forecast?set=home", "", &forecast), http.StatusBadRequest)
	same(t, "without a workload", review("forecast", ponds, &forecast), http.StatusUnprocessableEntity)
}

// Another choice is looked at as a patch, and written into the file; what else the design names is not broken.
func TestAnotherChoiceIsTaken(t *testing.T) {
	t.Parallel()
	w := start(t, "")
	file := designFile(t, string(demo.Design))
	w.yalvo("weigh", file).says(t, 0, "pull: collect all", "freeze it", "no index", "documents under sightings")
	w.yalvo("weigh", file, "--take", "home:pull", "--patch").says(t, 0, "+    deliver: pull\n", "--- a/")
	w.yalvo("weigh", file, "--take", "sightings.byline").says(t, 2, "sightings.byline:freeze, or --take sightings.byline:look")
	w.yalvo("weigh", file, "--take", "sightings.like_count").says(t, 1, "to carry", "nothing was written")
	w.yalvo("weigh", file, "--take", "nowhere").says(t, 1, `no other choice to write for "nowhere"`)
	w.yalvo("weigh", file, "--patch").says(t, 2, "name a choice")
	w.yalvo("weigh", "-", "--take", "home:pull").says(t, 2, "name it")
	same(t, "the file", string(must(os.ReadFile(file))(t)), string(demo.Design))
	w.yalvo("weigh", file, "--take", "sightings.byline:freeze").says(t, 0, "freeze it", "Mind that an edit")
	same(t, "the file with it", string(must(os.ReadFile(file))(t)), changed(t, string(demo.Design),
		"      byline:       {copy: author, fields: [handle, name, portrait]}",
		"      byline:       {copy: author, fields: [handle, name, portrait], frozen: true}"))
	w.yalvo("weigh", file).says(t, 0, "frozen copy", "keep it true")
}

func TestTheCommandForecasts(t *testing.T) {
	t.Parallel()
	w := start(t, "")
	file := designFile(t, string(demo.Design))
	w.yalvo("forecast", file).says(t, 0, "2,000 accounts.", "create sightings", "home", "in all", "the fan-out that is stated", "128,000 accounts")
	w.yalvo("forecast", file, "--times", "100", "--csv").says(t, 0, "kind,name,level,per_day", "action,create sightings,largest", "stored,home,duplicate")
	w.yalvo("forecast", file, "--set", "workload.opened.hom=3").says(t, 1, `there is no screen "hom"; did you mean "home"?`)
	other := designFile(t, changed(t, string(demo.Design), "    length: 800", "    deliver: pull\n    length: 800"))
	w.yalvo("forecast", other, "--beside", file).says(t, 0, "rows of upkeep", "create sightings", "differs by", "-98.4 %", "stored after a year")
	w.yalvo("forecast", other, "--beside", "nowhere.yaml").says(t, 1, "the design cannot be read")
	picture := filepath.Join(t.TempDir(), "fen.svg")
	w.yalvo("forecast", file, "--report", picture).says(t, 0, "is drawn in")
	if got := string(must(os.ReadFile(picture))(t)); !strings.Contains(got, "<svg") || !strings.Contains(got, "fenwatch, forecast for 2,000 accounts") {
		t.Error("the report is no picture of the forecast")
	}
	w.yalvo("forecast", file, "--report", "fen.gif").says(t, 2, "an .svg or a .png")
	w.yalvo("forecast", file, "--set", "workload").says(t, 2, "is no PATH=VALUE")
	w.yalvo("forecast", file, "--times", "0").says(t, 2, "--times is more than 0")
	w.yalvo("forecast", designFile(t, ponds)).says(t, 1, "nothing is known of how much the app is used")
	beside := designFile(t, "accounts: 50\ndocuments: {posts: 100}\ndone: {posts: {create: 1}}\n")
	w.yalvo("forecast", designFile(t, ponds), "--workload", beside).says(t, 0, "50 accounts.", "create posts")
	w.yalvo("forecast", designFile(t, ponds), "--workload", designFile(t, "accounts: none\n")).says(t, 1, ":1:11: shape: accounts must be a number")
}

var looks = flag.Int("looks", 900, "how many screens are opened beside a forecast: `make torture` opens 2,500")

// What is measured from a running app, and forecast by that, is what the app then does: people chosen by chance do things
// chosen by chance, and the service counts what that reads and writes.
func TestAForecastIsWhatHappens(t *testing.T) {
	t.Parallel()
	w := wetland(t)
	d := must(language.Read("fenwatch.yaml", demo.Design))(t)
	measured := func() *design.Workload {
		return must(language.ReadWorkload("measured.yaml", []byte(must(w.Workload(t.Context(), 7))(t)), d))(t)
	}
	before := measured()
	counted := func() (all []forecast.Counted) {
		for _, m := range must(w.Metered(t.Context(), 24, false))(t).Metered {
			all = append(all, forecast.Counted{Kind: m.Kind, Name: m.Name, Times: float64(m.Times),
				Documents: float64(m.Documents), Pairs: float64(m.Pairs), Entries: float64(m.Entries),
				Kept: float64(m.Kept), Bytes: float64(m.Bytes)})
		}
		return all
	}
	seed := seeded(t)
	drive := func(script design.Workload, many int) []forecast.Compared {
		driver := must(driving.New(t.Context(), d, &script, w.Client, seed))(t)
		if err := driver.Drive(t.Context(), many, 8, 0, func() {}); err != nil {
			t.Fatal(err)
		}
		w.Settle()
		for _, o := range driver.Outcomes() {
			if o.Refused > 0 && !strings.HasPrefix(o.Name, "open ") { // that rules hide something is no mistake
				t.Errorf("%s was refused %d times: %s", o.Name, o.Refused, o.Why)
			}
		}
		return forecast.New(plan.New(d, plan.Counted()), &script, forecast.Shipped).Against(counted(), 1)
	}
	near := 0.05 * math.Sqrt(max(1, 2500/float64(*looks))) // of fewer, chance decides more
	agree := func(what string, is, said float64) {
		t.Helper()
		t.Logf("%s: %.0f, forecast %.0f", what, is, said)
		if math.Abs(said/is-1) > near {
			t.Errorf("%s: %.1f, and %.1f were forecast", what, is, said)
		}
	}

	reads, writes := *before, *before // how often is said: what was done before was a load
	reads.Opened, reads.Done = map[string]float64{"home": 3, "sighting": 3, "profile": 2, "saved": 1}, nil
	writes.Opened, writes.Busy = nil, map[string]string{"sightings": "follow.to"}
	writes.Done = map[string]design.Deeds{"sightings": {Create: 12, Edit: map[string]float64{"text": 0.2}},
		"like": {Set: 3, Unset: 1}, "remarks": {Create: 1}}
	said, is := 0.0, 0.0
	for _, c := range drive(reads, *looks) {
		if c.Kind == "screen" && c.What == forecast.Documents {
			said, is = said+c.Forecast*c.Times, is+c.Counted*c.Times
		}
	}
	agree("documents read", is, said)
	entries := w.Number("SELECT count(*) FROM entries")
	seen := map[string]bool{}
	for _, c := range drive(writes, *looks*2/3) {
		if c.Kind == "screen" || c.What == forecast.PerDay || c.What == forecast.AlongAll || c.Times < 100 {
			continue // of a few chance decides
		}
		seen[c.What+" "+c.Name] = true
		agree(c.What+" of "+c.Name, c.Counted, c.Forecast)
	}
	for _, what := range []string{"entries home", "rewritten sightings.like_count", "rewritten members.sighting_count",
		"documents each create sightings", "pairs each set like"} {
		if !seen[what] {
			t.Errorf("%s: nothing was compared", what)
		}
	}
	put := w.Number("SELECT sum(entries) FROM metered")
	if grown := w.Number("SELECT count(*) FROM entries") - entries; put < grown {
		t.Errorf("%d entries were put in or taken out, and there are %d more", put, grown)
	}
	after := measured()
	if after.Opened["home"] == 0 || after.Opened["sighting"] == 0 || after.Opened["everyone"] != 0 {
		t.Errorf("opened: %v", after.Opened)
	}
	if after.Done["sightings"].Create <= before.Done["sightings"].Create {
		t.Errorf("created in a day: %v, before %v", after.Done["sightings"].Create, before.Done["sightings"].Create)
	}
	w.yalvo("forecast", designFile(t, string(demo.Design)), "--against").says(t, 0, "screen home", "documents each",
		"timeline home", "kept sightings.like_count")
	w.yalvo("metered").says(t, 0, "screen", "create sightings", "members.sighting_count")
	w.auditFindsNothing()
}

// What a machine costs is measured, kept, and used: it takes a minute, so `make torture` does it.
func TestAMachineIsCalibrated(t *testing.T) {
	if *everyNth > 1 {
		t.Skip("only in make torture")
	}
	t.Setenv("XDG_CONFIG_HOME", t.TempDir())
	w := start(t, "")
	began := time.Now()
	got := w.yalvo("--json", "calibrate")
	var answer struct{ Rates forecast.Rates }
	if err := json.Unmarshal([]byte(got.out), &answer); err != nil || got.code != 0 || !answer.Rates.Sound() {
		t.Fatalf("%+v: %v", got, err)
	}
	t.Logf("%+v", answer.Rates)
	if took := time.Since(began); took > 2*time.Minute {
		t.Errorf("it took %v", took)
	}
	w.yalvo("forecast", designFile(t, string(demo.Design))).says(t, 0, "with figures measured on")
	w.yalvo("forecast", "--shipped-rates", designFile(t, string(demo.Design))).says(t, 0, "which are of another machine")
}
