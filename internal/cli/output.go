package cli

import (
	"encoding/json"
	"fmt"
	"io"
	"os"
	"slices"
	"sort"
	"strconv"
	"strings"
	"time"
	"unicode"
	"unicode/utf8"

	"github.com/jedib0t/go-pretty/v6/table"
	"github.com/jedib0t/go-pretty/v6/text"
	"golang.org/x/term"
)

func (a *app) json(v any) error {
	enc := json.NewEncoder(a.out)
	enc.SetIndent("", "  ")
	enc.SetEscapeHTML(false)
	return enc.Encode(v)
}

// visible is a writer for a terminal: characters that would steer it, or turn the
// direction of the text around, are written as \u and their number, which JSON
// reads as what they are.
type visible struct{ io.Writer }

// Write writes text, whole characters at a time.
func (v visible) Write(p []byte) (int, error) {
	if _, err := io.WriteString(v.Writer, madeVisible(string(p))); err != nil {
		return 0, err
	}
	return len(p), nil
}

func madeVisible(s string) string {
	if !strings.ContainsFunc(s, steers) && utf8.ValidString(s) {
		return s
	}
	var b strings.Builder
	for _, r := range s {
		if steers(r) {
			fmt.Fprintf(&b, "\\u%04x", r)
			continue
		}
		b.WriteRune(r)
	}
	return b.String()
}

// steers tells of a character whether a terminal would obey it: controls but for
// ends of lines and tabs, and the bidirectional ones (Unicode Standard Annex 9).
func steers(r rune) bool {
	switch {
	case r == '\n' || r == '\t':
		return false
	case r >= 0x202A && r <= 0x202E, r >= 0x2066 && r <= 0x2069, r == 0x200E, r == 0x200F, r == 0x061C, r == 0x2028,
		r == 0x2029:
		return true
	}
	return unicode.IsControl(r)
}

// Widths of tables: a column has at most widest characters, and at least
// narrowest when there is no room; where even that does not fit, every row is
// written as lines of its own.
const (
	widest    = 100
	narrowest = 8
)

// width is how many characters a line has: COLUMNS if that is set, the width of
// the terminal if there is one; else there is no limit.
func (a *app) width() int {
	if n, err := strconv.Atoi(os.Getenv("COLUMNS")); err == nil && n > 0 {
		return n
	}
	if f, is := a.terminal.(*os.File); is {
		if n, _, err := term.GetSize(int(f.Fd())); err == nil && n > 0 {
			return n
		}
	}
	return 10_000
}

// table prints rows under a header. Columns named in right hold numbers.
func (a *app) table(header table.Row, rows []table.Row, right ...int) {
	for _, row := range rows {
		for i := range row {
			if s, is := row[i].(string); is {
				row[i] = strings.ReplaceAll(s, "\t", " ")
			}
		}
	}
	widths, fits := shared(a.width(), header, rows, right)
	if !fits {
		a.records(header, rows)
		return
	}
	t := table.NewWriter()
	t.SetOutputMirror(a.out)
	style := table.StyleLight
	style.Options = table.OptionsNoBordersAndSeparators
	style.Format.Header = text.FormatDefault
	style.Box.PaddingLeft, style.Box.PaddingRight = "", "  "
	t.SetStyle(style)
	t.AppendHeader(header)
	t.AppendRows(rows)
	var configs []table.ColumnConfig
	for i := range header {
		configs = append(configs, table.ColumnConfig{Number: i + 1, WidthMax: widths[i],
			WidthMaxEnforcer: text.WrapSoft})
	}
	for _, n := range right {
		configs[n-1].Align, configs[n-1].AlignHeader = text.AlignRight, text.AlignRight
	}
	t.SetColumnConfigs(configs)
	t.SuppressTrailingSpaces()
	t.Render()
}

// shared are the widths of a table's columns in a line of a width: as wide as
// they need to be, the widest giving way until all fit. Numbers do not give way.
func shared(line int, header table.Row, rows []table.Row, right []int) (widths []int, fits bool) {
	widths = make([]int, len(header))
	for _, row := range append(slices.Clone(rows), header) {
		for i := range min(len(row), len(widths)) {
			widths[i] = min(max(widths[i], text.StringWidth(fmt.Sprint(row[i]))), widest)
		}
	}
	for sum(widths)+2*len(widths) > line {
		most := -1
		for i, w := range widths {
			if !slices.Contains(right, i+1) && w > narrowest && (most < 0 || w > widths[most]) {
				most = i
			}
		}
		if most < 0 {
			return widths, false
		}
		widths[most]--
	}
	return widths, true
}

func sum(all []int) int {
	n := 0
	for _, one := range all {
		n += one
	}
	return n
}

// records prints rows as lines of their own, each value beneath the other.
func (a *app) records(header table.Row, rows []table.Row) {
	line := a.width()
	for i, row := range rows {
		if i > 0 {
			fmt.Fprintln(a.out)
		}
		for j, v := range row {
			if s := fmt.Sprint(v); s != "" {
				fmt.Fprintln(a.out, wrapped(strings.TrimSpace(fmt.Sprint(header[j])+" "+s), line))
			}
		}
	}
}

// say prints a sentence, in lines that the terminal has room for.
func (a *app) say(format string, args ...any) {
	fmt.Fprintln(a.out, wrapped(fmt.Sprintf(format, args...), a.width()))
}

// wrapped is a text in lines of a width.
func wrapped(s string, width int) string {
	lines := strings.Split(text.WrapSoft(s, width), "\n")
	for i, line := range lines {
		lines[i] = strings.TrimRight(line, " ")
	}
	return strings.Join(lines, "\n")
}

// values writes a document's values in a line, in the order of their names.
func values(m map[string]any) string {
	names := make([]string, 0, len(m))
	for name := range m {
		names = append(names, name)
	}
	sort.Strings(names)
	parts := make([]string, len(names))
	for i, name := range names {
		parts[i] = name + "=" + value(m[name])
	}
	return strings.Join(parts, "  ")
}

// value writes one value; a string stands for itself.
func value(v any) string {
	if s, ok := v.(string); ok {
		return s
	}
	raw, err := json.Marshal(v)
	if err != nil {
		return fmt.Sprint(v)
	}
	return string(raw)
}

func clock(t time.Time) string { return t.Local().Format("2006-01-02 15:04:05") }

// clip shortens a text to a width, on one line.
func clip(s string, width int) string {
	s = strings.Join(strings.Fields(s), " ")
	if r := []rune(s); len(r) > width {
		return string(r[:width-1]) + "…"
	}
	return s
}

// count writes a number with its thousands apart.
func count(n int64) string {
	s := fmt.Sprint(n)
	for i := len(s) - 3; i > 0; i -= 3 {
		s = s[:i] + "," + s[i:]
	}
	return s
}

// many writes a number with its noun.
func many(n int, noun string) string {
	if n != 1 {
		noun += "s"
	}
	return count(int64(n)) + " " + noun
}
