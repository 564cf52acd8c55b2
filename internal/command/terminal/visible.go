package terminal

import (
	"fmt"
	"io"
	"strings"
	"unicode"
	"unicode/utf8"
)

// Visible is a writer for a terminal: characters that would steer it, or turn the
// direction of the text around, are written as \u and their number, which JSON
// reads as what they are.
func Visible(to io.Writer) io.Writer { return visible{to} }

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
