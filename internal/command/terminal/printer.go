package terminal

import (
	"encoding/json"
	"fmt"
	"io"
	"os"
	"slices"
	"strconv"
	"strings"

	"github.com/jedib0t/go-pretty/v6/table"
	"github.com/jedib0t/go-pretty/v6/text"
	"golang.org/x/term"
)

// Printer writes answers. Both writers lead to the same place.
type Printer struct {
	Out      io.Writer // text for people and programs, made visible
	Terminal io.Writer // where that ends up
}

// New makes a printer to a terminal, or to what stands for one.
func New(to io.Writer) Printer { return Printer{Visible(to), to} }

// JSON writes a value as JSON.
func (p Printer) JSON(v any) error {
	enc := json.NewEncoder(p.Out)
	enc.SetIndent("", "  ")
	enc.SetEscapeHTML(false)
	return enc.Encode(v)
}

// Widths of tables: a column has at most widest characters, and at least
// narrowest when there is no room; where even that does not fit, every row is
// written as lines of its own.
const (
	widest    = 100
	narrowest = 8
)

// Width is how many characters a line has: COLUMNS if that is set, the width of
// the terminal if there is one; else there is no limit.
func (p Printer) Width() int {
	if n, err := strconv.Atoi(os.Getenv("COLUMNS")); err == nil && n > 0 {
		return n
	}
	if f, is := p.Terminal.(*os.File); is {
		if n, _, err := term.GetSize(int(f.Fd())); err == nil && n > 0 {
			return n
		}
	}
	return 10_000
}

// Table prints rows under a header. Columns named in right hold numbers.
func (p Printer) Table(header table.Row, rows []table.Row, right ...int) {
	for _, row := range rows {
		for i := range row {
			if s, is := row[i].(string); is {
				row[i] = strings.ReplaceAll(s, "\t", " ")
			}
		}
	}
	widths, fits := shared(p.Width(), header, rows, right)
	if !fits {
		p.records(header, rows)
		return
	}
	t := table.NewWriter()
	t.SetOutputMirror(p.Out)
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
// they need to be, the widest giving way until all fit: first those whose words stay
// whole, for who cuts an id in two cannot copy it. Numbers do not give way.
func shared(line int, header table.Row, rows []table.Row, right []int) (widths []int, fits bool) {
	widths = make([]int, len(header))
	words := make([]int, len(header)) // the longest of each
	for _, row := range append(slices.Clone(rows), header) {
		for i := range min(len(row), len(widths)) {
			cell := fmt.Sprint(row[i])
			widths[i] = min(max(widths[i], text.StringWidth(cell)), widest)
			for word := range strings.FieldsSeq(cell) {
				words[i] = max(words[i], text.StringWidth(word))
			}
		}
	}
	for sum(widths)+2*len(widths) > line {
		most := widestBeyond(widths, right, func(i int) int { return max(words[i], narrowest) })
		if most < 0 {
			most = widestBeyond(widths, right, func(int) int { return narrowest })
		}
		if most < 0 {
			return widths, false
		}
		widths[most]--
	}
	return widths, true
}

// widestBeyond is the widest of the columns that are wider than they have to be, -1 if
// none is. Numbers, on the right, are as wide as they have to be.
func widestBeyond(widths, right []int, least func(column int) int) int {
	most := -1
	for i, w := range widths {
		if !slices.Contains(right, i+1) && w > least(i) && (most < 0 || w > widths[most]) {
			most = i
		}
	}
	return most
}

func sum(all []int) int {
	n := 0
	for _, one := range all {
		n += one
	}
	return n
}

// records prints rows as lines of their own, each value beneath the other.
func (p Printer) records(header table.Row, rows []table.Row) {
	line := p.Width()
	for i, row := range rows {
		if i > 0 {
			fmt.Fprintln(p.Out)
		}
		for j, v := range row {
			if s := fmt.Sprint(v); s != "" {
				fmt.Fprintln(p.Out, wrapped(strings.TrimSpace(fmt.Sprint(header[j])+" "+s), line))
			}
		}
	}
}

// Say prints a sentence, in lines that the terminal has room for.
func (p Printer) Say(format string, args ...any) {
	fmt.Fprintln(p.Out, wrapped(fmt.Sprintf(format, args...), p.Width()))
}

// wrapped is a text in lines of a width. Its own lines stay, empty ones too.
func wrapped(s string, width int) string {
	var lines []string
	for own := range strings.SplitSeq(s, "\n") {
		for line := range strings.SplitSeq(text.WrapSoft(own, width), "\n") {
			lines = append(lines, strings.TrimRight(line, " "))
		}
	}
	return strings.Join(lines, "\n")
}
