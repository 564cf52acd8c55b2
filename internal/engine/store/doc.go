// Package store keeps an app's facts, duplicates and due work in PostgreSQL, through GORM: connections,
// transactions, the tables and their versions, locks, a stored document, and parts that statements are made of.
//
// The statements are in the rooms within it, one for each feature, each beside the Go function that runs it,
// with the index it relies on: all SQL of the product is there. What a change makes due is package plan's to
// say, and when which statement runs is for the rest of the engine.
//
// Locks, in the order in which they are taken, so that no two writers wait
// for each other in a circle without PostgreSQL noticing and one of them
// being run again:
//  1. an author's lock (advisory, for the entries of one author in one timeline),
//  2. rows of documents, in ascending order where several are locked at once,
//  3. rows of kept and cuts, in ascending order.
package store
