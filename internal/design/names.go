package design

import (
	"fmt"
	"slices"
	"strings"
	"unicode/utf8"
)

// How messages tell names and texts.

// FieldNames are the names of some fields.
func FieldNames(fields []*Field) []string {
	return NamesOf(fields, func(f *Field) string { return f.Name })
}

// NamesOf are the names of some things, in their order.
func NamesOf[T any](all []*T, nameOf func(*T) string) []string {
	var out []string
	for _, one := range all {
		out = append(out, nameOf(one))
	}
	return out
}

// mostListed is how many names a message lists.
const mostListed = 30

// Listed is some names in their order, the first of them if there are many.
func Listed(known []string) string {
	known = slices.Sorted(slices.Values(known))
	if more := len(known) - mostListed; more > 0 {
		return fmt.Sprintf("%s and %d more", strings.Join(known[:mostListed], ", "), more)
	}
	return strings.Join(known, ", ")
}

// Clip keeps a client's long text from filling a message.
func Clip(s string) string {
	if utf8.RuneCountInString(s) <= 60 {
		return s
	}
	return string([]rune(s)[:60]) + "…"
}
