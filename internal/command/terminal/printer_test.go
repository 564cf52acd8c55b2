package terminal

import (
	"fmt"
	"strings"
	"testing"

	"github.com/jedib0t/go-pretty/v6/table"
	"github.com/jedib0t/go-pretty/v6/text"
	"pgregory.net/rapid"
)

// Whatever stands in a table, no line is wider than the terminal but for a word that has no room in it, nothing
// steers it, and nothing that was to be said is missing.
func TestATableFitsItsTerminal(t *testing.T) {
	rapid.Check(t, func(r *rapid.T) {
		width := rapid.IntRange(20, 120).Draw(r, "width")
		t.Setenv("COLUMNS", fmt.Sprint(width))
		columns := rapid.IntRange(1, 6).Draw(r, "columns")
		word := rapid.StringMatching(`[a-z0-9]{1,12}`)
		cell := rapid.SliceOfN(word, 1, 9)
		header, rows := table.Row{}, make([]table.Row, rapid.IntRange(1, 4).Draw(r, "rows"))
		for range columns {
			header = append(header, word.Draw(r, "head"))
		}
		var said []string
		for i := range rows {
			for range columns {
				words := cell.Draw(r, "cell")
				rows[i] = append(rows[i], strings.Join(words, " "))
				said = append(said, words...)
			}
		}
		var out strings.Builder
		New(&out).Table(header, rows)
		for line := range strings.Lines(out.String()) {
			if line = strings.TrimRight(line, "\n"); text.StringWidth(line) > width+2 {
				r.Errorf("a line of %d in a terminal of %d: %q", text.StringWidth(line), width, line)
			}
		}
		for _, w := range said {
			// A word may be cut where not even it has room.
			if !strings.Contains(out.String(), w) && len(w) <= narrowest {
				r.Errorf("%q is missing in\n%s", w, out.String())
			}
		}
	})
}

func TestNoTextSteersTheTerminal(t *testing.T) {
	for given, want := range map[string]string{
		"plain, ü and 🐸\n\ttabbed": "plain, ü and 🐸\n\ttabbed",
		"\x1b[2Jgone":              `\u001b[2Jgone`,
		"turned \u202earound":      `turned \u202earound`,
		"\x07\x7f\u0085":           `\u0007\u007f\u0085`,
		"half a letter \xc3":       "half a letter \uFFFD",
	} {
		var out strings.Builder
		if n, err := Visible(&out).Write([]byte(given)); err != nil || n != len(given) || out.String() != want {
			t.Errorf("%q: %q, %d, %v", given, out.String(), n, err)
		}
	}
}

func TestFiguresAndTextsForALine(t *testing.T) {
	for got, want := range map[string]string{
		Count(999): "999", Count(1000): "1,000", Count(12345678): "12,345,678",
		Many(1, "row"): "1 row", Many(1200, "row"): "1,200 rows",
		Clip("two\n  herons  ", 20): "two herons", Clip("a heron", 4): "a h…",
		Values(map[string]any{"b": "x", "a": []any{1.0}}): "a=[1]  b=x",
	} {
		if got != want {
			t.Errorf("got %q, want %q", got, want)
		}
	}
}

func TestSentencesAreWrappedAndEmptyLinesStay(t *testing.T) {
	for given, want := range map[string]string{
		"\na heron in the reeds\n": "\na heron in\nthe reeds\n",
		"a tern\n\na coot":         "a tern\n\na coot",
		"":                         "",
	} {
		if got := wrapped(given, 12); got != want {
			t.Errorf("%q: %q, want %q", given, got, want)
		}
	}
}
