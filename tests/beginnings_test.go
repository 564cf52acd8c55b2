package tests

import (
	"fmt"
	"math/rand/v2"
	"path/filepath"
	"strings"
	"testing"

	"yalvo/internal/command/driving"
	"yalvo/internal/design/beginnings"
	"yalvo/internal/design/language"
)

// Each beginning is an app that runs: people use it as its workload says, and every duplicate is true. One of them and
// all together; `make torture` tries each.
func TestBeginningsAreAppsThatRun(t *testing.T) {
	t.Parallel()
	var all []string
	for _, b := range beginnings.All {
		all = append(all, b.Name)
	}
	tried := append([]string{strings.Join(all, ",")}, all...)
	if *everyNth > 1 {
		tried = []string{tried[0], tried[1+rand.IntN(len(all))]}
	}
	for _, with := range tried {
		t.Run(with, func(t *testing.T) {
			w := start(t, "")
			file := filepath.Join(t.TempDir(), "reedbed.yaml")
			w.yalvo("new", file, "--app", "reedbed", "--people", "birders", "--posts", "finds", "--with", with).says(t, 0, "is written")
			w.yalvo("new", file, "--with", with).says(t, 1, "is there already")
			w.yalvo("check", file).says(t, 0, "is fine")
			w.yalvo("forecast", file).says(t, 0, "1,000 accounts.", "create finds")
			w.yalvo("apply", file).says(t, 0, "reedbed now runs version 1")
			source := must(w.Design(t.Context()))(t)
			d := must(language.Read(file, source))(t)
			for i := range 8 {
				facts := map[string]any{"handle": fmt.Sprint("birder_", i), "name": "Birder"}
				if _, _, _, err := w.As("~").SignUp(t.Context(), facts, "a long password"); err != nil {
					t.Fatal(err)
				}
			}
			script := *d.Workload
			for name, deeds := range script.Done { // nobody goes: they are few
				deeds.Remove = min(deeds.Remove, 0.02)
				script.Done[name] = deeds
			}
			driver := must(driving.New(t.Context(), d, &script, w.Client, seeded(t)))(t)
			if err := driver.Drive(t.Context(), 300, 6, 0, func() {}); err != nil {
				t.Fatal(err)
			}
			done := map[string]int{}
			for _, o := range driver.Outcomes() {
				done[o.Name] = o.Times
				if o.Refused > 0 && !strings.HasPrefix(o.Name, "open ") && !strings.Contains(o.Why, "cannot be read") {
					t.Errorf("%s was refused %d times: %s", o.Name, o.Refused, o.Why)
				}
			}
			if done["create finds"] == 0 || done["open everyone"] == 0 || done["open profile"] == 0 {
				t.Errorf("done: %v", done)
			}
			w.Settle()
			w.auditFindsNothing()
		})
	}
}
