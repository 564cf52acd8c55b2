package terminal

import (
	"encoding/json"
	"fmt"
	"sort"
	"strings"
	"time"
)

// Values writes a document's values in a line, in the order of their names.
func Values(m map[string]any) string {
	names := make([]string, 0, len(m))
	for name := range m {
		names = append(names, name)
	}
	sort.Strings(names)
	parts := make([]string, len(names))
	for i, name := range names {
		parts[i] = name + "=" + Value(m[name])
	}
	return strings.Join(parts, "  ")
}

// Value writes one value; a string stands for itself.
func Value(v any) string {
	if s, ok := v.(string); ok {
		return s
	}
	raw, err := json.Marshal(v)
	if err != nil {
		return fmt.Sprint(v)
	}
	return string(raw)
}

// Clock writes a time as clocks here show it.
func Clock(t time.Time) string { return t.Local().Format("2006-01-02 15:04:05") }

// Clip shortens a text to a width, on one line.
func Clip(s string, width int) string {
	s = strings.Join(strings.Fields(s), " ")
	if r := []rune(s); len(r) > width {
		return string(r[:width-1]) + "…"
	}
	return s
}

// Count writes a number with its thousands apart.
func Count(n int64) string {
	s := fmt.Sprint(n)
	for i := len(s) - 3; i > 0; i -= 3 {
		s = s[:i] + "," + s[i:]
	}
	return s
}

// Many writes a number with its noun.
func Many(n int, noun string) string {
	if n != 1 {
		noun += "s"
	}
	return Count(int64(n)) + " " + noun
}
