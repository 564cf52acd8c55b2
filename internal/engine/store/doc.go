// Package store keeps an app's facts, duplicates and due work in PostgreSQL,
// through GORM. All SQL of the product is here, each statement beside the Go
// function that runs it, with the index it relies on.
//
// In go numbers and plain values; out come rows. What a change makes due is
// package plan's to say, and when which statement runs is package engine's.
//
// Locks, in the order in which they are taken, so that no two writers wait
// for each other in a circle without PostgreSQL noticing and one of them
// being run again:
//  1. an author's lock (advisory, for the entries of one author in one timeline),
//  2. rows of documents, in ascending order where several are locked at once,
//  3. rows of kept and cuts, in ascending order.
package store
