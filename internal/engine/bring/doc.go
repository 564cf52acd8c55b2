// Package bring takes an app along that has kept its duplicates by hand.
//
// In go a mapping, the files of an export in plain JSON, and the design that the app
// is to run by; out come its facts as lines (see package bulk), and what was wrong
// with the old duplicates: counts that lie, copies that are stale, pairs that stand on
// one side only, what points at what is gone, what is there twice.
//
// Not done here: loading the lines, and any database. An export must fit into memory.
package bring
