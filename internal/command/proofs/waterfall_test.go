package proofs

import (
	"strings"
	"testing"

	"yalvo/client"
	"yalvo/internal/command/flags"
	"yalvo/internal/command/terminal"
)

// A cascade along time: a step that is not done reaches to now, steps with nothing to do are left out, and what follows
// from a step stands beneath it.
func TestACascadeAlongTime(t *testing.T) {
	ms := func(n int64) *int64 { return &n }
	c := client.Cascade{TookMS: 40, Follows: []client.Step{
		{Says: "counts", AfterMS: 0, DoneMS: ms(10), Rows: 1},
		{Says: "nothing to do", AfterMS: 5},
		{Says: "a trigger", AfterMS: 10, DoneMS: ms(10), Changes: true, Follows: []client.Step{
			{Says: "entries", AfterMS: 20, Left: 3, Rows: 7},
		}},
	}}
	t.Setenv("COLUMNS", "80")
	var out strings.Builder
	a := app{&flags.App{Printer: terminal.New(&out)}}
	a.waterfall(c)
	bar := strings.Repeat
	want := "\n" + // 45 characters for 40 ms
		"counts    │" + bar("█", 11) + bar(" ", 34) + "│    10 ms  1 row\n" +
		"a trigger │" + bar(" ", 11) + "▪" + bar(" ", 33) + "│    10 ms\n" +
		"  entries │" + bar(" ", 22) + bar("░", 23) + "│    40 ms  7 rows\n"
	if out.String() != want {
		t.Errorf("drawn:\n%s\nwant:\n%s", out.String(), want)
	}
	t.Setenv("COLUMNS", "30")
	out.Reset()
	if a.waterfall(c); out.String() != "" {
		t.Errorf("drawn where it has no room: %s", out.String())
	}
}
