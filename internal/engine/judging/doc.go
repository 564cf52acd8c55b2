// Package judging decides what a viewer may read and do of what is stored, and shows documents as they may see them.
//
// In go a version of the design, a viewer and stored documents; out come allowed and refused, documents without what
// is hidden, and kept values that obey the rights of their sources. All rules of a request are decided by one judge,
// which serves one moment and remembers what it has been told. What pages and services remember beyond it
// (recollections.go, elements.go) decides nothing by itself: it is looked at again by the statement that follows, or is
// held with the very text that it was taken from.
//
// Not done here: what a rule means (package access), and looking things up (package store).
package judging
