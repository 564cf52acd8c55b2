package cli

import (
	"encoding/json"
	"fmt"
	"sort"
	"strings"
	"time"

	"github.com/jedib0t/go-pretty/v6/table"
	"github.com/jedib0t/go-pretty/v6/text"
)

func (a *app) json(v any) error {
	enc := json.NewEncoder(a.out)
	enc.SetIndent("", "  ")
	enc.SetEscapeHTML(false)
	return enc.Encode(v)
}

// widest is the most characters of a column; longer values are wrapped.
const widest = 100

// table prints rows under a header. Columns named in right hold numbers.
func (a *app) table(header table.Row, rows []table.Row, right ...int) {
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
		configs = append(configs, table.ColumnConfig{Number: i + 1, WidthMax: widest, WidthMaxEnforcer: text.WrapSoft})
	}
	for _, n := range right {
		configs[n-1].Align, configs[n-1].AlignHeader = text.AlignRight, text.AlignRight
	}
	t.SetColumnConfigs(configs)
	t.Render()
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
